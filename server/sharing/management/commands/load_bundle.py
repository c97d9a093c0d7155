"""Loads bundles: ``manage.py load_bundle FILE.zip …``."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from matchedpair.errors import InputError

from server.sharing.study_import import load_study
from server.studies.models import Study


class Command(BaseCommand):
    """Loads bundles into this installation."""

    help = "Load bundles of studies and pairs; with --if-empty only when there is no study yet."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("bundle", nargs="+", type=Path)
        parser.add_argument("--if-empty", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Load each bundle, all or nothing."""
        if options["if_empty"] and Study.objects.exists():
            return
        for path in options["bundle"]:
            try:
                study = load_study(path)
            except (InputError, OSError) as error:
                raise CommandError(str(error)) from error
            self.stdout.write(f"Loaded {path.name}: {study.question}")
