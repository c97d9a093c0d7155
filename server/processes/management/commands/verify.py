"""Checks every file: ``manage.py verify [FOLDER]``. Exits with 1 when something is spoiled or missing."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from server.processes.backup import check


class Command(BaseCommand):
    """Reads every picture and holds it against its name, and the database against both."""

    help = "Check everything that is kept here, or a copy of it."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("folder", type=Path, nargs="?")

    def handle(self, *args: Any, **options: Any) -> None:
        """Check, and say what was found."""
        found = check(options["folder"] or Path(settings.HOME))
        for line in found.words():
            self.stdout.write(line)
        if not found.good:
            sys.exit(1)
