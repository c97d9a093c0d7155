"""How often each study was changed, counted by the database itself: whoever writes, and however, triggers count.

A number says nothing but that something changed since it was smaller. What concerns no one study, or cannot be told
whose it is, counts for all of them.
"""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.db.backends.utils import CursorWrapper

TABLE = "store_changes"
ALL = 0  # stands for every study
# sessions, accounts, and what the processes note of themselves change nothing that is shown of a study
NOT_COUNTED = ("django_", "auth_", "authtoken_", "axes_", "processes_", "sqlite_", TABLE)
# of a render under way: told as progress
PASSING = {"runs_run": ("share_done", "elapsed_seconds", "ready_seconds", "reached")}
# by the column that leads to a study: how it is found from a row
LEADS = {
    "study_id": "COALESCE({row}.study_id, 0)",
    "option_id": "COALESCE((SELECT study_id FROM studies_option WHERE id = {row}.option_id), 0)",
    "pair_id": "COALESCE((SELECT study_id FROM studies_pair WHERE id = {row}.pair_id), 0)",
}
OWN = "studies_study"


def count_changes(**_: Any) -> None:
    """Let every table count; called after each migration, which may have made tables anew. May be called again."""
    with connection.cursor() as cursor:
        cursor.execute(f"CREATE TABLE IF NOT EXISTS {TABLE} (study INTEGER PRIMARY KEY, number INTEGER NOT NULL)")
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        for (table,) in cursor.fetchall():
            if not table.startswith(NOT_COUNTED):
                _count(cursor, table)


def stop_counting(**_: Any) -> None:
    """Take the triggers away before tables are made anew: SQLite refuses while a trigger reads a table that is not
    there for a moment. They are back once all is migrated.
    """
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'trigger' AND name LIKE 'changes\\_%' ESCAPE '\\'")
        for (name,) in cursor.fetchall():
            cursor.execute(f"DROP TRIGGER {name}")


def changes_of(study: int) -> tuple[int, int]:
    """The numbers of a study and of what concerns all; `ALL` for whatever happens anywhere."""
    with connection.cursor() as cursor:
        if study == ALL:
            cursor.execute(f"SELECT COALESCE(SUM(number), 0), COUNT(*) FROM {TABLE}")
            total, count = cursor.fetchone()
            return total, count
        cursor.execute(f"SELECT study, number FROM {TABLE} WHERE study IN (0, %s)", [study])
        numbers = dict(cursor.fetchall())
    return numbers.get(study, 0), numbers.get(ALL, 0)


def all_changes() -> dict[int, int]:
    """The number of each study, and under `ALL` that of what concerns all; those that never changed are not in it."""
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT study, number FROM {TABLE}")
        return dict(cursor.fetchall())


def _count(cursor: CursorWrapper, table: str) -> None:
    columns = [column.name for column in connection.introspection.get_table_description(cursor, table)]
    lead = next((LEADS[name] for name in LEADS if name in columns), "0")
    if table == OWN:
        lead = "{row}.id"
    passing = PASSING.get(table, ())
    counted = f" OF {', '.join(name for name in columns if name not in passing)}" if passing else ""
    for act, row, what in (("INSERT", "NEW", ""), ("UPDATE", "NEW", counted), ("DELETE", "OLD", "")):
        name = f"changes_{table}_{act.lower()}"
        cursor.execute(f"DROP TRIGGER IF EXISTS {name}")
        cursor.execute(
            f"CREATE TRIGGER {name} AFTER {act}{what} ON {table} BEGIN "
            f"INSERT INTO {TABLE} (study, number) VALUES ({lead.format(row=row)}, 1) "
            "ON CONFLICT (study) DO UPDATE SET number = number + 1; END"
        )
