"""A pair as files that others can open and check: JSON, CSV, and a zip of both with the EXR pictures."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from typing import Any

from matchedpair.measures.figure import Ratio

from server.catalogue.scenes import SCENE
from server.findings.models import Measure
from server.findings.pairs import PairFindings
from server.runs.models import Run
from server.store.files import path_of
from server.store.pixels import PICTURE
from server.studies.models import Study
from server.studies.sheets import sheet_row

FORMAT = 1
RUN_COLUMNS = (
    "side", "seed", "warm_up", "state", "reason", "wall_seconds", "ready_seconds", "cpu_seconds", "cpu_ready_seconds",
    "peak_memory_bytes", "load_before", "exit_code", "engine_version", "picture",
)  # fmt: skip
JSON_ONLY = ("attempt", "machine", "command", "checks", "log", "started_at", "ended_at", "position")


def pair_json(findings: PairFindings) -> bytes:
    """Everything but the pixels, as one JSON document in UTF-8."""
    pair, study = findings.pair, findings.pair.study
    document = {
        "format": FORMAT,
        "kind": "matched pair",
        "study": study_row(study),
        "sentence": findings.sentence,
        "match_sheet": sheet_row(findings.sheet),
        "options": {
            side.option.side: {"settings": side.option.settings, "noise": _noise(side.noise)}
            for side in (findings.control, findings.trial)
        },
        "ratios": {"noise": _ratio(findings.noise_ratio), "time": _ratio(findings.time_ratio)},
        "refused": findings.refused,
        "runs": [run_row(run) for run in _runs(study)],
        "verdicts": [
            {key: getattr(row, key) for key in ("chosen", "reasons", "author", "finding")}
            | {"created_at": row.created_at.isoformat()}
            for row in pair.verdicts.filter(withdrawn_at=None)
        ],
    }
    return json.dumps(document, indent=1, ensure_ascii=False).encode()


def pair_csv(findings: PairFindings) -> bytes:
    """One row a run, warm-up and failed ones too; times in seconds, memory in bytes, empty where unknown."""
    text = io.StringIO()
    study = findings.pair.study
    settings = list(findings.control.option.settings)
    writer = csv.writer(text)
    writer.writerow(["scene", "view", "width", "height", "engine", *RUN_COLUMNS, "machine", *settings])
    setup = study.setup
    start = [setup.scene.title, setup.view, setup.width, setup.height, study.engine_title]
    for run in _runs(study):
        row = run_row(run)
        cells = [row[key] for key in RUN_COLUMNS]
        machine = (run.machine or {}).get("name", "")
        values = [run.option.settings[name] for name in settings]
        writer.writerow([_plain(cell) for cell in [*start, *cells, machine, *values]])
    return text.getvalue().encode()


def pair_zip(findings: PairFindings) -> bytes:
    """A zip of pair.json, runs.csv, the scene and pictures/SIDE-seed-N.exr."""
    study = findings.pair.study
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as bundle:
        bundle.writestr("pair.json", pair_json(findings), zipfile.ZIP_DEFLATED)
        bundle.writestr("runs.csv", pair_csv(findings), zipfile.ZIP_DEFLATED)
        scene = path_of(study.setup.scene.revision, SCENE)
        if scene.is_file():
            bundle.write(scene, "scene.json", zipfile.ZIP_DEFLATED)
        for run in _runs(study):
            stored = path_of(run.picture, PICTURE) if run.picture else None
            if stored and stored.is_file():
                bundle.write(stored, picture_name(run.option.side, run.seed, run.warm_up), zipfile.ZIP_STORED)
    return packed.getvalue()


def picture_name(side: str, seed: int, warm_up: bool) -> str:
    """Where a run's picture lies in the bundle."""
    return f"pictures/{side}-{'warm-up' if warm_up else f'seed-{seed}'}.exr"


def study_row(study: Study) -> dict[str, Any]:
    """A study's own fields as plain values."""
    setup = study.setup
    fields = (
        "question", "engine", "engine_title", "device", "quality_knob", "under_test", "under_test_title", "repeats",
        "threads", "time_limit_seconds",
    )  # fmt: skip
    return {key: getattr(study, key) for key in fields} | {
        "created_at": study.created_at.isoformat(),
        "scene": {
            "name": setup.scene.name, "title": setup.scene.title, "revision": setup.scene.revision,
            "views": setup.scene.views,
        },
        "view": setup.view,
        "frame": setup.frame,
        "width": setup.width,
        "height": setup.height,
    }  # fmt: skip


def run_row(run: Run) -> dict[str, Any]:
    """A run's fields as plain values."""
    row = {key: getattr(run, key) for key in (*RUN_COLUMNS, *JSON_ONLY) if key != "side"}
    for key in ("started_at", "ended_at"):
        row[key] = row[key].isoformat() if row[key] else None
    return {"side": run.option.side, **row}


def _runs(study: Study) -> list[Run]:
    return list(study.runs.select_related("option"))


def _noise(row: Measure | None) -> dict[str, Any] | None:
    if row is None:
        return None
    keys = ("value", "unit", "low", "high", "method", "version", "details", "refused", "inputs")
    return {key: getattr(row, key) for key in keys}


def _ratio(ratio: Ratio | None) -> dict[str, Any] | None:
    return vars(ratio) if ratio else None


def _plain(cell: Any) -> Any:
    """A text that a spreadsheet would take for a formula gets a quote before it."""
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell
