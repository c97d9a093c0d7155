"""Brings a copy back: ``manage.py restore FOLDER``."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from matchedpair.errors import InputError

from server.processes.backup import restore


class Command(BaseCommand):
    """Checks a copy and puts it in the place of what is here; the database that was here is kept beside it."""

    help = "Restore a copy that backup made."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Restore, and say where the old one lies."""
        try:
            aside = restore(options["folder"])
        except (InputError, OSError) as error:
            raise CommandError(str(error)) from error
        self.stdout.write("Restored." + (f" What was here before: {aside}" if aside else ""))
