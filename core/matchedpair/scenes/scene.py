"""What a study needs to know of a scene file: views, frames, variants, quantities, and what it stresses.

Engines read the rest. The format is described in demo/scenes/README.md.
"""

from __future__ import annotations

import difflib
import hashlib
import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import MEASURE, POLYGON, RECTANGLE, DrawnZone, parse_zone
from matchedpair.plain_files import as_text, parsed_json, parsed_toml, read_plain
from matchedpair.scenes.own_format import SceneFiles, files_of, with_hashes
from matchedpair.scenes.textures import (
    TEXTURES,
    SceneTexture,
    as_contents,
    copies_of,
    replaced_by,
    textures_of,
    with_digests,
)

AS_IS = "as-is"
DESCRIBED = 2  # a description of files that only engines understand
DESCRIBED_KEYS = {
    "format", "name", "title", "about", "root", "file", "files", "depends", "views", "frames", "variants",
    "quantities", "stresses",
}  # fmt: skip
MOST_BYTES = 64 * 1024 * 1024
NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]{0,79}")
Item = TypeVar("Item")


@dataclass(frozen=True)
class SceneView:
    """A camera of the scene, and the zones that its description draws on it."""

    name: str
    title: str
    zones: tuple[DrawnZone, ...] = ()


@dataclass(frozen=True)
class SceneVariant:
    """The scene with something changed to isolate a cause; `textures` are reduced copies by the file whose place
    they take; there are none in a variant that the engine makes itself.
    """

    name: str
    title: str
    about: str
    textures: Mapping[str, SceneTexture] = field(default_factory=dict)


@dataclass(frozen=True)
class SceneQuantity:
    """A number of the scene that a study may vary, such as a light's distance or a surface's roughness."""

    name: str
    title: str
    unit: str
    minimum: float
    maximum: float
    default: float

    def problem_with(self, value: Any) -> str | None:
        """What is wrong with a value, in words; None when it fits."""
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            return f"must be a number, got {value!r}"
        if not self.minimum <= value <= self.maximum:
            return f"must be between {self.minimum:g} and {self.maximum:g} {self.unit}".rstrip() + f", got {value:g}"
        return None


@dataclass(frozen=True)
class Scene:
    """A scene at one revision: the hash, in hexadecimal, of its contents. These are the file's own, or, where it has
    image textures, the file's with the hash of each texture in it.
    """

    name: str
    title: str
    about: str
    stresses: tuple[str, ...]
    views: tuple[SceneView, ...]
    variants: tuple[SceneVariant, ...]
    quantities: tuple[SceneQuantity, ...]
    first_frame: int
    last_frame: int
    revision: str
    contents: bytes
    textures: tuple[SceneTexture, ...] = ()
    folder: Path | None = None
    files: SceneFiles | None = None

    def has_view(self, name: str) -> bool:
        """Whether there is a view of this name."""
        return any(view.name == name for view in self.views)

    def view_problem(self, name: str) -> str:
        """What is wrong with a view of this name, in words; empty when there is one."""
        known = ", ".join(view.name for view in self.views)
        return "" if self.has_view(name) else f"{self.title} has no view {name!r}; it has {known}"

    @property
    def root(self) -> Path | None:
        """The folder that the files of a scene in its engines' own format lie below, in full; None for all others, and
        for one that is not here.
        """
        return None if self.files is None or self.folder is None else (self.folder / self.files.root).absolute()

    def handed_over(self, view: str, variant: str) -> dict[str, str]:
        """What its description hands to an engine for a view and a variant, by placeholder."""
        return {} if self.files is None else self.files.handed_over(view, variant)

    def drawn_as(self, variant: str) -> str:
        """The variant that an engine is asked for: as is, where only textures are replaced, or it is another file or
        values that are handed over.
        """
        if self.files is not None and (variant in self.files.by_variant or self.handed_over("", variant)):
            return AS_IS
        return AS_IS if any(each.textures for each in self.variants if each.name == variant) else variant

    def problem_for(self, engine: str, variant: str) -> str:
        """Why an engine cannot render it; empty where it can, as far as is known."""
        if self.files is None:
            return ""
        if not self.files.file_for(engine, variant):
            return f"{self.title} has no file for {engine}; name one under files in its description"
        return self.files.problem()

    def quantity(self, name: str) -> SceneQuantity | None:
        """The named quantity, if the scene declares it."""
        return next((quantity for quantity in self.quantities if quantity.name == name), None)


def read_scene(path: Path) -> Scene:
    """Read a scene file's description. Raises `InputError` naming the file and what was expected."""
    contents = read_plain(path, MOST_BYTES)
    toml = path.suffix == ".toml"
    raw = parsed_toml(as_text(contents, path.name), path.name) if toml else parsed_json(contents, path.name)
    if isinstance(raw, dict) and raw.get("format") == DESCRIBED:
        return _described(raw, path)
    if not isinstance(raw, dict) or TEXTURES not in raw:
        return replace(parse_scene(raw, contents, path.name), folder=path.parent)
    raw = with_digests(raw, path.parent, path.name)
    scene = replace(parse_scene(raw, as_contents(raw), path.name), folder=path.parent)
    reduced = (
        SceneVariant(
            each.name,
            each.title(),
            f"{len(each.maps)} maps of this scene's textures replaced by smaller copies.",
            replaced_by(each, scene.textures),
        )
        for each in copies_of(scene.textures, path.parent)
    )
    return replace(scene, variants=(*scene.variants, *(each for each in reduced if each.textures)))


