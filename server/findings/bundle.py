"""Loads a pair's bundle, as `export.pair_zip` writes it, into this installation: all of it, or nothing."""

from __future__ import annotations

import json
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

from django.db import transaction
from matchedpair.errors import InputError

from server.catalogue.models import SceneRevision
from server.catalogue.scenes import SCENE
from server.findings.export import FORMAT, JSON_ONLY, RUN_COLUMNS, picture_name
from server.findings.models import Measure, Verdict
from server.runs.models import Run
from server.store.files import keep
from server.store.pixels import PICTURE
from server.studies.models import Option, Pair, Setup, Study

MAX_FILE_BYTES = 256 * 1024 * 1024
DATES = ("started_at", "ended_at")


def load_bundle(path: Path) -> Study:
    """Load one bundle. Only names that the format knows are read, so that no entry's name becomes a path.

    Raises
    ------
    InputError
        When it is no bundle, of another version, incomplete, or its pictures are not those it names.
    """
    try:
        with zipfile.ZipFile(path) as bundle:
            return _load(bundle)
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        raise InputError(f"{path.name} is not a whole bundle: {error}") from error


@transaction.atomic
def _load(bundle: zipfile.ZipFile) -> Study:
    document = json.loads(_read(bundle, "pair.json"))
    if document.get("format") != FORMAT:
        raise InputError(f"bundle format {document.get('format')!r} is not known; expected {FORMAT}")
    study = _study(bundle, document["study"])
    options = {
        side: Option.objects.create(study=study, side=side, settings=row["settings"])
        for side, row in document["options"].items()
    }
    pair = Pair.objects.create(study=study, control=options["control"], trial=options["trial"])
    for row in document["runs"]:
        _run(bundle, study, options[row["side"]], row)
    for side, row in document["options"].items():
        if row["noise"]:
            Measure.objects.create(option=options[side], name="noise", **row["noise"])
    for row in document["verdicts"]:
        verdict = Verdict.objects.create(pair=pair, **{k: row[k] for k in ("chosen", "reasons", "author", "finding")})
        Verdict.objects.filter(pk=verdict.pk).update(created_at=datetime.fromisoformat(row["created_at"]))
    return study


def _study(bundle: zipfile.ZipFile, row: dict[str, Any]) -> Study:
    scene_row = row["scene"]
    contents = _read(bundle, "scene.json")
    if keep(contents, SCENE) != scene_row["revision"]:
        raise InputError("the bundle's scene is not the revision that it names")
    scene, _ = SceneRevision.objects.get_or_create(
        name=scene_row["name"], revision=scene_row["revision"],
        defaults={"title": scene_row["title"], "views": scene_row["views"]},
    )  # fmt: skip
    place = {key: row[key] for key in ("view", "frame", "width", "height")}
    fields = {key: value for key, value in row.items() if key not in {*place, "scene", "created_at"}}
    study = Study.objects.create(setup=Setup.objects.create(scene=scene, **place), **fields)
    Study.objects.filter(pk=study.pk).update(created_at=datetime.fromisoformat(row["created_at"]))
    return study


def _run(bundle: zipfile.ZipFile, study: Study, option: Option, row: dict[str, Any]) -> None:
    fields = {key: row[key] for key in (*RUN_COLUMNS, *JSON_ONLY) if key not in ("side", "attempt")}
    fields["attempt"] = row.get("attempt", 1)
    for key in DATES:
        fields[key] = datetime.fromisoformat(fields[key]) if fields[key] else None
    if fields["picture"]:
        name = picture_name(row["side"], row["seed"], row["warm_up"])
        if keep(_read(bundle, name), PICTURE) != fields["picture"]:
            raise InputError(f"{name} is not the picture that the bundle names")
    Run.objects.create(study=study, option=option, **fields)


def _read(bundle: zipfile.ZipFile, name: str) -> bytes:
    size = bundle.getinfo(name).file_size
    if size > MAX_FILE_BYTES:
        raise InputError(f"{name} holds {size} bytes; the most is {MAX_FILE_BYTES}")
    return bundle.read(name)
