"""Copies all that is kept: ``manage.py backup FOLDER``."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from matchedpair.errors import InputError

from server.processes.backup import back_up


class Command(BaseCommand):
    """Copies the database and all pictures, also while everything runs; a second copy takes only what is new."""

    help = "Copy all that is kept into a folder, or bring the copy there up to date."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Copy, and say how much was new."""
        try:
            new, size = back_up(options["folder"])
        except (InputError, OSError) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"Copied: {new} new files, {size / 1e6:.1f} MB.")