def _described(raw: dict[str, Any], path: Path) -> Scene:
    """A scene in its engines' own formats. Raises `InputError`."""
    unknown = next((key for key in raw if key not in DESCRIBED_KEYS), None)
    if unknown is not None:
        near = difflib.get_close_matches(unknown, sorted(DESCRIBED_KEYS), 1)
        meant = f"did you mean {near[0]}?" if near else f"expected some of {', '.join(sorted(DESCRIBED_KEYS))}"
        raise InputError(f"{path.name}: {unknown} is not known; {meant}")
    hashed = with_hashes(raw, files_of(raw, path.parent, path.name))
    try:
        contents = as_contents(hashed)
    except TypeError as error:  # a date, which is no JSON
        raise InputError(f"{path.name}: {error}") from error
    return replace(parse_scene(hashed, contents, path.name), folder=path.parent)


def parse_scene(raw: Any, contents: bytes, file: str) -> Scene:
    """A scene from its parsed JSON, in which textures have digests; `file` names it in errors. Raises `InputError`."""
    if not isinstance(raw, dict) or raw.get("format") not in (1, DESCRIBED):
        raise InputError(f'{file}: expected an object with "format": 1')
    stem = file.removesuffix(".json").removesuffix(".toml").removesuffix(".scene")
    views = _table(raw, "views", file, lambda name, row, where: SceneView(
        name, _text(row, "title", name), _table(row, "zones", where, _zone)
    ))  # fmt: skip
    if not views:
        raise InputError(f'{file}: expected "views", an object with at least one view')
    stresses = raw.get("stresses", [])
    if not isinstance(stresses, list) or not all(isinstance(item, str) for item in stresses):
        raise InputError(f'{file}: expected "stresses" to be a list of texts')
    first, last = _frames(raw, file)
    name = _text(raw, "name", stem)
    if not NAME.fullmatch(name):
        raise InputError(f'{file}: "name": expected letters, digits, dots, hyphens and underscores, got {name!r}')
    return Scene(
        name=name,
        title=_text(raw, "title", stem),
        about=_text(raw, "about", ""),
        stresses=tuple(stresses),
        views=views,
        variants=(
            SceneVariant(AS_IS, "As is", "Nothing changed."),
            *_table(raw, "variants", file, lambda name, row, _: SceneVariant(
                name, _text(row, "title", name), _text(row, "about", "")
            )),
        ),
        quantities=_table(raw, "quantities", file, _quantity),
        first_frame=first,
        last_frame=last,
        revision=hashlib.sha256(contents).hexdigest(),
        contents=contents,
        textures=textures_of(raw, file) if raw.get(TEXTURES) else (),
        files=files_of(raw, None, file) if raw["format"] == DESCRIBED else None,
    )  # fmt: skip


def read_scenes(folder: Path) -> tuple[list[Scene], list[str]]:
    """All scenes in a folder by name, and what is wrong with the files that cannot be used."""
    scenes: dict[str, Scene] = {}
    problems: list[str] = []
    for path in sorted([*folder.glob("*.json"), *folder.glob("*.scene.toml")]):
        try:
            scene = read_scene(path)
            if scene.name in scenes:
                raise InputError(f"{path.name}: the name {scene.name!r} is taken by another file here")
            scenes[scene.name] = scene
        except InputError as error:
            problems.append(str(error))
    return [scenes[name] for name in sorted(scenes)], problems


def _text(raw: dict[str, Any], key: str, default: str) -> str:
    return str(raw.get(key) or default)


def _table(
    raw: dict[str, Any], key: str, file: str, read: Callable[[str, dict[str, Any], str], Item]
) -> tuple[Item, ...]:
    table = raw.get(key, {})
    if not isinstance(table, dict) or not all(isinstance(row, dict) for row in table.values()):
        raise InputError(f'{file}: expected "{key}", an object of objects')
    return tuple(read(name, row, f"{file}: {key}.{name}") for name, row in table.items())


def _quantity(name: str, row: dict[str, Any], where: str) -> SceneQuantity:
    numbers = []
    for key in ("minimum", "maximum", "default"):
        value = row.get(key)
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise InputError(f"{where}: {key!r} must be a number, got {value!r}")
        numbers.append(float(value))
    quantity = SceneQuantity(name, _text(row, "title", name), _text(row, "unit", ""), *numbers)
    problem = quantity.problem_with(quantity.default)
    if problem:
        raise InputError(f"{where}: 'default' {problem}")
    return quantity


def _zone(name: str, row: dict[str, Any], where: str) -> DrawnZone:
    """Two corners are a rectangle, more a polygon."""
    points = row.get("points")
    shape = RECTANGLE if isinstance(points, list) and len(points) == 2 else POLYGON
    try:
        return parse_zone(name, row.get("kind", MEASURE), shape, points)
    except InputError as error:
        raise InputError(f"{where}: {error}") from error


def _frames(raw: dict[str, Any], file: str) -> tuple[int, int]:
    frames = raw.get("frames", [1, 1])
    whole = isinstance(frames, list) and len(frames) == 2 and all(type(frame) is int for frame in frames)
    if not whole or frames[0] > frames[1]:
        raise InputError(f'{file}: expected "frames" to be first and last, such as [1, 24], got {frames!r}')
    return frames[0], frames[1]
