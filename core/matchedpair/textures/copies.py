"""Reduced copies of maps, in a folder of their own beside the originals, which nothing here ever writes to.

A folder ``reduced-HASH`` holds the copies under their originals' names and a ``manifest.json``. It is written under
another name and renamed, so it is there whole or not at all. Deleting it undoes everything.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from matchedpair.errors import InputError, PictureError
from matchedpair.textures.maps import REDUCED, file_digest, opened_map, strips
from matchedpair.textures.plan import MapPlan, TexturePlan

FORMAT, KIND = 1, "reduced maps"
MANIFEST = "manifest.json"
Floats = NDArray[np.float32]


@dataclass(frozen=True)
class CopiedMap:
    """One reduced copy and what it was made from; digests are SHA-256 in hexadecimal."""

    file: str
    role: str
    divisor: int
    original_digest: str
    original_width: int
    original_height: int
    original_bytes: int
    digest: str
    width: int
    height: int
    channels: int
    bytes: int


@dataclass(frozen=True)
class Copies:
    """A folder of reduced copies; memory is that of all maps with their smaller copies, before and after."""

    name: str
    folder: Path
    maps: tuple[CopiedMap, ...]
    before_bytes: int
    after_bytes: int

    def title(self) -> str:
        """Such as ``Reduced maps, 33 to 12 MB``."""
        return f"Reduced maps, {self.before_bytes / 1e6:.3g} to {self.after_bytes / 1e6:.3g} MB"


def write_copies(base: Path, plan: TexturePlan) -> Copies:
    """Write the copies that a plan asks for; a set that is there already is given back.

    Raises
    ------
    InputError
        When the plan changes nothing, or the folder cannot be written.
    PictureError
        When an original cannot be read or is another than was planned for.
    """
    changed = [row for row in plan.maps if row.changes]
    if not changed:
        raise InputError("nothing is to be reduced: all maps stay as they are")
    made = None
    try:
        made = Path(tempfile.mkdtemp(prefix=f".{REDUCED}", dir=base))
        rows = [_copy(base, made, row) for row in changed]
        name = _named(rows)
        document = {
            "format": FORMAT, "kind": KIND, "before_bytes": plan.before_bytes, "after_bytes": plan.after_bytes,
            "maps": [asdict(row) for row in rows],
        }  # fmt: skip
        (made / MANIFEST).write_text(json.dumps(document, indent=1), encoding="utf-8")
        made.chmod(0o755)
        if not (base / name).exists():
            os.replace(made, base / name)  # noqa: PTH105 - fails where the target is there, as it should
        return _read(base / name)
    except OSError as error:
        raise InputError(f"the copies cannot be written beside the originals: {error.strerror}") from error
    finally:
        if made is not None:
            shutil.rmtree(made, ignore_errors=True)


def read_copies(base: Path) -> tuple[list[Copies], list[str]]:
    """The folders of reduced copies beside a folder's maps, by name, and what is wrong with others."""
    found, problems = [], []
    for folder in sorted(base.glob(f"{REDUCED}*")):
        try:
            found.append(_read(folder))
        except InputError as error:
            problems.append(str(error))
    return found, problems


def delete_copies(base: Path, name: str) -> None:
    """Delete one folder of reduced copies, its own files only. Raises `InputError` when it is none of ours."""
    copies = next((each for each in read_copies(base)[0] if each.name == name), None)
    if copies is None:
        raise InputError(f"there are no reduced copies {name!r} here")
    own = {*(row.file for row in copies.maps), MANIFEST}
    for path in copies.folder.rglob("*"):
        file = path.relative_to(copies.folder).as_posix()
        if not path.is_dir() and file not in own:
            raise InputError(f"{name} holds {file}, which is none of its copies; nothing was deleted")
    try:
        for file in own:
            (copies.folder / file).unlink(missing_ok=True)
        for folder in sorted((path for path in copies.folder.rglob("*") if path.is_dir()), reverse=True):
            folder.rmdir()
        copies.folder.rmdir()
    except OSError as error:
        raise InputError(f"{name}: not all of it could be deleted: {error.strerror}") from error


def _named(rows: Sequence[CopiedMap]) -> str:
    told = json.dumps([(row.file, row.original_digest, row.digest) for row in rows])
    return REDUCED + hashlib.sha256(told.encode()).hexdigest()[:8]


