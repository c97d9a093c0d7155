"""Reads a study bundle into this installation: all of it, or nothing.

Only names that the format knows are read, and each only once; sizes are checked before anything is unpacked; the
document must keep to the schema, and each picture to its hash. Files that were stored for a bundle that then fails are
taken away again.
"""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

from django.core.exceptions import ValidationError
from django.db import DatabaseError, transaction
from django.db.models import Model
from django.utils import timezone
from matchedpair.choose import recipe_of
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import parse_zone

from server.catalogue.models import SceneRevision, Zone
from server.catalogue.scenes import SCENE, TEXTURE, used_in_place
from server.decisions.models import Production, RecipeVersion, StudyUse
from server.measuring.measuring import unpacked
from server.measuring.models import Comparison, Measure
from server.references.models import Reference
from server.runs.models import ENDED_STATES, Run
from server.searches.models import Matching, MatchingState, Search
from server.searches.search_rows import search_row
from server.searches.searching import GOING_ON
from server.sharing.pair_import import load_pair
from server.sharing.study_export import pictures_of
from server.sharing.study_format import (
    DOCUMENT,
    FIGURES,
    FORMAT,
    KIND,
    PICTURES,
    RUNS,
    SCHEMA,
    picture_name,
    scene_name,
    texture_name,
    textures_named,
    with_rows,
)
from server.store.files import keep, path_of, room_problem
from server.store.pixels import PICTURE
from server.studies.actions import told_of_places
from server.studies.forms import DraftSerializer
from server.studies.models import Option, Pair, Setup, Study
from server.verdicts.models import BlindRound, BlindTest, Pin, Verdict

MOST_FILES = 50_000
MOST_FILE_BYTES = 512 * 1024 * 1024
MOST_BYTES = 16 * 1024 * 1024 * 1024
MOST_DOCUMENT_BYTES = 256 * 1024 * 1024
MOST_RATIO, MOST_PICTURE_RATIO = 400, 50  # JSON of many like rows packs well; pictures are packed already
KNOWN = re.compile(
    r"(study\.json|runs\.csv|figures\.csv|scenes/[0-9a-f]{64}\.json|pictures/[0-9a-f]{64}\.exr"
    r"|textures/[0-9a-f]{64}\.texture)"
)
MAX_DEPTH = 60
NAMED = 5
ENCRYPTED = 0x1
PACKED = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
OLD_PAIR = "pair.json"  # of a pair alone, as it was written before that became a study of two options


def not_carried(study: Study) -> list[str]:
    """Of an imported study, in words, which files its scenes are rendered from and that came with no bundle."""
    scenes = SceneRevision.objects.filter(setup__options__study=study).distinct()
    told = []
    for scene in scenes:
        files = used_in_place(scene)
        if files:
            named = ", ".join(files[:NAMED]) + (f" and {len(files) - NAMED} more" if len(files) > NAMED else "")
            told.append(f"{scene.title} is rendered from files that a bundle does not carry: {named}")
    return told


def load_study(path: Path, room: Path | None = None) -> Study:
    """Import one study bundle.

    Raises
    ------
    InputError
        When it is no bundle, of another version, incomplete, hostile, or its files are not what it says.
    """
    if room is not None and (problem := room_problem(room)):
        raise InputError(problem)
    try:
        with zipfile.ZipFile(path) as bundle:
            if OLD_PAIR in bundle.namelist() and DOCUMENT not in bundle.namelist():
                return load_pair(path)
            names = _checked_names(bundle)
            document = _document(bundle, names)
            with _files_of(bundle, names, document):
                return _write(document)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise InputError(f"{path.name} is not a whole bundle: {error}") from error
    except (DatabaseError, ValidationError, ValueError, TypeError, KeyError, IndexError, OverflowError) as error:
        raise InputError(f"{path.name} does not hold together: {error}") from error


