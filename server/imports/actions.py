"""What can be done with renders from elsewhere. A bad file never spoils the others, and nothing is half-written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from itertools import groupby
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from matchedpair.elsewhere import (
    Facts,
    NamePattern,
    Taken,
    facts_of,
    file_facts,
    header_facts,
    plain_name,
    read_table,
    row_for,
)
from matchedpair.elsewhere.columns import MEANINGS, alike_nowhere
from matchedpair.elsewhere.header import FileFacts
from matchedpair.elsewhere.intake import ENDINGS
from matchedpair.elsewhere.table import MOST_BYTES as MOST_TABLE_BYTES
from matchedpair.errors import InputError, MatchedPairError, PictureError
from matchedpair.plain_files import read_plain

from server.imports.models import ImportedRender, ImportSet
from server.imports.pairing import renew_costs
from server.store.files import NO_ROOM, keep_file, path_of
from server.store.uploads import ending_of, keep_light, upload_on_disk

MOST_FOLDER_FILES = 10_000
TABLES, MOST_TABLES = (".csv", ".json"), 20


def take_upload(import_set: ImportSet, upload: UploadedFile) -> ImportedRender:
    """Take one uploaded file in."""
    name = plain_name(upload.name or "")
    with upload_on_disk(upload, name) as path:
        return take_file(import_set, path, name)


def take_file(import_set: ImportSet, path: Path, name: str, by_hand: dict[str, Any] | None = None) -> ImportedRender:
    """Take one file in under a name; the same name again replaces what came before.

    A file that cannot be used is kept as a row with the reason, and without a picture. Raises `OSError` when the store
    cannot be written, which is no fault of the file.
    """
    row = ImportedRender(import_set=import_set, name=name, ending=ending_of(name))
    try:
        if row.ending not in ENDINGS:
            raise InputError(f"is no picture; expected a name that ends in {', '.join(ENDINGS)}")
        with suppress(PictureError):  # taking it in says why
            _set_storage(row, file_facts(path))
        if len(row.layers) > 1:  # though none may be known to be the picture: that is said later
            row.original = keep_file(path, row.ending)
        taken, picture = keep_light(path, import_set.transform, import_set.layer)
        row.original = row.original or keep_file(path, row.ending)
        _set_light(row, taken, picture)
        row.from_header = vars(_noting(row, "header", lambda: header_facts(path)))
    except (MatchedPairError, OSError) as error:
        if isinstance(error, OSError) and error.errno in NO_ROOM:
            raise
        row.problem = str(error)
    _read_beside(row, import_set)
    if by_hand:
        row.by_hand = vars(_noting(row, "what was said", lambda: facts_of(by_hand, "by hand")))
    kept = ImportedRender.objects.filter(import_set=import_set, name=name).first()
    if kept:
        row.pk, row.by_hand = kept.pk, row.by_hand or kept.by_hand
    row.save()
    return row


def change_set(import_set: ImportSet, **changes: Any) -> None:
    """Another title, pattern, table or transform; what the names and the table say is read again."""
    if changes.get("pattern"):
        NamePattern(changes["pattern"])  # raises before anything is written
    strange = [meant for meant in (changes.get("columns") or {}).values() if meant not in MEANINGS]
    if strange:
        raise InputError(f"{strange[0]!r} is nothing a column can mean; expected one of {', '.join(MEANINGS)}")
    if changes.get("watched"):
        changes["watched"] = str(allowed_folder(changes["watched"]))
    if changes.get("table") and "columns" not in changes:
        changes["columns"] = alike_nowhere(list(changes["table"].values())) | import_set.columns
    restated = any(name in changes and changes[name] != getattr(import_set, name) for name in ("transform", "layer"))
    for key, value in changes.items():
        setattr(import_set, key, value)
    with transaction.atomic():
        import_set.save()
        otherwise = []
        for row in import_set.renders.all():
            before = row.facts()
            _read_beside(row, import_set)
            row.save()
            if row.facts() != before:
                otherwise.append(row)
        renew_costs(otherwise)
    if restated:
        _take_again(list(import_set.renders.all()), import_set.transform, import_set.layer)


def fill_in(rows: Sequence[ImportedRender], values: dict[str, Any]) -> None:
    """Say by hand what is not known; an empty value takes back what was said. Raises `InputError`."""
    said = facts_of(values, "by hand")
    with transaction.atomic():
        for row in rows:
            fields = {k: v for k, v in row.by_hand.get("fields", {}).items() if k not in values} | dict(said.fields)
            old = row.by_hand.get("settings", {})
            changed = values.get("settings", {})
            options = {k: v for k, v in old.items() if k not in changed} | dict(said.settings)
            row.by_hand = vars(Facts(fields, options, dict.fromkeys([*fields, *options], "by hand")))
            row.save(update_fields=["by_hand"])
        renew_costs(rows)


def state_transform(rows: Sequence[ImportedRender], transform: str) -> None:
    """Say what display-encoded values went through, and undo it. Raises `InputError` for an unknown transform."""
    for layer, own in groupby(rows, lambda row: row.import_set.layer):
        _take_again(list(own), transform, layer)


def _take_again(rows: Sequence[ImportedRender], transform: str, layer: str) -> None:
    """Take files in anew from the store. One that has no such layer says so; another layer mends it."""
    for row in rows:
        if not row.original:
            continue
        try:
            _set_light(row, *keep_light(original_of(row), transform, layer))
            row.problem = ""
        except InputError as error:
            if len(row.layers) < 2:
                raise
            row.problem, row.picture = str(error), ""
        row.save()


def folder_files(folder: str) -> list[str]:
    """The pictures directly in a folder of this machine, as names. Raises `InputError` when it may not be read."""
    place = allowed_folder(folder)
    names = sorted(each.name for each in place.iterdir() if each.suffix.lower() in ENDINGS and each.is_file())
    if len(names) > MOST_FOLDER_FILES:
        raise InputError(f"the folder has {len(names)} pictures; the most at once is {MOST_FOLDER_FILES}")
    return names


def folder_tables(folder: str) -> list[str]:
    """The tables directly in a folder of this machine, those by commas first. Raises `InputError` as above."""
    place = allowed_folder(folder)
    found = [each.name for each in place.iterdir() if each.suffix.lower() in TABLES and each.is_file()]
    return sorted(found, key=lambda name: (not name.lower().endswith(".csv"), name))[:MOST_TABLES]


def take_table_from_folder(import_set: ImportSet, folder: str, name: str) -> None:
    """Take a table of a folder for what it says of the renders. Raises `InputError`."""
    place = allowed_folder(folder)
    if name not in folder_tables(folder) or not _inside(place, name):
        raise InputError(f"there is no table {plain_name(name)!r} in this folder")
    contents = read_plain(place / name, MOST_TABLE_BYTES)
    change_set(import_set, table=read_table(contents, plain_name(name)), table_name=plain_name(name))


def _inside(place: Path, name: str) -> bool:
    """Whether it lies in the folder, or is a link to something else that may be read."""
    return (place / name).resolve().is_relative_to(settings.IMPORT_ROOT or place)


def take_from_folder(import_set: ImportSet, folder: str, names: Sequence[str]) -> list[ImportedRender]:
    """Take some of a folder's pictures in. Raises `InputError` for a name that is not among them."""
    place, there = allowed_folder(folder), set(folder_files(folder))
    strange = [name for name in names if name not in there]
    if strange:
        raise InputError(f"there is no picture {plain_name(strange[0])!r} in this folder")
    linked = [name for name in names if not _inside(place, name)]
    if linked:
        raise InputError(f"{plain_name(linked[0])} is a link that leads out of the folder that may be read")
    return [take_file(import_set, place / name, plain_name(name)) for name in names]


