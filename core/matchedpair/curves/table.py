"""Curves from a table of figures: what `matchedpair curve` reads and writes."""

from __future__ import annotations

import csv
from collections import defaultdict
from pathlib import Path
from typing import Any

from matchedpair.curves.curve import Curve, fit_curve
from matchedpair.curves.points import Point, levels
from matchedpair.curves.same import SameNoise, SameTime, same_noise, same_time
from matchedpair.curves.words import crossings_in_words, curve_in_words
from matchedpair.errors import InputError, RefusedError
from matchedpair.plain_files import as_text, read_plain

COLUMNS = ("option", "quality", "seconds", "noise_percent")
READY = "ready_seconds"
MOST_ROWS = 100_000
MOST_BYTES = 256_000_000


def read_table(path: Path) -> dict[str, list[Point]]:
    """By option the points of a CSV table with the columns of `COLUMNS`, and maybe `READY`; more are let be.

    Raises
    ------
    InputError
        When a column is missing, or a cell is no number; the line is named.
    """
    text = as_text(read_plain(path, MOST_BYTES), path.name)
    reader = csv.DictReader(text.splitlines())
    missing = [name for name in COLUMNS if name not in (reader.fieldnames or ())]
    if missing:
        raise InputError(f"{path.name}: there is no column {', '.join(missing)}; a table needs {', '.join(COLUMNS)}")
    points: dict[str, list[Point]] = defaultdict(list)
    for row in reader:
        if reader.line_num > MOST_ROWS:
            raise InputError(f"{path.name}: more than {MOST_ROWS} rows")
        if not any(row.get(name) for name in COLUMNS):
            continue
        where = f"{path.name}, line {reader.line_num}"
        option = (row["option"] or "").strip()
        if not option:
            raise InputError(f"{where}: the option has no name")
        quality, seconds, noise = (_number(row[name], f"{where}, {name}") for name in COLUMNS[1:])
        ready = row.get(READY) or ""
        known = _number(ready, f"{where}, {READY}") if ready.strip() else None
        points[option].append(Point(quality, seconds, noise, known))
    if not points:
        raise InputError(f"{path.name}: the table has no rows")
    return dict(points)


def curves_report(points: dict[str, list[Point]]) -> dict[str, Any]:
    """Fits of all options, and every option against every other at each step of its ladder, as plain values."""
    curves: dict[str, Curve] = {}
    refused = []
    for name, own in points.items():
        try:
            curves[name] = fit_curve(own)
        except RefusedError as refusal:
            refused.append({"option": name, "measure": "curve", "reason": refusal.reason})
            continue
        refused += [{"option": name, "measure": "point", "reason": problem} for problem in curves[name].problems]
    both = [(one, other) for one in curves for other in curves if one != other]
    return {
        "options": {name: curve_row(curve) if (curve := curves.get(name)) else _nothing() for name in points},
        "same_noise": [
            {"control": one, "trial": other} | same_noise_row(same_noise(curves[one], curves[other], at))
            for one, other in both for at in levels(curves[one].points)
        ],
        "same_time": [
            {"control": one, "trial": other} | same_time_row(same_time(curves[one], curves[other], at))
            for one, other in both for at in levels(curves[one].points)
        ],
        "words": {name: curve_in_words(curve) for name, curve in curves.items()},
        "crossings": crossings_in_words(curves),
        "refused": refused,
    }  # fmt: skip


def curve_row(curve: Curve) -> dict[str, Any]:
    """A curve's laws as plain values; `a` is in percent squared times the knob's unit."""
    return {
        "a": curve.a, "floor_percent": curve.b, "floor_interval": list(curve.floor_interval),
        "floor_found": curve.has_floor, "ready_seconds": curve.t0, "seconds_per_unit": curve.c, "slope": curve.slope,
        "slope_interval": None if curve.slope_interval is None else list(curve.slope_interval),
        "stops_paying_at": curve.stops_paying_at, "lowest": curve.lowest, "highest": curve.highest,
        "follows_the_law": curve.follows_the_law,
    }  # fmt: skip


def same_noise_row(row: SameNoise) -> dict[str, Any]:
    """What same noise costs, as plain values."""
    return {
        "at_quality": row.at_quality, "noise_percent": row.noise_percent, "trial_quality": row.trial_quality,
        "trial_seconds": row.trial_seconds, "speed_up": row.speed_up,
        "interval": None if row.interval is None else list(row.interval), "reachable": row.reachable, "tie": row.tie,
        "note": row.note,
    }  # fmt: skip


def same_time_row(row: SameTime) -> dict[str, Any]:
    """What noise there is in the same time, as plain values."""
    return {
        "at_quality": row.at_quality, "seconds": row.seconds, "trial_quality": row.trial_quality,
        "trial_noise_percent": row.trial_noise_percent, "noise_ratio": row.ratio,
        "interval": None if row.interval is None else list(row.interval), "tie": row.tie, "note": row.note,
    }  # fmt: skip


def _nothing() -> dict[str, Any]:
    names = (
        "a", "floor_percent", "floor_interval", "floor_found", "ready_seconds", "seconds_per_unit", "slope",
        "slope_interval", "stops_paying_at", "lowest", "highest", "follows_the_law",
    )  # fmt: skip
    return dict.fromkeys(names)


def _number(text: str | None, where: str) -> float:
    try:
        return float(text or "")
    except ValueError:
        raise InputError(f"{where}: expected a number, got {text!r}") from None
