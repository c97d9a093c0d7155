"""Whether the database is of this version, and copies of it that are whole while it is used."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor

NONE_YET = (
    "there is no database here yet: run make demo, which makes one, or restore a copy with make restore FROM=folder"
)
OLDER = "the database is of an earlier version: stop everything and run make demo, which keeps a copy and brings it up"
LATER = (
    "the database was made by a later version ({what}): start that one, or restore a copy from before with make restore"
)
BROKEN = "the database cannot be read ({what}): stop everything and run make restore FROM=folder"


def database_problem() -> str:
    """Why nothing may work with the database as it is; empty when all is well. A new one is no problem of its own."""
    try:
        executor = MigrationExecutor(connection)
        known = set(executor.loader.disk_migrations)
        later = sorted(f"{app} {name}" for app, name in set(executor.loader.applied_migrations) - known)
        if later:
            return LATER.format(what=later[-1])
        if not executor.migration_plan(executor.loader.graph.leaf_nodes()):
            return ""
        return OLDER if executor.loader.applied_migrations else NONE_YET
    except DatabaseError as error:
        return BROKEN.format(what=error)


def is_new() -> bool:
    """Whether nothing was ever written here."""
    path = database_path()
    return not path.is_file() or path.stat().st_size == 0


def database_path() -> Path:
    """Where the database lies."""
    return Path(settings.DATABASES["default"]["NAME"])


def copy_database(target: Path) -> None:
    """Copy the database as it is at one moment, also while it is written. Raises `OSError`, `sqlite3.Error`."""
    target.parent.mkdir(parents=True, exist_ok=True)
    unfinished = target.with_name(f".{target.name}.part")
    unfinished.unlink(missing_ok=True)
    with closing(sqlite3.connect(database_path())) as source, closing(sqlite3.connect(unfinished)) as copy:
        source.backup(copy)
    with unfinished.open("rb") as file:
        os.fsync(file.fileno())
    unfinished.replace(target)


def integrity_problem(path: Path) -> str:
    """What SQLite finds wrong with a database file; empty when it is whole."""
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as opened:
            [(said,)] = opened.execute("PRAGMA integrity_check(1)").fetchall()
    except sqlite3.Error as error:
        return str(error)
    return "" if said == "ok" else str(said)
