"""The plan of a place's maps: facts read once for each state of a file, people's choices, and the use on screen."""

from __future__ import annotations

import time
from dataclasses import asdict, dataclass
from typing import Any

from matchedpair.errors import InputError, PictureError
from matchedpair.scenes.textures import is_outdated
from matchedpair.textures import (
    Copies,
    MapUse,
    TextureMap,
    TexturePlan,
    Writing,
    plan_maps,
    read_copies,
    read_map,
    so_far,
)
from matchedpair.textures.plan import DIVISORS

from server.textures.models import AskedUse, MapChoice, MapFacts
from server.textures.places import Place

READING_SECONDS = 2.0


@dataclass(frozen=True)
class PlacePlan:
    """A place with its plan; `unread` maps are to come, since a request reads for a few seconds only."""

    place: Place
    plan: TexturePlan
    problems: dict[str, str]
    unread: int
    asked: AskedUse | None
    copies: list[Copies]
    outdated: set[str]
    wrong_copies: list[str]
    writing: Writing


def plan_of(place: Place, seconds: float = READING_SECONDS) -> PlacePlan:
    """What a place's maps take and what is proposed; reads maps that are not known yet, for some seconds at most."""
    maps, problems, unread = _facts(place, seconds)
    known = {each.file for each in maps}
    choices = MapChoice.objects.filter(place=place.key, file__in=known)
    asked = AskedUse.objects.filter(place=place.key).first()
    plan = plan_maps(
        maps,
        roles={row.file: row.role for row in choices if row.role},
        divisors={row.file: row.divisor for row in choices if row.divisor},
        use=_use(place, asked),
    )
    copies, wrong = read_copies(place.base)
    writing = so_far(place.base, plan)
    return PlacePlan(place, plan, problems, unread, asked, copies, _outdated(place, copies, maps), wrong, writing)


def choose(place: Place, file: str, role: str | None, divisor: int | None) -> None:
    """Remember what a person decides of a map; None leaves it to the proposal. Raises `InputError`."""
    if file not in place.files:
        raise InputError(f"there is no map {file!r} here")
    if divisor is not None and divisor not in DIVISORS:
        raise InputError(f"a size is divided by {', '.join(map(str, DIVISORS))}, got {divisor}")
    chosen = MapChoice.objects.filter(place=place.key, file=file)
    if role is None and divisor is None:
        chosen.delete()
        return
    MapChoice.objects.update_or_create(
        place=place.key, file=file, defaults={"role": role or "", "divisor": divisor}
    )  # fmt: skip


def _use(place: Place, asked: AskedUse | None) -> dict[str, MapUse] | None:
    if asked is None:
        return None
    return {place.names[name]: MapUse(*row) for name, row in asked.rows.items() if name in place.names}


def _outdated(place: Place, copies: list[Copies], maps: list[TextureMap]) -> set[str]:
    """Names of the copies that were made of other originals."""
    if place.scene is not None:
        return {each.name for each in copies if is_outdated(each)}
    now = {each.file: each.digest for each in maps}
    return {
        each.name for each in copies if any(now.get(row.file, row.original_digest) != row.original_digest
                                            for row in each.maps)
    }  # fmt: skip


def _facts(place: Place, seconds: float) -> tuple[list[TextureMap], dict[str, str], int]:
    end = time.monotonic() + seconds
    paths = {file: str((place.base / file).resolve()) for file in place.files}
    kept = {row.path: row for row in MapFacts.objects.filter(path__in=list(paths.values()))}
    maps: list[TextureMap] = []
    problems: dict[str, str] = {}
    unread = 0
    for file, path in paths.items():
        row = kept.get(path)
        try:
            state = (place.base / file).stat()
        except OSError:
            problems[file] = "no such file"
            continue
        if row is None or (row.changed_ns, row.size) != (state.st_mtime_ns, state.st_size):
            if time.monotonic() > end:
                unread += 1
                continue
            row = _read(place, file, path, {"changed_ns": state.st_mtime_ns, "size": state.st_size})
        if row.facts is None:
            problems[file] = row.problem
        else:
            maps.append(TextureMap(**{**row.facts, "file": file}))
    return maps, problems, unread


def _read(place: Place, file: str, path: str, state: dict[str, Any]) -> MapFacts:
    try:
        found: dict[str, Any] = {"facts": asdict(read_map(place.base, file)), "problem": ""}
    except PictureError as error:
        found = {"facts": None, "problem": error.problem}
    row, _ = MapFacts.objects.update_or_create(path=path, defaults=state | found)
    return row
