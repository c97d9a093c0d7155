"""A pair as files that others can open and check: JSON, CSV, and a zip of both with the EXR pictures."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from typing import Any

from django.utils.text import slugify
from matchedpair.measures.figure import Ratio
from matchedpair.plans import CONTROL, TRIAL

from server.pairs.pair import PairFigures
from server.runs.models import Run
from server.studies.models import Option, Pair, Study
from server.studies.sheets import sheet_row
from server.tables.cells import plain_cell

FORMAT = 7
RUN_COLUMNS = (
    "side", "seed", "warm_up", "state", "reason", "wall_seconds", "ready_seconds", "cpu_seconds", "cpu_ready_seconds",
    "peak_memory_bytes", "structures_bytes", "load_before", "exit_code", "engine_version", "reached",
    "frames_per_second", "picture",
)  # fmt: skip
JSON_ONLY = (
    "attempt", "machine", "command", "checks", "log", "started_at", "ended_at", "position", "passes", "encoding",
    "seed_known", "machine_name", "for_machine", "pixel_hash", "picture_bytes",
    "time_alone",
)  # fmt: skip
SETUP_FIELDS = (
    "variant", "view", "frame", "width", "height", "crop", "quantities", "output_format", "view_transform",
)  # fmt: skip
OPTION_FIELDS = (
    "title",
    "levels",
    "engine",
    "engine_title",
    "build",
    "device",
    "quality_knob",
    "knob_goes_down",
    "settings",
    "brightness",
)
STUDY_FIELDS = (
    "question", "asked", "kind", "match_on", "repeats", "until_sure", "threads", "time_limit_seconds", "passes",
    "from_elsewhere",
)  # fmt: skip
MEASURE_FIELDS = (
    "name", "zone", "value", "unit", "low", "high", "method", "version", "details", "refused", "inputs", "area",
    "places",
)  # fmt: skip

VERDICT_FIELDS = ("chosen", "reasons", "marks", "less_than_fair", "author", "sentence", "inputs")
PIN_FIELDS = ("x", "y", "note", "author")
BLIND_FIELDS = ("kind", "author")
ROUND_FIELDS = (
    "number", "zone", "left_side", "right_side", "left_picture", "right_picture", "answer", "seconds",
)  # fmt: skip
COMPARISON_FIELDS = (
    "zone", "shift_pixels", "noise_refused", "difference", "look", "visible", "refused", "inputs", "area", "version",
)  # fmt: skip


def pair_json(figures: PairFigures) -> bytes:
    """Everything but the pixels, as one JSON document in UTF-8."""
    pair, study = figures.pair, figures.pair.study
    document = {
        "format": FORMAT,
        "kind": "matched pair",
        "study": study_row(study),
        "pair": {
            "under_test": pair.under_test,
            "subject": pair.subject,
            "matched_on": pair.matched_on,
            "matched_zone": pair.matched_zone,
        },
        "sentence": figures.sentence,
        "match_sheet": sheet_row(figures.sheet),
        "options": {CONTROL: option_row(figures.control.option), TRIAL: option_row(figures.trial.option)},
        "ratios": {
            "noise": _ratio(figures.noise_ratio),
            "total_noise": _ratio(figures.total_ratio),
            "visible_noise": _ratio(figures.visible_ratio),
            "time": _ratio(figures.time_ratio),
        },
        "refused": figures.refused,
        "comparisons": [
            {key: getattr(row, key) for key in COMPARISON_FIELDS} for row in pair.comparisons.order_by("zone")
        ],
        "runs": [run_row(run) for run in _runs(figures)],
        **_judged(pair),
    }
    return json.dumps(document, indent=1, ensure_ascii=False).encode()


def _judged(pair: Pair) -> dict[str, Any]:
    """Verdicts, pins and blind tests that are over, each with its date."""

    def rows(found: Iterable[Any], fields: Sequence[str]) -> list[dict[str, Any]]:
        return [
            {key: getattr(row, key) for key in fields} | {"created_at": row.created_at.isoformat()} for row in found
        ]

    tests = list(pair.blind_tests.exclude(ended_at=None).prefetch_related("rounds"))
    return {
        "verdicts": rows(pair.verdicts.filter(withdrawn_at=None), VERDICT_FIELDS),
        "pins": rows(pair.pins.filter(removed_at=None), PIN_FIELDS),
        "blind_tests": [
            row | {
                "ended_at": test.ended_at and test.ended_at.isoformat(),
                "rounds": [{key: getattr(each, key) for key in ROUND_FIELDS} for each in test.rounds.all()],
            }
            for row, test in zip(rows(tests, BLIND_FIELDS), tests, strict=True)
        ],
    }  # fmt: skip


def pair_csv(figures: PairFigures) -> bytes:
    """One row a run, warm-up and failed ones too; times in seconds, memory in bytes, empty where unknown."""
    text = io.StringIO()
    settings = list(figures.control.option.settings | figures.trial.option.settings)
    writer = csv.writer(text)
    places = ("variant", "view", "frame", "width", "height", "crop", "quantities")
    writer.writerow(["scene", *places, "engine", "brightness_factor", *RUN_COLUMNS, "machine", *settings])
    for run in _runs(figures):
        row = run_row(run)
        cells = [row[key] for key in RUN_COLUMNS]
        machine = run.machine_name
        values = [run.option.settings.get(name) for name in settings]
        option, setup = run.option, run.option.setup
        factor = option.brightness["factor"] if option.brightness else 1
        start = [setup.scene.title, *(_cell(getattr(setup, name)) for name in places), option.engine_title, factor]
        writer.writerow([plain_cell(cell) for cell in [*start, *cells, machine, *values]])
    return text.getvalue().encode()


def picture_name(row: dict[str, Any], render_pass: str = "") -> str:
    """Where the picture of a run, given as `run_row`, or one of its passes, lies in the bundle."""
    which = f"seed-{row['seed']}" if not row["warm_up"] else "warm-up"
    machine = f"-{slugify(row['for_machine'])}" if row.get("for_machine") else ""
    return f"pictures/{row['side']}-{which}{machine}{'.' + render_pass if render_pass else ''}.exr"


def study_row(study: Study) -> dict[str, Any]:
    """A study's own fields as plain values."""
    scene = study.setup.scene
    return {key: getattr(study, key) for key in STUDY_FIELDS} | {
        "created_at": study.created_at.isoformat(),
        "scene": {"name": scene.name, "title": scene.title, "revision": scene.revision, "views": scene.views},
    }


