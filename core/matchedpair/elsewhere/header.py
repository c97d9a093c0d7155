"""Reads facts out of a picture's header: attributes named ``render:NAME``, ``Software``, and what is plainly called a
render's time, memory or seed; how it is stored, and which layers it has.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from matchedpair.elsewhere.columns import said_in_header
from matchedpair.elsewhere.facts import FIELDS, Facts, facts_of
from matchedpair.errors import PictureError
from matchedpair.pictures.layers import colour_layers
from matchedpair.pictures.picture_file import opened

OURS = "render:"
KINDS = {"half": "half float", "float": "float", "double": "double float", "uint8": "8 bits", "uint16": "16 bits"}
LONGEST_STORAGE = 60


@dataclass(frozen=True)
class FileFacts:
    """How a picture's file stores it, in words such as ``EXR, half float, zip``, and its layers in colour; empty names
    the file's own R, G and B.
    """

    storage: str
    layers: tuple[str, ...]


def file_facts(path: Path) -> FileFacts:
    """What a picture's file says of itself. Raises `PictureError`."""
    file = opened(path)
    header = file.header
    file.close()
    kind = path.suffix[1:].upper()
    words = [{"TIF": "TIFF", "JPG": "JPEG"}.get(kind, kind), KINDS.get(header.stored, header.stored)]
    compression = str(header.attributes.get("compression", ""))
    return FileFacts(
        ", ".join(filter(None, [*words, compression]))[:LONGEST_STORAGE], tuple(colour_layers(header.channels))
    )


def header_facts(path: Path) -> Facts:
    """What the header says; nothing when the file cannot be opened (reading the picture will say why).

    ``render:seed`` is the seed, ``render:samples`` a setting, and so on. ``Software`` is engine and version, as in
    ``Alder 2.0``; ``renderTime`` is its time. Raises `InputError` when a value does not fit.
    """
    try:
        file = opened(path)
    except PictureError:
        return Facts()
    attributes = file.header.attributes
    file.close()
    values = {name[len(OURS) :]: value for name, value in attributes.items() if name.startswith(OURS)}
    software = next((str(value) for name, value in attributes.items() if name.lower() == "software"), "")
    engine, _, version = software.strip().rpartition(" ")
    if engine and version[:1].isdigit() and not engine.startswith("OpenImageIO"):
        values = {"engine": engine, "version": version, **values}
    values = said_in_header({name: each for name, each in attributes.items() if not name.startswith(OURS)}) | values
    return facts_of({name: value for name, value in values.items() if name in FIELDS or value != ""}, "header")
