"""Reduced copies of maps, in a folder of their own beside the originals, which nothing here ever writes to.

A folder ``reduced-HASH`` holds the copies under their originals' names and a ``manifest.json``. Deleting it undoes
everything.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from matchedpair.errors import InputError
from matchedpair.plain_files import parsed_json, read_plain
from matchedpair.textures.maps import REDUCED, is_below
from matchedpair.textures.plan import TexturePlan

FORMAT, KIND = 1, "reduced maps"
MANIFEST = "manifest.json"
MOST_BYTES = 64_000_000


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

    def made_by(self, plan: TexturePlan) -> bool:
        """Whether these are what a plan asks for."""
        made = {(row.file, row.original_digest, row.role, row.divisor, row.channels) for row in self.maps}
        return made == {row.copy_key for row in plan.changed}

    def title(self) -> str:
        """Such as ``Reduced maps, 33 to 12 MB``."""
        return f"Reduced maps, {self.before_bytes / 1e6:.3g} to {self.after_bytes / 1e6:.3g} MB"


def read_copies(base: Path) -> tuple[list[Copies], list[str]]:
    """The folders of reduced copies beside a folder's maps, by name, and what is wrong with others."""
    found, problems = [], []
    for folder in sorted(base.glob(f"{REDUCED}*")):
        try:
            found.append(read_folder(folder))
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


def read_folder(folder: Path) -> Copies:
    """One folder of reduced copies. Raises `InputError` when it is none, or not whole."""
    try:
        document = parsed_json(read_plain(folder / MANIFEST, MOST_BYTES), MANIFEST)
        rows = tuple(CopiedMap(**row) for row in document["maps"])
        if document["format"] != FORMAT or document["kind"] != KIND:
            raise ValueError("another format")
        copies = Copies(folder.name, folder, rows, int(document["before_bytes"]), int(document["after_bytes"]))
    except (InputError, ValueError, KeyError, TypeError) as error:
        raise InputError(f"{folder.name}: its manifest cannot be used: {error}") from error
    for row in rows:
        if not is_below(row.file):
            raise InputError(f"{folder.name}: its manifest names {row.file!r}, which is not below it")
        if not (folder / row.file).is_file():
            raise InputError(f"{folder.name}: {row.file} is missing; delete the folder and write the copies again")
    return copies
