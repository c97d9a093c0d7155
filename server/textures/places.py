"""Where maps lie that can be planned: the scenes' textures, and folders below the operator's folder of textures."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from django.conf import settings
from matchedpair.errors import InputError
from matchedpair.scenes import Scene, read_scenes
from matchedpair.scenes.textures import maps_of
from matchedpair.textures.maps import ENDINGS, REDUCED, find_maps

from server.catalogue.scenes import scene_named

SCENE, FOLDER = "scene:", "folder:"
MOST_FOLDERS, MOST_DEPTH = 200, 4


@dataclass(frozen=True)
class Place:
    """Maps that are planned together: a scene's, or those of a folder.

    Parameters
    ----------
    base : Path
        The folder that all of them lie in or below.
    names : dict
        For a scene: by the name that it gives a texture, the file below `base`.
    """

    key: str
    title: str
    base: Path
    files: tuple[str, ...]
    names: dict[str, str]
    scene: Scene | None


def places_now() -> list[tuple[str, str, int]]:
    """Key, title and number of maps of all places."""
    scenes, _ = read_scenes(settings.SCENES)
    found = [(SCENE + scene.name, scene.title, len(scene.textures)) for scene in scenes if scene.textures]
    root = settings.TEXTURES
    for folder in _folders(root, root, MOST_DEPTH):
        count = sum(1 for path in folder.iterdir() if path.suffix.lower() in ENDINGS)
        if count:
            found.append((FOLDER + folder.relative_to(root).as_posix(), f"Folder {_shown(folder, root)}", count))
        if len(found) >= MOST_FOLDERS:
            break
    return found


def place_named(key: str) -> Place:
    """Raises `InputError` for what is neither a scene with textures nor a folder below the operator's."""
    if key.startswith(SCENE):
        scene = scene_named(key.removeprefix(SCENE))
        if not scene.textures or scene.folder is None:
            raise InputError(f"{scene.title} has no textures")
        base, names = maps_of(scene.textures, scene.folder)
        return Place(key, scene.title, base, tuple(sorted(set(names.values()))), names, scene)
    if not key.startswith(FOLDER):
        raise InputError(f"{key!r} is neither a scene nor a folder")
    root = Path(settings.TEXTURES)
    try:
        folder = (root / key.removeprefix(FOLDER)).resolve()
    except (OSError, ValueError, RuntimeError) as error:
        raise InputError("this is no name of a folder") from error
    if not folder.is_relative_to(root):
        raise InputError("the folder lies outside the folder of textures")
    return Place(key, f"Folder {_shown(folder, root)}", folder, tuple(find_maps(folder)), {}, None)


def _shown(folder: Path, root: Path) -> str:
    return folder.name if folder == root else folder.relative_to(root).as_posix()


def _folders(folder: Path, root: Path, depth: int) -> Iterator[Path]:
    if not folder.is_dir():
        return
    yield folder
    if depth == 0:
        return
    for path in sorted(folder.iterdir()):
        if path.is_dir() and not path.is_symlink() and not path.name.startswith((".", REDUCED)):
            yield from _folders(path, root, depth - 1)
