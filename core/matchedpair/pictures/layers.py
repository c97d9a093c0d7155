"""Layers of a picture's file: which of them is the picture, and passes written out as pictures of their own."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from matchedpair.errors import InputError, PictureError
from matchedpair.pictures.picture_file import opened
from matchedpair.pictures.write import write_exr

COLOURS = ("R", "G", "B")
CALLED_THE_PICTURE = ("beauty", "combined", "rgba", "rgb", "color", "colour", "image", "main", "c")
NAMED = 8


def layers_of(channels: tuple[str, ...]) -> dict[str, list[int]]:
    """The layers by name, with the numbers of their channels: what stands before the last dot names the layer."""
    found: dict[str, list[int]] = {}
    for index, name in enumerate(channels):
        layer, dot, _ = name.rpartition(".")
        if dot:
            found.setdefault(layer, []).append(index)
        elif name not in (*COLOURS, "A"):
            found.setdefault(name, []).append(index)  # such as Z, which is a layer by itself
    return found


def colour_layers(channels: tuple[str, ...]) -> list[str]:
    """The layers that have red, green and blue, in the file's order; empty is the file's own R, G and B."""
    own = [""] if all(name in channels for name in COLOURS) else []
    return own + [layer for layer in layers_of(channels) if all(f"{layer}.{each}" in channels for each in COLOURS)]


def picture_layer(channels: tuple[str, ...]) -> str | None:
    """The layer that is a file's picture: its own R, G and B, its one layer in colour, or the first that is called as
    pictures are. None where there is no layer in colour, or several of which none is called so.
    """
    layers = colour_layers(channels)
    if len(layers) < 2 or not layers[0]:
        return layers[0] if layers else None
    named = (layer for layer in layers if layer.rpartition(".")[2].lower() in CALLED_THE_PICTURE)
    return next(named, None)


def colour_of(channels: tuple[str, ...], layer: str = "") -> tuple[list[int], int | None]:
    """The numbers of the channels that are red, green and blue, and of the one that says where there is a picture.

    Without a layer the picture's own is found; a file without names of colours gives its first three channels, or its
    one. Raises `InputError` when there is no such layer, or nobody can say which of several is the picture.
    """
    layers = colour_layers(channels)
    found = picture_layer(channels) if not layer else layer if layer in layers else None
    if found is None and (layer or layers):
        named = ", ".join(layers[:NAMED]) + (" and more" if len(layers) > NAMED else "")
        raise InputError(f"has no layer {layer!r} in colour" if layer else f"say which layer is the picture: {named}")
    if found is None:
        alpha = channels.index("A") if "A" in channels and len(channels) > 1 else None
        return ([0, 1, 2] if len(channels) >= 3 else [0, 0, 0]), alpha
    before = f"{found}." if found else ""
    names = [f"{before}{each}" for each in (*COLOURS, "A")]
    return [channels.index(name) for name in names[:3]], channels.index(names[3]) if names[3] in channels else None


def other_layers(path: Path, layer: str = "") -> list[str]:
    """A file's layers besides its picture, which is `layer` or what `picture_layer` finds. Raises `PictureError`."""
    file = opened(path)
    channels = file.header.channels
    file.close()
    shown = layer or picture_layer(channels)
    return [each for each in layers_of(channels) if each != shown]


def write_layers(path: Path, layers: Mapping[str, str], folder: Path, *, in_window: bool = False) -> dict[str, Path]:
    """Write layers of a file as pictures of their own, by the pass that each is, placed as `read_picture` does. Of one
    or two channels the first is taken, of more three: red, green and blue, or x, y and z, where they are called so.

    Raises `PictureError` when the file cannot be read, or has no such layer.
    """
    file = opened(path)
    try:
        header = file.header
        there = layers_of(header.channels)
        written = {}
        for name, layer in layers.items():
            if layer not in there:
                raise PictureError(str(path), f"has no layer {layer!r}; it has {', '.join(there) or 'none'}")
            chosen = _chosen(there[layer], header.channels)
            low = min(chosen)
            values = file.rows(0, header.height, (low, max(chosen) + 1), "float")
            written[name] = folder / f"pass-{name}.exr"
            values = values[..., [index - low for index in chosen]]
            if in_window:
                values = header.placed(values, str(path))
            write_exr(written[name], values, half=header.kind == "half")
    finally:
        file.close()
    return written


def _chosen(indices: list[int], channels: tuple[str, ...]) -> list[int]:
    if len(indices) < 3:
        return indices[:1]
    by_end = {channels[index].rpartition(".")[2].upper(): index for index in indices}
    for names in (COLOURS, ("X", "Y", "Z")):
        if all(name in by_end for name in names):
            return [by_end[name] for name in names]
    return indices[:3]
