"""Loads a bundle of a pair alone, as versions before wrote it (formats 1 to 6): all of it, or nothing."""

from __future__ import annotations

import json
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Model
from matchedpair.conditions.match_sheet import shown
from matchedpair.errors import InputError
from matchedpair.measures.kinds import KIND_OF

from server.catalogue.models import SceneRevision
from server.catalogue.scenes import SCENE, textures_in
from server.measuring.measuring import unpacked
from server.measuring.models import Comparison, Measure
from server.runs.models import Run
from server.sharing.pair_export import (
    BLIND_FIELDS,
    COMPARISON_FIELDS,
    FORMAT,
    JSON_ONLY,
    MEASURE_FIELDS,
    OPTION_FIELDS,
    PIN_FIELDS,
    ROUND_FIELDS,
    RUN_COLUMNS,
    SETUP_FIELDS,
    STUDY_FIELDS,
    VERDICT_FIELDS,
    picture_name,
)
from server.store.files import keep
from server.store.pixels import PICTURE
from server.studies.actions import told_of_places
from server.studies.models import Option, Pair, Setup, Study
from server.verdicts.models import BlindRound, BlindTest, Pin, Verdict

MAX_FILE_BYTES = 256 * 1024 * 1024
DATES = ("started_at", "ended_at")


def load_pair(path: Path) -> Study:
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
    if document.get("format") == 1:
        document = _from_1(document)
    if document.get("format") == 2:
        document = _from_2(document)
    if document.get("format") == 3:
        document = _from_3(document)
    if document.get("format") == 4:
        document = _from_4(document)
    if document.get("format") == 5:
        document = _from_5(document)
    if document.get("format") == 6:
        document = _from_6(document)
    if document.get("format") != FORMAT:
        raise InputError(f"bundle format {document.get('format')!r} is not known; expected {FORMAT}")
    scene = _scene(bundle, document["study"]["scene"])
    setups = {
        side: Setup.objects.create(scene=scene, **{key: row["setup"][key] for key in SETUP_FIELDS})
        for side, row in document["options"].items()
    }
    told_of_places(setups.values())
    study = _study(setups["control"], document["study"])
    options = {
        side: Option.objects.create(
            study=study,
            side=side,
            number=number,
            key=side,
            setup=setups[side],
            **{key: row[key] for key in OPTION_FIELDS if key in row},
        )
        for number, (side, row) in enumerate(sorted(document["options"].items()))
    }
    Option.objects.filter(pk=options["trial"].pk).update(control=options["control"])
    pair = Pair.objects.create(study=study, control=options["control"], trial=options["trial"], **document["pair"])
    for row in document["runs"]:
        _run(bundle, study, options[row["side"]], row)
    for side, row in document["options"].items():
        for figure in row["measures"]:
            unpacked(figure.get("places", ""))  # what cannot be read is refused here, not on the screen
            if figure["name"] in KIND_OF and not KIND_OF[figure["name"]].by_reference:  # its reference is not here
                Measure.objects.create(option=options[side], **{key: figure.get(key, "") for key in MEASURE_FIELDS})
    for row in document["comparisons"]:
        Comparison.objects.create(pair=pair, **{key: row[key] for key in COMPARISON_FIELDS})
    _judged(pair, document)
    return study


def _judged(pair: Pair, document: dict[str, Any]) -> None:
    for model, rows, fields in (
        (Verdict, document["verdicts"], VERDICT_FIELDS), (Pin, document["pins"], PIN_FIELDS),
    ):  # fmt: skip
        for row in rows:
            _dated(model.objects.create(pair=pair, **{key: row[key] for key in fields}), row)
    for row in document["blind_tests"]:
        ended = datetime.fromisoformat(row["ended_at"])
        test = BlindTest.objects.create(pair=pair, ended_at=ended, **{key: row[key] for key in BLIND_FIELDS})
        _dated(test, row)
        for each in row["rounds"]:
            BlindRound.objects.create(test=test, **{key: each[key] for key in ROUND_FIELDS})


def _dated(kept: Model, row: dict[str, Any]) -> None:
    """With the date that it had where it comes from."""
    type(kept)._default_manager.filter(pk=kept.pk).update(created_at=datetime.fromisoformat(row["created_at"]))


