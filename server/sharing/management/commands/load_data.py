"""Loads a folder of demo data, as demo/make_data.py writes it: ``manage.py load_data FOLDER``."""

from __future__ import annotations

from argparse import ArgumentParser
from itertools import groupby
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core import serializers
from django.core.management.base import BaseCommand, CommandError
from django.db import connection, transaction

from server.catalogue.models import Zone
from server.store.files import DEMO, keep
from server.studies.models import Study

HASH_LENGTH = 64


class Command(BaseCommand):
    """Loads the parts of the rows and the files in store/ into this installation."""

    help = "Load a folder of data into an empty installation; with --if-empty do nothing when it is not empty."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """The command's arguments."""
        parser.add_argument("folder", type=Path)
        parser.add_argument("--if-empty", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        """Files first, then all rows in one transaction: killed in between, nothing is half there."""
        folder: Path = options["folder"]
        if Study.objects.exists() or Zone.objects.exists():
            if options["if_empty"]:
                return
            raise CommandError("this installation is not empty; the data has numbers of its own")
        parts = sorted(folder.glob("rows-*.json"))
        if not parts:
            raise CommandError(f"{folder} holds no rows-01.json")
        for path in sorted((folder / "store").iterdir()):
            if keep(path.read_bytes(), path.name[HASH_LENGTH:]) != path.name[:HASH_LENGTH]:
                raise CommandError(f"{path.name} is not what its name says")
        with transaction.atomic():
            for part in parts:
                _load(part)
        (settings.HOME / DEMO).touch()
        self.stdout.write(f"Loaded {Study.objects.count()} studies from {folder.name}.")


def _load(rows: Path) -> None:
    """Write a fixture into empty tables, the rows of a kind at once and just as they are: saving a model would set its
    times to now.
    """
    with rows.open(encoding="utf-8") as stream:
        for model, found in groupby(serializers.deserialize("json", stream), key=lambda row: type(row.object)):
            fields = model._meta.concrete_fields
            quote = connection.ops.quote_name
            names = ", ".join(quote(field.column) for field in fields)
            places = ", ".join(["%s"] * len(fields))
            values = [
                [field.get_db_prep_save(getattr(row.object, field.attname), connection) for field in fields]
                for row in found
            ]
            with connection.cursor() as cursor:
                cursor.executemany(f"INSERT INTO {quote(model._meta.db_table)} ({names}) VALUES ({places})", values)
