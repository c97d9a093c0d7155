"""Reads a scene: a JSON file of simple shapes, described in demo/scenes/README.md.

Lengths are metres, colours and radiances linear Rec.709, y is up.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

MATERIAL_KINDS = ("matte", "metal", "glass", "glow")
SHAPE_KINDS = ("sphere", "rectangle", "box")


class SceneError(Exception):
    """The scene file cannot be used; the message names the place in it and what was expected."""


@dataclass(frozen=True)
class View:
    """A camera: where it stands, what it looks at, and its vertical field of view in degrees."""

    position: tuple[float, float, float]
    look_at: tuple[float, float, float]
    field_of_view: float


@dataclass(frozen=True)
class Mist:
    """Evenly scattering air within a box: scattering events a metre, the share of light that each keeps, the box."""

    density: float
    albedo: float
    low: tuple[float, float, float]
    high: tuple[float, float, float]


CLEAR_AIR = Mist(0.0, 1.0, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))


@dataclass(frozen=True)
class SceneFile:
    """The checked contents of one scene file, still as plain dictionaries for materials and shapes."""

    name: str
    views: dict[str, View]
    sky_horizon: tuple[float, float, float]
    sky_zenith: tuple[float, float, float]
    materials: dict[str, dict[str, Any]]
    shapes: list[dict[str, Any]]
    mist: Mist = CLEAR_AIR
    maps: Mapping[str, Path] = field(default_factory=dict)  # image textures by name

    def view(self, name: str) -> View:
        """The named view. Raises `SceneError` listing the views there are."""
        if name not in self.views:
            raise SceneError(f"the scene has no view {name!r}; it has {', '.join(sorted(self.views))}")
        return self.views[name]


def read_json(path: Path) -> dict[str, Any]:
    """The scene's JSON object as it stands in the file. Raises `SceneError`."""
    try:
        raw = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise SceneError(f"cannot read scene {path}: {error.strerror}") from error
    except ValueError as error:
        raise SceneError(f"{path} is not JSON: {error}") from error
    if not isinstance(raw, dict) or raw.get("format") != 1:
        raise SceneError(f'{path}: expected an object with "format": 1')
    return raw


def checked(raw: dict[str, Any], folder: Path) -> SceneFile:
    """The checked contents of a scene's JSON object, whose textures lie in `folder`. Raises `SceneError`."""
    sky = _entry(raw, "sky", dict, "scene")
    materials = _entry(raw, "materials", dict, "scene")
    for name, material in materials.items():
        _check_kind(material, MATERIAL_KINDS, f"material {name!r}")
    shapes = _entry(raw, "shapes", list, "scene")
    for index, shape in enumerate(shapes):
        _check_kind(shape, SHAPE_KINDS, f"shape {index}")
        if shape.get("material") not in materials:
            raise SceneError(f"shape {index}: material {shape.get('material')!r} is not among the scene's materials")
    return SceneFile(
        name=str(raw.get("name", "scene")),
        views={name: _view(view, name) for name, view in _entry(raw, "views", dict, "scene").items()},
        sky_horizon=vector(sky, "horizon", "sky"),
        sky_zenith=vector(sky, "zenith", "sky"),
        materials=materials,
        shapes=shapes,
        mist=_mist(raw["mist"]) if "mist" in raw else CLEAR_AIR,
        maps={name: _map_file(row, name, folder) for name, row in raw.get("textures", {}).items()},
    )


def vector(owner: Mapping[str, Any], key: str, where: str) -> tuple[float, float, float]:
    """Three finite numbers at `key`. Raises `SceneError`."""
    value = owner.get(key)
    if not isinstance(value, list) or len(value) != 3:
        raise SceneError(f"{where}: {key!r} must be three numbers, got {value!r}")
    first, second, third = (_finite(v, key, where) for v in value)
    return first, second, third


def number(owner: Mapping[str, Any], key: str, where: str, default: float | None = None) -> float:
    """A finite number at `key`, or the default. Raises `SceneError`."""
    value = owner.get(key, default)
    return _finite(value, key, where)


def _finite(value: Any, key: str, where: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise SceneError(f"{where}: {key!r} must be a finite number, got {value!r}")
    return float(value)


def _entry(raw: Mapping[str, Any], key: str, kind: type, where: str) -> Any:
    value = raw.get(key)
    if not isinstance(value, kind) or not value:
        raise SceneError(f"{where}: {key!r} must be a non-empty {kind.__name__}")
    return value


def _check_kind(item: Any, kinds: tuple[str, ...], where: str) -> None:
    if not isinstance(item, dict) or item.get("kind") not in kinds:
        raise SceneError(f'{where}: "kind" must be one of {", ".join(kinds)}')


def _view(raw: Any, name: str) -> View:
    if not isinstance(raw, dict):
        raise SceneError(f"view {name!r} must be an object")
    where = f"view {name!r}"
    return View(
        vector(raw, "position", where), vector(raw, "look_at", where), number(raw, "field_of_view_degrees", where)
    )


def _map_file(raw: Any, name: str, folder: Path) -> Path:
    file = raw.get("file") if isinstance(raw, dict) else None
    if not isinstance(file, str) or Path(file).is_absolute() or ".." in Path(file).parts:
        raise SceneError(f'texture {name!r}: "file" must be a path below the scene\'s own folder, got {file!r}')
    return folder / file


def _mist(raw: Any) -> Mist:
    if not isinstance(raw, dict):
        raise SceneError('"mist" must be an object')
    return Mist(
        number(raw, "density_per_metre", "mist"), number(raw, "albedo", "mist", 1.0),
        vector(raw, "low", "mist"), vector(raw, "high", "mist"),
    )  # fmt: skip
