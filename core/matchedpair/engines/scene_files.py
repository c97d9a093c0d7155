"""Puts a scene and its textures into a folder, where an engine finds them."""

from __future__ import annotations

from collections.abc import Mapping
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
