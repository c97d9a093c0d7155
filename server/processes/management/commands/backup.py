"""Copies all that is kept: ``manage.py backup FOLDER``."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from matchedpair.errors import InputError

from server.processes.backup import back_up
from server.processes.copying import copy_and_tell


class Command(BaseCommand):
    """Copies the database and all pictures, also while everything runs; a second copy takes only what is new."""

    help = "Copy all that is kept into a folder, or bring the copy there up to date."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("folder", type=Path)
        parser.add_argument("--told", action="store_true", help="write down how far it is, for the screen")

    def handle(self, *args: Any, **options: Any) -> None:
        """Copy, and say how much was new."""
        try:
            new, size = (copy_and_tell if options["told"] else back_up)(options["folder"])
        except (InputError, OSError) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(f"Copied: {new} new files, {size / 1e6:.1f} MB.")
