"""Which program this is: what it made and kept may be made otherwise by another version."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path

import matchedpair


@cache
def program_stamp() -> str:
    """Changes with any file of the core or the server."""
    folders = (Path(matchedpair.__file__).parent, Path(__file__).parents[1])
    files = sorted(file for folder in folders for file in folder.rglob("*.py"))
    rows = [(file.name, file.stat().st_size, file.stat().st_mtime_ns) for file in files]
    return hashlib.sha256(repr(rows).encode()).hexdigest()[:32]