def _checked_names(bundle: zipfile.ZipFile) -> set[str]:
    entries = bundle.infolist()
    if len(entries) > MOST_FILES:
        raise InputError(f"the bundle holds {len(entries)} files; the most is {MOST_FILES}")
    names = [entry.filename for entry in entries]
    odd = next((name for name in names if not KNOWN.fullmatch(name)), None)
    if odd is not None:
        raise InputError(f"the bundle holds {odd!r}, which no study bundle has")
    if len(set(names)) < len(names):
        raise InputError("the bundle holds a file twice")
    if DOCUMENT not in names:
        raise InputError(f"this is no study bundle: it has no {DOCUMENT}")
    for entry in entries:
        if entry.flag_bits & ENCRYPTED or entry.compress_type not in PACKED:
            raise InputError(f"{entry.filename} is encrypted, or packed in a way that no study bundle is")
        most = MOST_DOCUMENT_BYTES if entry.filename in (DOCUMENT, RUNS, FIGURES) else MOST_FILE_BYTES
        if entry.file_size > most:
            raise InputError(f"{entry.filename} holds {entry.file_size} bytes; the most is {most}")
        ratio = MOST_PICTURE_RATIO if entry.filename.startswith(PICTURES) else MOST_RATIO
        if entry.file_size > ratio * max(entry.compress_size, 1):
            raise InputError(f"{entry.filename} is packed tighter than any honest file")
    whole = sum(entry.file_size for entry in entries)
    if whole > MOST_BYTES:
        raise InputError(f"the bundle unpacks to {whole} bytes; the most is {MOST_BYTES}")
    return set(names)


def _document(bundle: zipfile.ZipFile, names: set[str]) -> dict[str, Any]:
    try:
        document = json.loads(bundle.read(DOCUMENT))
    except (ValueError, RecursionError) as error:
        raise InputError(f"{DOCUMENT} cannot be read: {error}") from error
    if not isinstance(document, dict) or document.get("kind") != KIND:
        raise InputError("this is no study bundle")
    if document.get("format") != FORMAT:
        raise InputError(f"study bundle format {document.get('format')!r} is not known; expected {FORMAT}")
    _as_written_now(document)
    try:
        from jsonschema import Draft202012Validator  # noqa: PLC0415 - few requests need it

        wrong = next(iter(Draft202012Validator(SCHEMA).iter_errors(document)), None)
    except RecursionError as error:
        raise InputError(f"{DOCUMENT} is nested too deeply") from error
    if wrong is not None:
        where = "/".join(str(part) for part in wrong.absolute_path)
        raise InputError(f"{DOCUMENT}, {where or 'at its top'}: {wrong.message[:300]}")
    missing = [name for digest in pictures_of(document) if (name := picture_name(digest)) not in names]
    missing += [
        name for row in document["scenes"] if row["revision"] and (name := scene_name(row["revision"])) not in names
    ]
    if missing:
        raise InputError(f"the bundle is not whole: {missing[0]} is missing")
    return document


def _as_written_now(document: dict[str, Any]) -> None:
    """Older bundles say nothing of the textures of scenes, of searches, of places, of times without a picture, or of
    what an answer rests on; the sentence a verdict rests on had another name.
    """
    document.setdefault("searches", [])
    document.setdefault("facts", None)
    document.setdefault("not_carried", [])
    options = document.get("options")
    for option in options if isinstance(options, list) else []:
        if isinstance(option, dict):
            option.setdefault("knob_goes_down", False)
        measures = option.get("measures") if isinstance(option, dict) else None
        for row in measures if isinstance(measures, list) else []:
            if isinstance(row, dict):
                row.setdefault("places", "")
    pairs = document.get("pairs")
    for pair in pairs if isinstance(pairs, list) else []:
        verdicts = pair.get("verdicts") if isinstance(pair, dict) else None
        for row in verdicts if isinstance(verdicts, list) else []:
            if isinstance(row, dict) and "finding" in row:
                row["sentence"] = row.pop("finding")
    runs = document.get("runs")
    for row in runs if isinstance(runs, list) else []:
        if isinstance(row, dict):
            row.setdefault("time_alone", False)
    scenes = document.get("scenes")
    for row in scenes if isinstance(scenes, list) else []:
        if isinstance(row, dict):
            row.setdefault("textures", {})
            row.setdefault("reduced", {})


