"""Loads a folder of demo data, as demo/make_data.py writes it: ``manage.py load_data FOLDER``."""

from __future__ import annotations

import json
import os
from argparse import ArgumentParser
from itertools import groupby
from operator import itemgetter
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import connection, transaction
from django.db.models import CharField, Field, TextField

from server.catalogue.models import Zone
from server.store.files import DEMO, keep
from server.studies.models import Study

HASH_LENGTH = 64
AS_THEY_ARE = (CharField, TextField)
NOTHING = object()


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
            if keep(path.read_bytes(), path.name[HASH_LENGTH:], flushed=False) != path.name[:HASH_LENGTH]:
                raise CommandError(f"{path.name} is not what its name says")
        os.sync()
        with transaction.atomic():
            for part in parts:
                _load(part)
        (settings.HOME / DEMO).touch()
        self.stdout.write(f"Loaded {Study.objects.count()} studies from {folder.name}.")


def _load(rows: Path) -> None:
    """Write a fixture into empty tables, the rows of a kind at once and just as they are: saving a model would set its
    times to now, and making models of them takes longer than all the rest.
    """
    for name, found in groupby(json.loads(rows.read_text(encoding="utf-8")), key=itemgetter("model")):
        model = apps.get_model(name)
        fields = model._meta.concrete_fields
        quote = connection.ops.quote_name
        names = ", ".join(quote(field.column) for field in fields)
        places = ", ".join(["%s"] * len(fields))
        with connection.cursor() as cursor:
            cursor.executemany(
                f"INSERT INTO {quote(model._meta.db_table)} ({names}) VALUES ({places})",
                [[_stored(field, row) for field in fields] for row in found],
            )


def _stored(field: Field[Any, Any], row: dict[str, Any]) -> Any:
    """A field's value as its column keeps it."""
    if field.primary_key:
        return row["pk"]
    value = row["fields"].get(field.name, NOTHING)
    if isinstance(value, int | float) or (isinstance(value, str) and type(field) in AS_THEY_ARE):
        return value  # as nearly all are
    value = field.get_default() if value is NOTHING else field.to_python(value)
    return field.get_db_prep_save(value, connection)
