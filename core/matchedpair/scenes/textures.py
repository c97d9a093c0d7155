"""The image textures of a scene: which files, at which contents, and the reduced copies that lie beside them."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from os.path import commonpath
from pathlib import Path, PurePosixPath
from typing import Any

from matchedpair.errors import InputError, PictureError
from matchedpair.scenes.digests import BeingReadError, digest_of, digests_of
from matchedpair.textures import Copies, read_copies
from matchedpair.textures.maps import is_below

TEXTURES = "textures"


@dataclass(frozen=True)
class SceneTexture:
    """A texture by its name in the scene: the file below the scene's folder, and the SHA-256 of its contents."""

    name: str
    file: str
    digest: str


def with_digests(raw: dict[str, Any], folder: Path, scene_file: str) -> dict[str, Any]:
    """The scene's JSON with the hash of each texture file in it, so that a revision covers its textures too.

    Raises `InputError` naming the scene's file when a texture is missing or lies outside its folder.
    """
    table = raw[TEXTURES]
    if not isinstance(table, dict) or not all(isinstance(row, dict) for row in table.values()):
        raise InputError(f'{scene_file}: expected "{TEXTURES}", an object of objects')
    files = {name: folder / _below(row.get("file"), f"{scene_file}: {TEXTURES}.{name}") for name, row in table.items()}
    try:
        digests = digests_of(files)
    except BeingReadError as error:
        raise BeingReadError(f"{scene_file}: {error}") from error
    for name, file in files.items():
        if name not in digests:
            problem = "cannot be read" if file.exists() else "no such file"
            raise InputError(f"{scene_file}: texture {name!r}: {file.name}: {problem}")
    return {**raw, TEXTURES: {name: {**row, "sha256": digests[name]} for name, row in table.items()}}


def textures_of(raw: Mapping[str, Any], scene_file: str) -> tuple[SceneTexture, ...]:
    """The textures of a scene that was given its digests. Raises `InputError`."""
    found = []
    for name, row in raw.get(TEXTURES, {}).items():
        where = f"{scene_file}: {TEXTURES}.{name}"
        if not isinstance(row, dict) or not isinstance(row.get("sha256"), str):
            raise InputError(f'{where}: expected "file" and "sha256"')
        found.append(SceneTexture(name, _below(row.get("file"), where), row["sha256"]))
    return tuple(found)


def textures_base(textures: tuple[SceneTexture, ...]) -> str:
    """The folder, below the scene's own, that all its textures lie in."""
    parents = [str(PurePosixPath(each.file).parent) for each in textures]
    return commonpath(parents) if parents else "."


def maps_of(textures: tuple[SceneTexture, ...], folder: Path) -> tuple[Path, dict[str, str]]:
    """Of a scene in a folder: where all its maps lie, and below that by each name of a texture its file."""
    base = folder / textures_base(textures)
    return base, {each.name: (folder / each.file).relative_to(base).as_posix() for each in textures}


def copies_of(textures: tuple[SceneTexture, ...], folder: Path) -> list[Copies]:
    """The reduced copies beside a scene's textures that still fit their originals."""
    base = folder / textures_base(textures)
    return [each for each in read_copies(base)[0] if not is_outdated(each)]


def replaced_by(copies: Copies, textures: tuple[SceneTexture, ...]) -> dict[str, SceneTexture]:
    """By the scene's own file, the copy that takes its place."""
    base = PurePosixPath(textures_base(textures))
    names = {each.file: each.name for each in textures}
    return {
        file: SceneTexture(names[file], str(base / copies.name / row.file), row.digest)
        for row in copies.maps
        if (file := str(base / row.file)) in names
    }


def is_outdated(copies: Copies) -> bool:
    """Whether an original of these copies is another by now, or gone."""
    base = copies.folder.parent
    try:
        return any(digest_of(base / row.file) != row.original_digest for row in copies.maps)
    except PictureError:
        return True


def _below(file: Any, where: str) -> str:
    if not is_below(file):
        raise InputError(f'{where}: "file" must be a path below the scene\'s own folder, got {file!r}')
    return file


def as_contents(raw: Mapping[str, Any]) -> bytes:
    """A scene's JSON as bytes, the same for the same scene."""
    return json.dumps(raw, indent=1, ensure_ascii=False).encode()
