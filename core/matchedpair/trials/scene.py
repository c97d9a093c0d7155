"""What a study needs to know of a scene file: its name, its views, and what it stresses. Engines read the rest."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError


@dataclass(frozen=True)
class SceneView:
    """A camera of the scene."""

    name: str
    title: str


@dataclass(frozen=True)
class Scene:
    """A scene at one revision; ``revision`` is the hash of the file's contents, in hexadecimal."""

    name: str
    title: str
    about: str
    stresses: tuple[str, ...]
    views: tuple[SceneView, ...]
    revision: str
    contents: bytes

    def has_view(self, name: str) -> bool:
        """Whether there is a view of this name."""
        return any(view.name == name for view in self.views)


def read_scene(path: Path) -> Scene:
    """Read a scene file's description. Raises `InputError` naming the file and what was expected."""
    try:
        contents = path.read_bytes()
        raw = json.loads(contents)
    except OSError as error:
        raise InputError(f"{path.name}: cannot be read: {error.strerror}") from error
    except ValueError as error:
        raise InputError(f"{path.name}: is not JSON: {error}") from error
    if not isinstance(raw, dict) or raw.get("format") != 1:
        raise InputError(f'{path.name}: expected an object with "format": 1')
    views = raw.get("views")
    if not isinstance(views, dict) or not views:
        raise InputError(f'{path.name}: expected "views", an object with at least one view')
    stresses = raw.get("stresses", [])
    if not isinstance(stresses, list):
        raise InputError(f'{path.name}: expected "stresses" to be a list of texts')
    return Scene(
        name=_text(raw, "name", path.stem),
        title=_text(raw, "title", path.stem),
        about=_text(raw, "about", ""),
        stresses=tuple(str(item) for item in stresses),
        views=tuple(SceneView(name, _view_title(name, view)) for name, view in views.items()),
        revision=hashlib.sha256(contents).hexdigest(),
        contents=contents,
    )


def read_scenes(folder: Path) -> tuple[list[Scene], list[str]]:
    """All scenes in a folder by name, and what is wrong with the files that cannot be used."""
    scenes: dict[str, Scene] = {}
    problems: list[str] = []
    for path in sorted(folder.glob("*.json")):
        try:
            scene = read_scene(path)
            scenes[scene.name] = scene
        except InputError as error:
            problems.append(str(error))
    return [scenes[name] for name in sorted(scenes)], problems


def _text(raw: dict[str, Any], key: str, default: str) -> str:
    return str(raw.get(key) or default)


def _view_title(name: str, view: Any) -> str:
    return _text(view, "title", name) if isinstance(view, dict) else name
