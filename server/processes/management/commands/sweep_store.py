"""Removes files that nothing names: ``manage.py sweep_store [--dry-run]``."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from server.processes.backup import sweep


class Command(BaseCommand):
    """Files of the store whose hash stands nowhere in the database, once they are older than a day."""

    help = "Remove files of the store that nothing names and that are older than a day."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("--dry-run", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Remove, or only name them."""
        names = sweep(dry=options["dry_run"])
        for name in names:
            self.stdout.write(name)
        self.stdout.write(f"{len(names)} files {'would be' if options['dry_run'] else 'were'} removed.")