@contextmanager
def _files_of(bundle: zipfile.ZipFile, names: set[str], document: dict[str, Any]) -> Iterator[None]:
    """The scenes and pictures in the store; those that were not there before are taken away again when it fails."""
    wanted = [(scene_name(row["revision"]), row["revision"], SCENE) for row in document["scenes"] if row["revision"]]
    wanted += [
        (name, digest, TEXTURE) for digest in textures_named(document) if (name := texture_name(digest)) in names
    ]
    wanted += [(picture_name(digest), digest, PICTURE) for digest in dict.fromkeys(pictures_of(document))]
    new: list[Path] = []
    try:
        for name, digest, ending in wanted:
            target = path_of(digest, ending)
            there = target.is_file()
            contents = bundle.read(name)
            if hashlib.sha256(contents).hexdigest() != digest:
                raise InputError(f"{name} is not the file that its name says")
            if not there:
                new.append(target)
                keep(contents, ending)
        yield
    except BaseException:
        for path in new:
            path.unlink(missing_ok=True)
        raise


@transaction.atomic
def _write(document: dict[str, Any]) -> Study:
    scenes = [_scene(row) for row in document["scenes"]]
    setups = [_made(Setup, row, scene=scenes[row["scene"]]) for row in document["setups"]]
    told_of_places(setups)
    study = _study(document["study"], setups)
    options = [
        _made(Option, row, study=study, setup=setups[row["setup"]], skip=("control", "comes_with", "measures"))
        for row in document["options"]
    ]
    for option, row in zip(options, document["options"], strict=True):
        option.control = _at(options, row["control"])
        option.comes_with = _at(options, row["comes_with"])
        option.save()
        for each in row["measures"]:
            unpacked(each["places"])
        Measure.objects.bulk_create([Measure(option=option, **each) for each in row["measures"]])
    _runs(study, options, document["runs"])
    pairs = [_pair(study, options, row) for row in document["pairs"]]
    for row in document["zones"]:
        _zone(row)
    for row in document["references"]:
        _reference(row, setups)
    _decided(study, options, document)
    for row in document["matchings"]:
        _matching(study, options, pairs, row)
    for row in document["searches"]:
        _search(study, options, pairs, row)
    return study


def _made(model: type[Model], row: dict[str, Any], *, skip: Sequence[str] = (), **more: Any) -> Any:
    """A row in the database, checked as its model says; what `more` gives counts instead of the document."""
    fields = {name: value for name, value in row.items() if name not in (*skip, *more, "created_at")}
    made = model(**fields, **more)
    empty = [name for name, value in fields.items() if value in ("", [], {}, None)]
    own = set(fields) - set(empty) - {field.name for field in model._meta.get_fields() if field.is_relation}
    made.clean_fields(exclude={field.name for field in model._meta.fields} - own)
    made.save()
    if "created_at" in row:
        model._default_manager.filter(pk=made.pk).update(created_at=_date(row["created_at"]))
    return made


def _scene(row: dict[str, Any]) -> SceneRevision:
    defaults = {name: row[name] for name in ("title", "views", "textures", "reduced")}
    made, _ = SceneRevision.objects.get_or_create(name=row["name"], revision=row["revision"], defaults=defaults)
    return made


def _study(row: dict[str, Any], setups: Sequence[Setup]) -> Study:
    draft = DraftSerializer(data=row["draft"])
    kept = row["draft"] if row["draft"] and draft.is_valid() else {}
    made: Study = _made(Study, row, setup=setups[row["setup"]], draft=kept)
    return made