def _from_6(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 6, in which the sentence a verdict rests on had another name."""
    verdicts = [{**row, "sentence": row["finding"]} for row in document["verdicts"]]
    return {**document, "format": 7, "verdicts": verdicts}


def _from_5(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 5, before pairs were matched on noise or time by a search."""
    return {**document, "format": 6, "pair": {**document["pair"], "matched_on": "", "matched_zone": ""}}


def _from_4(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 4, before marks, pins and blind tests."""
    verdicts = [{**row, "marks": {}, "less_than_fair": "", "inputs": []} for row in document["verdicts"]]
    return {**document, "format": 5, "verdicts": verdicts, "pins": [], "blind_tests": []}


def _from_3(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 3, in which noise was the only measure."""
    options = {
        side: {**row, "measures": [{**figure, "name": "noise"} for figure in row["noise"]]}
        for side, row in document["options"].items()
    }
    return {**document, "format": 4, "options": options, "comparisons": []}


def _from_2(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 2, in which a study had one pair and said itself what was under test."""
    old = document["study"]
    title, value = old["under_test_title"], document["options"]["trial"]["settings"].get(old["under_test"])
    subject = f"{title[:1].lower()}{title[1:]} {shown(value)}".strip()
    new = {"asked": "", "kind": "on-off", "match_on": "settings", "until_sure": None}
    options = {side: {**row, "title": subject if side == "trial" else "", "levels": []}
               for side, row in document["options"].items()}  # fmt: skip
    unknown = {"reached": None, "frames_per_second": None, "for_machine": "", "pixel_hash": "", "picture_bytes": None}
    runs = [{**row, **unknown, "machine_name": (row["machine"] or {}).get("name", "")} for row in document["runs"]]
    pair = {"under_test": [old["under_test"]], "subject": subject}
    return {**document, "format": 3, "study": {**old, **new}, "options": options, "runs": runs, "pair": pair}


def _from_1(document: dict[str, Any]) -> dict[str, Any]:
    """A document of format 1, in which engine and setup belonged to the whole study, as one of format 2."""
    old = document["study"]
    place = {key: old[key] for key in ("view", "frame", "width", "height")}
    setup = {
        **place, "variant": "as-is", "crop": None, "quantities": {}, "output_format": "exr-half", "view_transform": "",
    }  # fmt: skip
    engine = {key: old[key] for key in ("engine", "engine_title", "device", "quality_knob")}
    options = {
        side: {
            **engine, "build": "", "brightness": None, "settings": row["settings"], "setup": setup,
            "noise": [{**row["noise"], "zone": "whole", "area": ""}] if row["noise"] else [],
        }
        for side, row in document["options"].items()
    }  # fmt: skip
    runs = [
        {**row, "structures_bytes": None, "passes": {}, "encoding": "linear", "seed_known": True}
        for row in document["runs"]
    ]
    study = {**old, "passes": [], "from_elsewhere": False}
    return {**document, "format": 2, "study": study, "options": options, "runs": runs}


def _scene(bundle: zipfile.ZipFile, row: dict[str, Any]) -> SceneRevision:
    textures = {}
    if row["revision"]:
        contents = _read(bundle, "scene.json")
        if keep(contents, SCENE) != row["revision"]:
            raise InputError("the bundle's scene is not the revision that it names")
        textures = textures_in(contents)
    scene, _ = SceneRevision.objects.get_or_create(
        name=row["name"],
        revision=row["revision"],
        defaults={"title": row["title"], "views": row["views"], "textures": textures},
    )
    return scene


def _study(setup: Setup, row: dict[str, Any]) -> Study:
    study = Study.objects.create(setup=setup, **{key: row[key] for key in STUDY_FIELDS})
    Study.objects.filter(pk=study.pk).update(created_at=datetime.fromisoformat(row["created_at"]))
    return study


def _run(bundle: zipfile.ZipFile, study: Study, option: Option, row: dict[str, Any]) -> None:
    row = {"attempt": 1, "time_alone": False} | row  # older bundles do not say
    fields = {key: row[key] for key in (*RUN_COLUMNS, *JSON_ONLY) if key != "side"}
    for key in DATES:
        fields[key] = datetime.fromisoformat(fields[key]) if fields[key] else None
    if fields["picture"]:
        name = picture_name(row)
        if keep(_read(bundle, name), PICTURE) != fields["picture"]:
            raise InputError(f"{name} is not the picture that the bundle names")
    for render_pass, digest in fields["passes"].items():
        name = picture_name(row, render_pass)
        if keep(_read(bundle, name), PICTURE) != digest:
            raise InputError(f"{name} is not the pass that the bundle names")
    Run.objects.create(study=study, option=option, **fields)


def _read(bundle: zipfile.ZipFile, name: str) -> bytes:
    size = bundle.getinfo(name).file_size
    if size > MAX_FILE_BYTES:
        raise InputError(f"{name} holds {size} bytes; the most is {MAX_FILE_BYTES}")
    return bundle.read(name)
