"""Puts a scene and what belongs to it where an engine finds them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from matchedpair.errors import InputError


def lay_out(folder: Path, name: str, contents: bytes, textures: Mapping[str, Path | bytes]) -> Path:
    """Write the scene's file into a folder, and each texture at its own path below; a stored one is linked, not copied.

    Parameters
    ----------
    textures : mapping
        By the path that the scene names, the file or its bytes.

    Returns
    -------
    Path
        The scene's file.

    Raises
    ------
    InputError
        When a texture would lie outside the folder, or is not stored any more.
    """
    scene = folder / f"{name}.json"
    scene.write_bytes(contents)
    for file, stored in textures.items():
        target = folder / file
        if not target.resolve().is_relative_to(folder.resolve()):
            raise InputError(f"texture {file!r} does not lie below its scene")
        target.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(stored, bytes):
            target.write_bytes(stored)
        elif stored.is_file():
            target.symlink_to(stored.resolve())
        else:
            raise InputError(f"texture {file!r} is not among the kept files; bring the scene in again")
    return scene


@dataclass(frozen=True)
class OwnFiles:
    """A scene in the engine's own format: the file to render and all that belong to it, by path below a folder.

    `gathers` tells whether they are put into the render's own folder; otherwise they are used where they lie.
    """

    root: str
    file: str
    all_files: Sequence[str]
    gathers: bool


def placed(folder: Path, own: OwnFiles) -> Path:
    """The file to hand to the engine. Raises `InputError` when it is not on this machine."""
    root = Path(own.root)
    if not (root / own.file).is_file():
        raise InputError(f"{own.file} is not on this machine; a scene's files must lie at the same place on each")
    if not own.gathers:
        return root / own.file
    for name in own.all_files:
        target = folder / "scene" / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.symlink_to((root / name).resolve())
    return folder / "scene" / own.file
