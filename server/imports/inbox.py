"""Takes in what ``matchedpair import`` has handed over: one folder of the inbox at a time, between renders."""

from __future__ import annotations

import json
import logging
import shutil
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from matchedpair.elsewhere import plain_name
from matchedpair.elsewhere.intake import INBOX, MANIFEST
from matchedpair.errors import InputError

from server.imports.actions import take_file
from server.imports.models import ImportSet

log = logging.getLogger("server.inbox")


def take_in_one() -> bool:
    """Take in the oldest folder of the inbox, all of it in one transaction; False when there is none.

    Killed half-way, the folder is still there and is taken in from the start. One that cannot be read is put aside.
    """
    folder = waiting_folder()
    if folder is None:
        return False
    try:
        with transaction.atomic():
            _take_in(folder)
        shutil.rmtree(folder)
    except (InputError, ValueError, KeyError, TypeError, OSError) as error:
        log.warning("%s cannot be taken in: %s", folder.name, error)
        folder.rename(folder.with_name(f".refused-{folder.name}"))
    return True


def waiting_folder() -> Path | None:
    """The oldest folder of the inbox; None when there is none."""
    inbox = Path(settings.HOME) / INBOX
    if not inbox.is_dir():
        return None
    return min((each for each in inbox.iterdir() if each.is_dir() and not each.name.startswith(".")), default=None)


def _take_in(folder: Path) -> None:
    manifest: dict[str, Any] = json.loads((folder / MANIFEST).read_text(encoding="utf-8"))
    if manifest.get("format") != 1:
        raise InputError(f"format {manifest.get('format')!r} is not known")
    made = ImportSet.objects.create(
        title=str(manifest["title"])[:200], source="command", transform=str(manifest.get("transform", ""))[:200]
    )
    for row in manifest["files"]:
        path = folder / Path(str(row["file"])).name
        take_file(made, path, plain_name(str(row["name"])), by_hand=row.get("values"))
