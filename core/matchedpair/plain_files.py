"""Files of people and of programs in development, read within bounds: plain files only, whole, and of a sane size.

A folder may hold a link to a device that never ends, a pipe that nobody writes into, or brackets nested five thousand
deep; each is an error like any other.
"""

from __future__ import annotations

import json
import os
import stat
import tomllib
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError


def read_plain(path: Path, most_bytes: int) -> bytes:
    """The contents of a plain file.

    Raises
    ------
    InputError
        When it is none (a device, a pipe, a folder), cannot be read, or is larger than `most_bytes`; names the file.
    """
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        reason = error.strerror if isinstance(error, OSError) else str(error)
        raise InputError(f"{path.name}: cannot be read: {reason}") from error
    if not stat.S_ISREG(os.fstat(descriptor).st_mode):
        os.close(descriptor)
        raise InputError(f"{path.name}: cannot be read: it is no plain file")
    with os.fdopen(descriptor, "rb") as file:
        try:
            contents = file.read(most_bytes + 1)
        except OSError as error:
            raise InputError(f"{path.name}: cannot be read: {error.strerror}") from error
    if len(contents) > most_bytes:
        raise InputError(f"{path.name}: is larger than {most_bytes} bytes")
    return contents


def as_text(contents: bytes, name: str) -> str:
    """UTF-8, with or without a mark at its beginning. Raises `InputError`."""
    try:
        return contents.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(f"{name}: is no text in UTF-8: {error}") from error


def parsed_json(text: str | bytes, name: str) -> Any:
    """Raises `InputError` for what is no JSON, is nested too deeply, or holds a number that is none."""
    try:
        return json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError) as error:
        raise InputError(f"{name}: is not JSON: {_why(error)}") from error


def parsed_toml(text: str, name: str) -> dict[str, Any]:
    """Raises `InputError` for what is no TOML, or is nested too deeply."""
    try:
        return tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise InputError(f"{name}: is not TOML: {_why(error)}") from error


def _why(error: Exception) -> str:
    return "it is nested too deeply" if isinstance(error, RecursionError) else str(error)


def _no_number(name: str) -> Any:
    raise ValueError(f"{name} is no number")
