"""Layers of files from elsewhere as passes of the renders that are made of them."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from matchedpair.errors import InputError, PictureError
from matchedpair.pictures.layers import other_layers, write_layers

from server.imports.actions import original_of
from server.imports.models import ImportedRender, ImportSet
from server.store.files import keep_file

WORDLESS = "pass"


@dataclass(frozen=True)
class Passes:
    """One layer of many files: the pass's name, its picture by render, and what has no such layer, with the reason."""

    name: str = ""
    pictures: dict[int, str] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()

    def of(self, row: ImportedRender) -> dict[str, str]:
        """The passes of a run that is made of a render."""
        return {self.name: self.pictures[row.pk]} if row.pk in self.pictures else {}


NONE = Passes()


def layers_besides(row: ImportSet) -> list[str]:
    """The layers of its first file that are not its picture; none where it has no more."""
    for render in row.renders.exclude(original="").filter(problem="").order_by("name")[:1]:
        return other_layers(original_of(render), row.layer)
    return []


def pass_of(rows: Iterable[ImportedRender], layer: str) -> Passes:
    """Keep a layer of each file as a picture. Raises `InputError` where no file has it."""
    name = _pass_name(layer)
    pictures, left_out = {}, []
    for row in rows:
        try:
            pictures[row.pk] = _kept(row, layer, name)
        except InputError as error:
            left_out.append(f"{row.name}: {error}; it counts without the pass")
    if not pictures:
        raise InputError(left_out[0] if left_out else f"no file is there that could have a layer {layer!r}")
    return Passes(name, pictures, tuple(left_out))


def _pass_name(layer: str) -> str:
    """What a layer is called as a pass."""
    return re.sub(r"\W+", "_", layer).strip("_")[:40] or WORDLESS


def _kept(row: ImportedRender, layer: str, name: str) -> str:
    with tempfile.TemporaryDirectory() as folder:
        try:
            written = write_layers(original_of(row), {name: layer}, Path(folder), in_window=True)
        except PictureError as error:  # it names where the store keeps the file, which says nothing to anybody
            raise InputError(error.problem) from error
        return keep_file(written[name], ".exr")
