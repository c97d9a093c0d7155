"""Reads a table that lies beside the renders: CSV with a ``file`` column, or JSON."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from pathlib import PurePath
from typing import Any

from matchedpair.elsewhere.facts import Facts, facts_of
from matchedpair.errors import InputError
from matchedpair.plain_files import parsed_json

MOST_BYTES, MOST_ROWS = 5_000_000, 100_000
FILE = "file"


def read_table(contents: bytes, name: str) -> dict[str, Mapping[str, Any]]:
    """Rows by file name. Raises `InputError` naming the table and what was expected.

    JSON is a list of objects with ``file``, or an object of objects by file name.
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
    found: dict[str, Mapping[str, Any]] = {}
    for index, row in enumerate(rows):
        file = row.get(FILE)
        if not isinstance(file, str) or not file.strip():
            raise InputError(f"{name}: row {index + 1} has no {FILE!r}; each row must say which picture it is about")
        found[_base(file)] = {key: value for key, value in row.items() if key not in (FILE, None)}
    return found


def row_for(rows: Mapping[str, Mapping[str, Any]], name: str) -> Facts:
    """What the table says of a picture, by its name with or without its ending. Raises `InputError`."""
    row = rows.get(_base(name)) or rows.get(PurePath(_base(name)).stem)
    return facts_of(row, "table") if row else Facts()


def _json_rows(text: str, name: str) -> Any:
    raw = parsed_json(text, name)
    if isinstance(raw, dict):
        return [{**row, FILE: file} if isinstance(row, dict) else None for file, row in raw.items()]
    return raw


def _base(file: str) -> str:
    return file.replace("\\", "/").rpartition("/")[2].strip()