def _read(folder: Path) -> Copies:
    try:
        document = json.loads((folder / MANIFEST).read_text(encoding="utf-8"))
        rows = tuple(CopiedMap(**row) for row in document["maps"])
        if document["format"] != FORMAT or document["kind"] != KIND:
            raise ValueError("another format")
        copies = Copies(folder.name, folder, rows, int(document["before_bytes"]), int(document["after_bytes"]))
    except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
        raise InputError(f"{folder.name}: its manifest cannot be used: {error}") from error
    for row in rows:
        if not isinstance(row.file, str) or Path(row.file).is_absolute() or ".." in Path(row.file).parts:
            raise InputError(f"{folder.name}: its manifest names {row.file!r}, which is not below it")
        if not (folder / row.file).is_file():
            raise InputError(f"{folder.name}: {row.file} is missing; delete the folder and write the copies again")
    return copies


def _copy(base: Path, made: Path, row: MapPlan) -> CopiedMap:
    texture = row.texture
    if file_digest(base / texture.file, texture.file) != texture.digest:
        raise PictureError(texture.file, "was changed since it was looked at; look again")
    target = made / texture.file
    target.parent.mkdir(parents=True, exist_ok=True)
    width, height = row.size
    _write(target, reduce_map(base / texture.file, row), texture.file, base / texture.file)
    return CopiedMap(
        texture.file, row.role, row.divisor, texture.digest, texture.width, texture.height, texture.memory_bytes,
        file_digest(target, texture.file), width, height, row.channels, row.memory_bytes,
    )  # fmt: skip


def reduce_map(path: Path, row: MapPlan) -> NDArray[Any]:
    """The smaller map as its file will store it, (H, W, channels): each pixel the mean of those it stands for.

    Colours of integer files are averaged as light, by the sRGB curve (IEC 61966-2-1), everything else as it is;
    directions of a surface are brought back to unit length.
    """
    opened = opened_map(path, row.texture.file)
    try:
        stored = np.concatenate(list(strips(opened, row.texture.file, path)))
    finally:
        opened.close()
    kind = stored.dtype
    values: Floats = stored[..., : row.channels].astype(np.float32)
    if kind.kind == "u":
        values /= np.iinfo(kind).max
    lit = row.role == "colour" and kind.kind == "u"
    if lit:
        values[..., :3] = _to_light(values[..., :3])
    resized = cv2.resize(values, row.size, interpolation=cv2.INTER_AREA)
    small: Floats = np.asarray(resized, np.float32).reshape(row.size[1], row.size[0], -1)
    if lit:
        small[..., :3] = _from_light(small[..., :3])
    if row.texture.normals and row.role == "relief":
        vectors = small[..., :3] * 2.0 - 1.0
        vectors /= np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-6)
        small[..., :3] = vectors * 0.5 + 0.5
    if kind.kind == "u":
        most = np.iinfo(kind).max
        return np.asarray(np.clip(np.rint(small * most), 0, most).astype(kind))
    return np.asarray(small.astype(kind))


def _to_light(values: Floats) -> Floats:
    return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4).astype(np.float32)


def _from_light(values: Floats) -> Floats:
    return np.where(values <= 0.0031308, values * 12.92, 1.055 * values ** (1 / 2.4) - 0.055).astype(np.float32)


def _write(target: Path, values: NDArray[Any], file: str, original: Path) -> None:
    height, width, channels = values.shape
    kind = {"float16": "half", "float32": "float"}.get(str(values.dtype), str(values.dtype))
    spec = oiio.ImageSpec(width, height, channels, kind)
    spec.attribute("CompressionQuality", 98)
    spec.attribute("oiio:ColorSpace", _colour_space(original))
    out = oiio.ImageOutput.create(str(target))
    if out is None:
        raise PictureError(file, "pictures of this kind cannot be written here")
    done = out.open(str(target), spec) and out.write_image(np.ascontiguousarray(values))
    reason = out.geterror()
    out.close()
    if not done:
        raise PictureError(file, f"its copy cannot be written ({reason})")


def _colour_space(original: Path) -> str:
    opened = opened_map(original, original.name)
    found = str(opened.spec().get_string_attribute("oiio:ColorSpace"))
    opened.close()
    return found