def _set_storage(row: ImportedRender, facts: FileFacts) -> None:
    row.storage, row.layers = facts.storage, list(facts.layers)


def _set_light(row: ImportedRender, taken: Taken, picture: str) -> None:
    row.width, row.height = taken.picture.size
    row.picture, row.encoding, row.transform = picture, taken.encoding, taken.transform
    row.checks = [check.row() for check in taken.checks]


def allowed_folder(folder: str) -> Path:
    """The folder, when it lies within the one that the operator allows."""
    root = settings.IMPORT_ROOT
    if root is None:
        raise InputError("in shared use the operator must set MATCHEDPAIR_IMPORTS to the folder that may be read")
    try:
        place = Path(folder).expanduser() if folder else root
        place = (place if place.is_absolute() else root / place).resolve()
    except (OSError, ValueError, RuntimeError) as error:  # too long, a NUL, a circle of links, somebody's unknown home
        raise InputError("this is no name of a folder on the server's machine") from error
    if not place.is_relative_to(root):
        raise InputError(f"only folders within {root} may be read; MATCHEDPAIR_IMPORTS changes that")
    if not place.is_dir():
        raise InputError("there is no such folder on the server's machine")
    return place


def _read_beside(row: ImportedRender, import_set: ImportSet) -> None:
    """What the name and the table say; a misfit is noted and spoils nothing else."""
    row.notes = [note for note in row.notes if note.startswith("header")]
    row.from_name, row.from_table = {}, {}
    if import_set.pattern:
        found = _noting(row, "name", lambda: NamePattern(import_set.pattern).read(row.name) or Facts())
        row.from_name = vars(found)
    if import_set.table:
        row.from_table = vars(_noting(row, "table", lambda: row_for(import_set.table, row.name, import_set.columns)))


def _noting(row: ImportedRender, where: str, read: Callable[[], Facts]) -> Facts:
    try:
        found = read()
    except InputError as error:
        row.notes = [*row.notes, f"{where}: {error}"]
        return Facts()
    return Facts(dict(found.fields), dict(found.settings), dict(found.sources))


def original_of(row: ImportedRender) -> Path:
    path = path_of(row.original, row.ending)
    if not path.is_file():
        raise InputError(f"{row.name}: the original file is no longer in the store")
    return path
