"""Takes in what ``matchedpair import`` has handed over: one folder of the inbox at a time, between renders."""

from __future__ import annotations

import logging
import shutil
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings
from django.db import transaction
from matchedpair.elsewhere import plain_name
from matchedpair.elsewhere.intake import INBOX, MANIFEST
from matchedpair.errors import InputError
from matchedpair.plain_files import read_plain

from server.imports.actions import take_file
from server.imports.models import ImportSet

BEGUN = ".begun"
MOST_BYTES = 50_000_000
log = logging.getLogger("server.inbox")


def take_in_one() -> bool:
    """Take in the oldest folder of the inbox, file by file; False when there is none.

    Killed half-way, the folder is still there and goes on into the set that was begun. One that cannot be read is put
    aside. Raises `OSError` when the disk is full or cannot be written; it goes on later.
    """
    folder = waiting_folder()
    if folder is None:
        return False
    try:
        manifest = _manifest(folder)
    except (InputError, OSError) as error:
        log.warning("%s cannot be taken in: %s", folder.name, error)
        folder.rename(folder.with_name(f".refused-{folder.name}"))
        return True
    made = _begun(folder, manifest)
    there = set(made.renders.values_list("name", flat=True))
    for row in manifest.files:
        name = plain_name(row.name)
        if name not in there:  # was taken in before this was ended
            take_file(made, folder / Path(row.file).name, name, by_hand=row.values or None)
    shutil.rmtree(folder)
    return True


def waiting_folder() -> Path | None:
    """The oldest folder of the inbox; None when there is none."""
    inbox = Path(settings.HOME) / INBOX
    if not inbox.is_dir():
        return None
    return min((each for each in inbox.iterdir() if each.is_dir() and not each.name.startswith(".")), default=None)


class _File(msgspec.Struct):
    file: str
    name: str
    values: dict[str, Any] = {}


class _Manifest(msgspec.Struct):
    format: int
    title: str
    files: list[_File]
    transform: str = ""
    layer: str = ""
    times: dict[str, dict[str, Any]] = {}  # rows of a table that are about no picture here


def _manifest(folder: Path) -> _Manifest:
    """What the command wrote beside its files. Raises `InputError`."""
    contents = read_plain(folder / MANIFEST, MOST_BYTES)
    try:
        found = msgspec.json.decode(contents, type=_Manifest)
    except (msgspec.MsgspecError, RecursionError) as error:
        raise InputError(f"{MANIFEST}: {error}") from error
    if found.format != 1:
        raise InputError(f"format {found.format} is not known")
    return found


def _begun(folder: Path, manifest: _Manifest) -> ImportSet:
    """The set of this folder, begun now or before this was ended the last time."""
    noted = folder / BEGUN
    if noted.is_file() and (before := ImportSet.objects.filter(pk=noted.read_text(encoding="ascii")).first()):
        return before
    with transaction.atomic():  # noted before anybody sees it: ended in between, there is neither
        made = ImportSet.objects.create(
            title=manifest.title[:200], source="command", transform=manifest.transform[:200],
            layer=manifest.layer[:200], table=manifest.times,
        )  # fmt: skip
        noted.write_text(str(made.pk), encoding="ascii")
    return made
