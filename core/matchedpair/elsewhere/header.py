"""Reads facts out of a picture's header: attributes named ``render:NAME``, and ``Software``."""

from __future__ import annotations

from pathlib import Path

from matchedpair.elsewhere.facts import FIELDS, Facts, facts_of
from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import opened

OURS = "render:"


def header_facts(path: Path) -> Facts:
    """What the header says; nothing when the file cannot be opened (reading the picture will say why).

    ``render:seed`` is the seed, ``render:samples`` a setting, and so on. ``Software`` is engine and version, as in
    ``Alder 2.0``. Raises `InputError` when a value does not fit.
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
    return facts_of({name: value for name, value in values.items() if name in FIELDS or value != ""}, "header")
