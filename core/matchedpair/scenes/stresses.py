"""What a scene can stress and an engine can be able to do: a list of effects that a studio can extend."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from matchedpair.errors import InputError
from matchedpair.plain_files import as_text, parsed_toml, read_plain

FILE = "stresses.toml"
MOST_BYTES = 1_000_000
NAME = re.compile(r"[a-z][a-z0-9-]{0,39}")


@dataclass(frozen=True)
class Stress:
    """One thing that is hard to render, and what to look for where it fails."""

    name: str
    title: str
    about: str


STRESSES: tuple[Stress, ...] = (
    Stress(
        "focused-by-glass", "Light focused through glass", "Bright patterns on what lies behind; grain, or nothing."
    ),
    Stress("focused-by-metal", "Light focused off metal", "Bright curves inside rings and bowls; grain, or nothing."),
    Stress("many-small-lights", "Many small lights", "Grain around them; shadows or lights left out."),
    Stress("mist", "Mist", "Glow around lights and light that fades with distance; grain in dark air."),
    Stress("glowing-surfaces", "Glowing surfaces", "Soft light from large areas; hard edges, grain close by."),
    Stress("bounced-light", "Bounced light", "Light that comes only by way of other surfaces; blotches, leaks."),
    Stress("dark-place", "Dark place", "Where little light comes; grain, blotches, black corners."),
    Stress("soft-shadows", "Soft shadows", "Wide with distance; grain or bands, the same width everywhere."),
    Stress("sharp-shadows", "Sharp shadows", "Hard close to what casts them; stair steps, gaps at contact."),
    Stress("mirror", "Mirror", "The scene seen again; missing things, grain, smeared by a denoiser."),
    Stress("glass-behind-glass", "Glass behind glass", "Needs many bounces; goes black or grey without them."),
    Stress("rough-metal", "Rough metal", "Stretched highlights; fireflies, lost energy."),
    Stress("fine-texture", "Fine texture", "Stripes of a few pixels; steps, blur, moiré."),
    Stress("small-distant-object", "Small distant object", "A few pixels wide; comes and goes, or melts away."),
    Stress("moving-light", "Moving light", "Light that changes from frame to frame; lag, trails, flicker."),
)


def read_stresses(folder: Path) -> tuple[tuple[Stress, ...], list[str]]:
    """The list above with what ``stresses.toml`` in a folder adds or renames, and what is wrong with that file.

    The file holds ``[[stress]]`` tables with ``name``, ``title`` and ``about``.
    """
    path = folder / FILE
    known = {stress.name: stress for stress in STRESSES}
    if not path.is_file():
        return STRESSES, []
    try:
        for index, row in enumerate(_tables(path)):
            stress = _stress(row, f"{FILE}: stress[{index}]")
            known[stress.name] = stress
    except InputError as error:
        return STRESSES, [str(error)]
    return tuple(known.values()), []


def _tables(path: Path) -> list[object]:
    rows = parsed_toml(as_text(read_plain(path, MOST_BYTES), FILE), FILE).get("stress", [])
    if not isinstance(rows, list):
        raise InputError(f"{FILE}: expected [[stress]] tables")
    return rows


def _stress(row: object, where: str) -> Stress:
    if not isinstance(row, dict):
        raise InputError(f"{where}: expected a table")
    name, title, about = row.get("name"), row.get("title"), row.get("about", "")
    if not isinstance(name, str) or not NAME.fullmatch(name):
        raise InputError(f"{where}.name: expected small letters, digits and hyphens, got {name!r}")
    if not isinstance(title, str) or not title or not isinstance(about, str):
        raise InputError(f"{where}: expected texts for title and about")
    return Stress(name, title, about)