def _runs(study: Study, options: Sequence[Option], rows: Sequence[dict[str, Any]]) -> None:
    made: list[Run] = []
    for row in rows:
        if row["state"] not in ENDED_STATES:
            raise ValueError("a run in it has not ended")
        dates = {name: _date(row[name]) if row[name] else None for name in ("started_at", "ended_at")}
        made.append(_made(Run, row, study=study, option=options[row["option"]], skip=("made_by",), **dates))
    for run, row in zip(made, rows, strict=True):
        if row["made_by"] is not None:
            Run.objects.filter(pk=run.pk).update(made_by=made[row["made_by"]])


def _pair(study: Study, options: Sequence[Option], row: dict[str, Any]) -> Pair:
    skip = ("comparisons", "verdicts", "pins", "blind_tests")
    pair: Pair = _made(Pair, row, study=study, control=options[row["control"]], trial=options[row["trial"]], skip=skip)
    for each in row["comparisons"]:
        _made(Comparison, each, pair=pair)
    for each in row["verdicts"]:
        _made(Verdict, each, pair=pair)
    for each in row["pins"]:
        _made(Pin, each, pair=pair)
    for each in row["blind_tests"]:
        test = _made(BlindTest, each, pair=pair, skip=("rounds",), ended_at=_date(each["ended_at"]))
        for answered in each["rounds"]:
            _made(BlindRound, answered, test=test)
    return pair


def _zone(row: dict[str, Any]) -> None:
    """A zone that is not drawn here yet; one of the same name stays as it is here."""
    parse_zone(row["name"], row["kind"], row["shape"], row["points"])
    there = Zone.objects.filter(scene=row["scene"], view=row["view"], name=row["name"], removed_at=None)
    if not there.exists():
        _made(Zone, row)


def _reference(row: dict[str, Any], setups: Sequence[Setup]) -> None:
    setup = setups[row["setup"]]
    there = Reference.objects.filter(picture=row["picture"], setup__scene=setup.scene, setup__view=setup.view)
    if not there.filter(removed_at=None, setup__width=setup.width, setup__height=setup.height).exists():
        _made(Reference, row, setup=setup)


def _decided(study: Study, options: Sequence[Option], document: dict[str, Any]) -> None:
    for row in document["uses"]:
        removed = timezone.now() if row["removed"] else None
        _made(StudyUse, row, study=study, by_hand=_at(options, row["by_hand"]), removed_at=removed, skip=("removed",))
    if document["production"] is not None:
        _made(Production, document["production"], study=study)
    for row in document["recipes"]:
        recipe_of(row["document"])
        there = RecipeVersion.objects.filter(name=row["name"], version=row["version"]).first()
        if there is None:
            _made(RecipeVersion, row, study=study)


def _matching(study: Study, options: Sequence[Option], pairs: Sequence[Pair], row: dict[str, Any]) -> None:
    if row["state"] == MatchingState.SEARCHING:
        raise ValueError("a search in it is not over")
    tried = [each | {"option": options[each["option"]].pk} for each in row["tried"]]
    _made(
        Matching, row, study=study, control=options[row["control"]], trial=options[row["trial"]],
        pair=_at(pairs, row["pair"]), tried=tried, ended_at=timezone.now(),
    )  # fmt: skip


def _search(study: Study, options: Sequence[Option], pairs: Sequence[Pair], row: dict[str, Any]) -> None:
    if row["state"] in GOING_ON:
        raise ValueError("a search in it is not over")
    there = with_rows(row, partial(_number, options), partial(_number, pairs))
    made = _made(
        Search, row, study=study, base=options[row["base"]], pair=_at(pairs, row["pair"]), **there,
        ended_at=_date(row["ended_at"]) if row["ended_at"] else None,
    )  # fmt: skip
    search_row(made)  # what cannot be shown is refused here, not on the screen


def _number(rows: Sequence[Any], place: int | None) -> int | None:
    """The number here of the row at a place of a list; None for none."""
    row = _at(rows, place)
    return None if row is None else row.pk


def _at(rows: Sequence[Any], place: int | None) -> Any:
    return None if place is None else rows[place]


def _date(text: str) -> datetime:
    found = datetime.fromisoformat(text)
    return found if found.tzinfo else timezone.make_aware(found)
