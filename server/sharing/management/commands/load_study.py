"""Imports study bundles: ``manage.py load_study FILE.zip …``."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from matchedpair.errors import InputError

from server.sharing.study_import import load_study


class Command(BaseCommand):
    """Imports bundles into this installation."""

    help = "Import study bundles, each whole or not at all."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("bundle", nargs="+", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Import each bundle."""
        for path in options["bundle"]:
            try:
                study = load_study(path, settings.HOME)
            except (InputError, OSError) as error:
                raise CommandError(str(error)) from error
            self.stdout.write(f"Imported {path.name}: {study.question}")