def option_row(option: Option) -> dict[str, Any]:
    """A side's fields, its setup, and its measures by zone, as plain values."""
    return {key: getattr(option, key) for key in OPTION_FIELDS} | {
        "setup": {key: getattr(option.setup, key) for key in SETUP_FIELDS},
        "measures": [
            {key: getattr(row, key) for key in MEASURE_FIELDS} for row in option.measures.order_by("zone", "pk")
        ],
    }


def run_row(run: Run) -> dict[str, Any]:
    """A run's fields as plain values."""
    row = {key: getattr(run, key) for key in (*RUN_COLUMNS, *JSON_ONLY) if key != "side"}
    for key in ("started_at", "ended_at"):
        row[key] = row[key].isoformat() if row[key] else None
    return {"side": run.option.side, **row}


def _runs(figures: PairFigures) -> list[Run]:
    """The runs of both sides, warm-ups too; a pair of a larger study is exported alone."""
    sides = [figures.control.option, figures.trial.option]
    runs = Run.objects.filter(option__in=sides).select_related("option__setup__scene").order_by("position", "pk")
    rows = list(runs)
    for run in rows:  # a control of another pair may be the trial of this one
        run.option.side = CONTROL if run.option_id == sides[0].pk else TRIAL
    return rows


def _cell(value: Any) -> Any:
    """A crop or quantities as one cell."""
    if isinstance(value, dict):
        return " ".join(f"{name}={each}" for name, each in value.items())
    return " ".join(map(str, value)) if isinstance(value, list) else value


def _ratio(ratio: Ratio | None) -> dict[str, Any] | None:
    return asdict(ratio) if ratio else None
