"""Reads a table that lies beside the renders, CSV or JSON: which picture each row is about, and what else it says."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Mapping
from pathlib import PurePath
from typing import Any

from matchedpair.elsewhere.columns import FILE, proposed, read_by
from matchedpair.elsewhere.facts import Facts, facts_of
from matchedpair.errors import InputError
from matchedpair.plain_files import parsed_json

MOST_BYTES, MOST_ROWS = 5_000_000, 100_000
PLACE = re.compile(r"\(row \d+\)")


def read_table(contents: bytes, name: str, file_column: str = "") -> dict[str, Mapping[str, Any]]:
    """Rows by file name, as they stand there. Raises `InputError` naming the table and what was expected.

    JSON is a list of objects, or an object of objects by file name. `file_column` says which column names the picture;
    without it that is found by its name or its values. A row that names no picture stands under ``(row 3)``, by its
    place: it can count for time alone.
    """
    if len(contents) > MOST_BYTES:
        raise InputError(f"{name}: is larger than {MOST_BYTES} bytes")
    try:
        text = contents.decode("utf-8-sig")
        rows = _json_rows(text, name) if name.lower().endswith(".json") else list(csv.DictReader(io.StringIO(text)))
    except (UnicodeDecodeError, ValueError, csv.Error) as error:
        raise InputError(f"{name}: cannot be read: {error}") from error
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise InputError(f"{name}: expected a list of objects, or an object of objects by file name")
    if len(rows) > MOST_ROWS:
        raise InputError(f"{name}: has {len(rows)} rows; the most is {MOST_ROWS}")
    columns = list(dict.fromkeys(str(key) for row in rows for key in row if key is not None))
    column = file_column or next((each for each, meant in proposed(columns, rows).items() if meant == FILE), "")
    if column not in columns:
        raise InputError(f"{name}: no column says which picture a row is about; its columns are {', '.join(columns)}")
    found: dict[str, Mapping[str, Any]] = {}
    for index, row in enumerate(rows):
        file = row.get(column)
        key = _base(file) if isinstance(file, str) else ""
        found[key or f"(row {index + 1})"] = {key: value for key, value in row.items() if key not in (column, None)}
    return found


def columns_of(rows: Mapping[str, Mapping[str, Any]]) -> list[str]:
    """The columns of a table that was read, but for the one that names the picture."""
    return list(dict.fromkeys(str(key) for row in rows.values() for key in row))


def row_for(rows: Mapping[str, Mapping[str, Any]], name: str, meanings: Mapping[str, str] | None = None) -> Facts:
    """What the table says of a picture, by its name with or without its ending.

    `meanings` tells what columns mean; those that it leaves out mean what is proposed. Raises `InputError`.
    """
    row = rows.get(_base(name)) or rows.get(PurePath(_base(name)).stem)
    return facts_of_row(row, meanings) if row else Facts()


def facts_of_row(row: Mapping[str, Any], meanings: Mapping[str, str] | None = None) -> Facts:
    """What a row says; see `row_for`. Raises `InputError`."""
    return facts_of(read_by(row, {**proposed(list(row)), **(meanings or {})}), "table")


def names_picture(key: str) -> bool:
    """Whether a row of a table that was read, known by its key, names a picture."""
    return not PLACE.fullmatch(key)


def rows_without(rows: Mapping[str, Mapping[str, Any]], names: Iterable[str]) -> dict[str, Mapping[str, Any]]:
    """The rows that are about none of these pictures."""
    here = {form for name in names for form in (_base(name), PurePath(_base(name)).stem)}
    return {key: row for key, row in rows.items() if key not in here}


def _json_rows(text: str, name: str) -> Any:
    raw = parsed_json(text, name)
    if isinstance(raw, dict):
        return [{**row, FILE: file} if isinstance(row, dict) else None for file, row in raw.items()]
    return raw


def _base(file: str) -> str:
    return file.replace("\\", "/").rpartition("/")[2].strip()
