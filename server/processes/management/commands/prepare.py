"""Brings the database up to this version: ``manage.py prepare``. A copy is kept before anything is changed."""

from __future__ import annotations

import sqlite3
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from server.store.database import NONE_YET, OLDER, copy_database, database_problem, is_new


class Command(BaseCommand):
    """What is new is made, what is older is copied and brought up, what is later or broken is refused."""

    help = "Bring the database up to this version, keeping a copy of what was there."

    def handle(self, *args: Any, **options: Any) -> None:
        """Copy and migrate."""
        if is_new():
            call_command("migrate", verbosity=0)
            return
        problem = database_problem()
        if problem not in ("", OLDER, NONE_YET):
            raise CommandError(problem[0].upper() + problem[1:])
        if problem:
            kept = settings.HOME / "backups" / f"before-{timezone.now():%Y%m%d-%H%M%S}.sqlite3"
            try:
                copy_database(kept)
            except (OSError, sqlite3.Error) as error:
                raise CommandError(f"no copy could be made before bringing the database up: {error}") from error
            self.stdout.write(f"A copy of the database from before: {kept}")
            call_command("migrate", verbosity=0)
