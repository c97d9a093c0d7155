"""Passes that lie as layers in the picture's own file, each written out as a picture of its own."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import opened
from matchedpair.pictures.write import write_exr

COLOURS = ("R", "G", "B")


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


def write_layers(path: Path, layers: Mapping[str, str], folder: Path) -> dict[str, Path]:
    """Write layers of a file as pictures of their own, by the pass that each is. Of one or two channels the first is
    taken, of more three: red, green and blue, or x, y and z, where they are called so.

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
            write_exr(written[name], values[..., [index - low for index in chosen]], half=header.kind == "half")
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
