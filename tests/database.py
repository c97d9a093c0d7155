"""Tests that cannot run in a transaction, since other processes or threads see what they write: the database is put
back as it was in one go, where Django would empty every table one by one and then make its permissions anew.
"""

from __future__ import annotations

import sqlite3
from itertools import count
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import connection
from django.test import LiveServerTestCase, TransactionTestCase

from server.store.changes import ALL, TABLE

_restored = count(1)


def empty() -> Path:
    """The database as the test run made it, with nothing in it."""
    return Path(settings.HOME) / "empty.sqlite3"


def keep_database(path: Path) -> None:
    """Copy the database as it stands."""
    connection.ensure_connection()
    with sqlite3.connect(path) as copy:
        connection.connection.backup(copy)
    copy.close()


def put_back(path: Path) -> None:
    """Make the database what it was when it was kept; answers kept in memory meanwhile count as old."""
    connection.ensure_connection()
    kept = sqlite3.connect(path)
    kept.backup(connection.connection)
    kept.close()
    with connection.cursor() as cursor:
        cursor.execute(
            f"INSERT INTO {TABLE} (study, number) VALUES (%s, %s) "
            "ON CONFLICT (study) DO UPDATE SET number = number + %s",
            [ALL, *[next(_restored) * 1_000_000] * 2],
        )


class _PutBack:
    _beginning: ClassVar[Path | None] = None

    @classmethod
    def keep_beginning(cls) -> None:
        """Let each test of the class begin with what is in the database now."""
        cls._beginning = Path(settings.HOME) / f"beginning-{cls.__name__}.sqlite3"
        cls.addClassCleanup(cls._beginning.unlink)
        cls.addClassCleanup(put_back, empty())
        keep_database(cls._beginning)

    def _fixture_teardown(self) -> None:
        put_back(self._beginning or empty())


class UntransactedTest(_PutBack, TransactionTestCase):
    """What each test writes is seen by all, and gone after it."""


class ServedTest(_PutBack, LiveServerTestCase):
    """The same, beside a real server."""
