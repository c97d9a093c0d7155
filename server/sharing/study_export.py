"""Writes a whole study as one zip that another installation imports and shows alike."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Sequence
from functools import partial
from typing import IO, Any

from django.db.models import Model, QuerySet
from django.utils import timezone
from matchedpair.answers import facts_as_values

from server.answers.studies import answered_study
from server.catalogue.models import SceneRevision, Zone
from server.catalogue.scenes import SCENE, TEXTURE, used_in_place
from server.decisions.models import Production
from server.pairs.pair import pair_figures
from server.references.models import Reference
from server.runs.models import ENDED_STATES, Run
from server.searches.models import Search
from server.searches.searching import GOING_ON
from server.sharing.pair_export import (
    BLIND_FIELDS,
    COMPARISON_FIELDS,
    MEASURE_FIELDS,
    OPTION_FIELDS,
    PIN_FIELDS,
    ROUND_FIELDS,
    SETUP_FIELDS,
    STUDY_FIELDS,
    VERDICT_FIELDS,
)
from server.sharing.study_format import (
    DOCUMENT,
    FIGURES,
    FORMAT,
    KIND,
    MATCHING_FIELDS,
    OPTION_MORE,
    PAIR_FIELDS,
    PRODUCTION_FIELDS,
    RECIPE_FIELDS,
    REFERENCE_FIELDS,
    RUN_FIELDS,
    RUNS,
    SCENE_FIELDS,
    SEARCH_FIELDS,
    USE_FIELDS,
    ZONE_FIELDS,
    picture_name,
    scene_name,
    texture_name,
    textures_named,
    with_rows,
)
from server.store.files import path_of
from server.store.pixels import PICTURE
from server.studies.models import Option, Pair, Setup, Study
from server.tables.cells import plain_cell
from server.tables.run_table import Asked, as_csv, columns_of, rows_of

FIGURE_COLUMNS = ("option", "zone", "measure", "value", "unit", "low", "high", "method", "version", "refused")


def write_study(study: Study, file: IO[bytes], only: Pair | None = None) -> None:
    """Write a study's bundle, or one of a single pair of it, which is a study of two options. Renders that have not
    ended, and pictures that were let go, are not in it.
    """
    made = _Exported(study, only)
    document = made.document()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr(DOCUMENT, json.dumps(document, indent=1, ensure_ascii=False))
        rows = [row for row in rows_of(study, Asked(old=True)) if row.option_id in made.kept]
        bundle.writestr(RUNS, as_csv(rows, columns_of(study)))
        bundle.writestr(FIGURES, _figures_csv(made.options))
        for scene in made.scenes:
            path = path_of(scene.revision, SCENE) if scene.revision else None
            if path is not None and path.is_file():
                bundle.write(path, scene_name(scene.revision))
        for digest in textures_named(document):
            path = path_of(digest, TEXTURE)
            if path.is_file():
                bundle.write(path, texture_name(digest), zipfile.ZIP_STORED)
        for digest in dict.fromkeys(pictures_of(document)):
            path = path_of(digest, PICTURE)
            if path.is_file():
                bundle.write(path, picture_name(digest), zipfile.ZIP_STORED)


def pictures_of(document: dict[str, Any]) -> list[str]:
    """The hashes of all pictures that a document names."""
    found = [digest for run in document["runs"] for digest in (run["picture"], *run["passes"].values())]
    names = ("picture", "twin", "matched_picture")
    found += [row[name] for row in document["references"] for name in names]
    return [digest for digest in found if digest]


class _Exported:
    """A study's rows in the order in which others point to them."""

    def __init__(self, study: Study, only: Pair | None = None) -> None:
        self.study, self.only = study, only
        options = study.options.select_related("setup__scene").prefetch_related("measures").order_by("number", "pk")
        self.options = list(options.filter(pk__in=(only.control_id, only.trial_id)) if only else options)
        self.kept = {option.pk for option in self.options}
        self.pairs = [only] if only else list(study.pairs.order_by("pk"))
        runs = Run.objects.filter(study=study, state__in=ENDED_STATES, option__in=self.kept)
        self.runs = list(runs.select_related("option__setup__scene", "study").order_by("position", "pk"))
        places = {(each.setup.scene.name, each.setup.view) for each in self.options}
        self.zones = [zone for zone in Zone.objects.filter(removed_at=None) if (zone.scene, zone.view) in places]
        scenes = {each.setup.scene_id for each in self.options}
        self.references = list(
            Reference.objects.filter(setup__scene__in=scenes, removed_at=None).select_related("setup__scene")
            .order_by("created_at", "pk")
        )  # fmt: skip
        setups = [each.setup for each in self.options] + [each.setup for each in self.references] + [study.setup]
        self.setups: list[Setup] = list({setup.pk: setup for setup in setups}.values())
        self.scenes: list[SceneRevision] = list({setup.scene_id: setup.scene for setup in self.setups}.values())

    def document(self) -> dict[str, Any]:
        """All rows as plain values."""
        study = self.study
        found = answered_study(study)
        production = Production.objects.filter(study=study).first()
        whole = self.only is None  # what is decided and searched for is of the whole study
        return {
            "format": FORMAT, "kind": KIND, "made_at": timezone.now().isoformat(),
            "sentence": found.sentence if self.only is None else pair_figures(self.only).sentence,
            "facts": facts_as_values(found.facts) if whole else None,
            "study": _row(study, (*STUDY_FIELDS, "draft"))
            | ({} if whole else {"draft": {}, "asked": "own"})
            | {"created_at": study.created_at.isoformat(), "setup": _place(self.setups, study.setup_id)},
            "scenes": [_row(scene, SCENE_FIELDS) for scene in self.scenes],
            "not_carried": [
                {"scene": scene.title, "files": files} for scene in self.scenes if (files := used_in_place(scene))
            ],
            "setups": [
                _row(setup, SETUP_FIELDS) | {"scene": _place(self.scenes, setup.scene_id)} for setup in self.setups
            ],
            "options": [self._option(option) for option in self.options],
            "runs": [self._run(run) for run in self.runs],
            "pairs": [self._pair(pair) for pair in self.pairs],
            "zones": [_row(zone, ZONE_FIELDS) | {"scene": zone.scene} for zone in self.zones],
            "references": [
                _dated(row, REFERENCE_FIELDS) | {"setup": _place(self.setups, row.setup_id)} for row in self.references
            ],
            "uses": [
                _row(use, USE_FIELDS)
                | {"by_hand": _place(self.options, use.by_hand_id), "removed": use.removed_at is not None}
                for use in (study.uses.all() if whole else ())
            ],
            "production": _row(production, PRODUCTION_FIELDS) if production and whole else None,
            "recipes": [_dated(row, RECIPE_FIELDS) for row in _all_of(study.recipes.filter(removed_at=None), whole)],
            "matchings": [self._matching(row) for row in _all_of(study.matchings.exclude(state="searching"), whole)],
            "searches": [self._search(row) for row in _all_of(study.searches.exclude(state__in=GOING_ON), whole)],
        }  # fmt: skip

    def _option(self, option: Option) -> dict[str, Any]:
        return _row(option, (*OPTION_FIELDS, *OPTION_MORE)) | {
            "setup": _place(self.setups, option.setup_id), "control": _place(self.options, option.control_id),
            "comes_with": _place(self.options, option.comes_with_id),
            "measures": [_row(row, MEASURE_FIELDS) for row in option.measures.all()],
        }  # fmt: skip

    def _run(self, run: Run) -> dict[str, Any]:
        row = _row(run, RUN_FIELDS)
        dates = {name: row[name].isoformat() if row[name] else None for name in ("started_at", "ended_at")}
        return row | dates | {
            "option": _place(self.options, run.option_id), "made_by": _place(self.runs, run.made_by_id),
        }  # fmt: skip

    def _pair(self, pair: Pair) -> dict[str, Any]:
        return _row(pair, PAIR_FIELDS) | {
            "control": _place(self.options, pair.control_id), "trial": _place(self.options, pair.trial_id),
            "comparisons": [_row(row, COMPARISON_FIELDS) for row in pair.comparisons.order_by("zone")],
            "verdicts": [_dated(row, VERDICT_FIELDS) for row in pair.verdicts.filter(withdrawn_at=None)],
            "pins": [_dated(row, PIN_FIELDS) for row in pair.pins.filter(removed_at=None)],
            "blind_tests": [
                _dated(test, BLIND_FIELDS)
                | {"ended_at": test.ended_at.isoformat(), "rounds": [_row(r, ROUND_FIELDS) for r in test.rounds.all()]}
                for test in pair.blind_tests.exclude(ended_at=None).prefetch_related("rounds") if test.ended_at
            ],
        }  # fmt: skip

    def _matching(self, row: Any) -> dict[str, Any]:
        tried = [each | {"option": _place(self.options, each["option"])} for each in row.tried]
        return _dated(row, MATCHING_FIELDS) | {
            "control": _place(self.options, row.control_id), "trial": _place(self.options, row.trial_id),
            "pair": _place(self.pairs, row.pair_id), "tried": [each for each in tried if each["option"] is not None],
        }  # fmt: skip

    def _search(self, row: Search) -> dict[str, Any]:
        return _dated(row, SEARCH_FIELDS) | {
            "ended_at": row.ended_at.isoformat() if row.ended_at else None, "ladders": row.ladders, "trace": row.trace,
            "base": _place(self.options, row.base_id), "pair": _place(self.pairs, row.pair_id),
            **with_rows(
                _row(row, ("compared", "confirmed")), partial(_place, self.options), partial(_place, self.pairs)
            ),
        }  # fmt: skip


def _all_of(rows: QuerySet[Any], whole: bool) -> list[Any]:
    return list(rows.order_by("pk")) if whole else []


def _row(row: Model, fields: Sequence[str]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in fields}


def _dated(row: Any, fields: Sequence[str]) -> dict[str, Any]:
    return _row(row, fields) | {"created_at": row.created_at.isoformat()}


def _place(rows: Sequence[Model], pk: int | None) -> int | None:
    """Where a row stands in its list; None for none, or for one that is not in the bundle."""
    return next((place for place, row in enumerate(rows) if row.pk == pk), None) if pk is not None else None


def _figures_csv(options: Iterable[Option]) -> bytes:
    """One row a figure; empty where there is none."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow(FIGURE_COLUMNS)
    for option in options:
        for row in option.measures.all():
            cells = [
                option.title, row.zone, row.name, row.value, row.unit, row.low, row.high, row.method, row.version,
                row.refused,
            ]  # fmt: skip
            writer.writerow([plain_cell(cell) for cell in cells])
    return text.getvalue().encode()
