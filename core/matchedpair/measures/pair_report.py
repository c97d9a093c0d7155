"""Runs the measures of a pair on picture files and lays the figures out under fixed keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.cost import RunTimes, time_ratio
from matchedpair.measures.difference import DifferenceFigure
from matchedpair.measures.figure import Ratio
from matchedpair.measures.file_checks import FileCheck, identical, stops, storage_step
from matchedpair.measures.pair import PARTS, PairMeasures
from matchedpair.measures.render import Viewing
from matchedpair.measures.report import (
    NAMES,
    Partners,
    Read,
    check_row,
    look_row,
    measures_of,
    numbered,
    read_all,
    refused_row,
    visible_row,
    zone_row,
)
from matchedpair.pictures import Picture
from matchedpair.pictures.display import require_transform

KEYS = (
    "identical", "shift_pixels", "noise_ratio", "total_noise_ratio", "visible_noise_ratio", "time_ratio", "same_noise",
    "difference", "look", "visible", "against_reference",
)  # fmt: skip
NO_SAME_NOISE = "it needs the seconds of both sides, and of the trial the seconds of getting ready"
NO_TIMES = "the seconds of both sides were not stated"
STOPPED = "a check on a file stops all measuring; see the checks"


@dataclass(frozen=True)
class StatedTimes:
    """Seconds of both sides as a user states them, and of these the seconds of getting ready."""

    control: float
    trial: float
    control_ready: float | None = None
    trial_ready: float | None = None


def compare_files(
    files: dict[str, Path | None],
    *,
    control_twins: Sequence[Path] = (),
    trial_twins: Sequence[Path] = (),
    times: StatedTimes | None = None,
    viewing: Viewing | None = None,
) -> dict[str, Any]:
    """Compare a trial with its control.

    Parameters
    ----------
    files : dict
        By role: ``control``, ``trial``, and where there are some ``reference``, ``reference twin``.
    control_twins, trial_twins : sequence of Path
        Further seeds of a side.

    Raises
    ------
    InputError
        When a file cannot be read, or times do not fit.
    """
    require_transform(viewing.transform if viewing else "")
    ratio, time_refused = _time_ratio(times)
    read = read_all(files | numbered("control twin", control_twins) | numbered("trial twin", trial_twins))
    pictures = {role: picture for role, (picture, _) in read.items()}
    checks = [
        replace(check, message=f"The {role}: {check.message}") for role, (_, found) in read.items() for check in found
    ]
    row: dict[str, Any] = dict.fromkeys(KEYS)
    row["time_ratio"] = ratio_row(ratio)
    refused = {"same_noise": NO_SAME_NOISE} | time_refused
    try:
        if stops(check for role in read for check in read[role][1] if "reference" not in role):
            raise RefusedError("pair", STOPPED)
        row |= _compared(pictures, viewing, checks, refused)
        row["same_noise"] = _same_noise(row["noise_ratio"], times, refused)
    except RefusedError as refusal:
        row["identical"] = False if "sizes" in refusal.reason else None
        refused |= dict.fromkeys(("shift_pixels", *PARTS), refusal.reason)
    row["against_reference"] = _against_reference(read, viewing, refused)
    row["checks"] = [check_row(check) for check in sorted(checks, key=lambda check: check.severity != "stop")]
    row["refused"] = [{"measure": name, "reason": reason} for name, reason in refused.items()]
    return row


def _compared(
    pictures: dict[str, Picture], viewing: Viewing | None, checks: list[FileCheck], refused: dict[str, str]
) -> dict[str, Any]:
    sides = [[pictures[role] for role in pictures if role.split(" ")[0] == side] for side in ("control", "trial")]
    if len({picture.size for side in sides for picture in side}) > 1:
        valid = np.ones((1, 1), dtype=np.bool_)
    else:
        valid = np.logical_and.reduce([picture.valid for side in sides for picture in side])
    control, trial = ([picture.pixels for picture in side] for side in sides)
    rounding = max(storage_step(picture) for side in sides for picture in side)
    pair = PairMeasures.of(control, trial, valid, viewing=viewing, rounding=rounding)
    for side, problem in pair.no_twins.items():
        checks.append(FileCheck("twin", "warn", f"The {side}: {problem}."))
    if pair.identical:
        checks.append(replace(identical("the control"), message="The trial is bit-equal to the control."))
    if pair.alignment.mismatch:
        checks.append(FileCheck("mismatch", "stop", f"The trial: {pair.alignment.mismatch}."))
    if pair.alignment.shift_pixels is None and not pair.identical:
        refused["shift_pixels"] = pair.alignment.mismatch or "the pictures do not show enough to tell a shift"
    zone = pair.zone(valid)
    refused |= zone.refused
    return {
        "identical": pair.identical,
        "shift_pixels": 0.0 if pair.identical else pair.alignment.shift_pixels,
        "noise_ratio": ratio_row(zone.noise_ratio),
        "total_noise_ratio": ratio_row(zone.total_noise_ratio),
        "visible_noise_ratio": ratio_row(zone.visible_noise_ratio),
        "difference": difference_row(zone.difference),
        "look": look_row(zone.look),
        "visible": visible_row(zone.visible),
    }


def _against_reference(
    read: dict[str, Read], viewing: Viewing | None, refused: dict[str, str]
) -> dict[str, Any] | None:
    """Each side's own measures by the reference; noise is never divided by it."""
    if "reference" not in read:
        refused["against_reference"] = "there is no reference to judge by"
        return None
    rows = {}
    for side in ("control", "trial"):
        picture, _ = read[side]
        own = {name.removeprefix(f"{side} "): each for name, each in read.items() if name.startswith(f"{side} twin")}
        partners = Partners(picture, own | {name: each for name, each in read.items() if name.startswith("reference")})
        try:
            rows[side] = zone_row(measures_of(picture, partners, picture.valid, viewing).zone(picture.valid))
        except RefusedError as refusal:
            rows[side] = refused_row(dict.fromkeys(NAMES, refusal.reason))
    return rows


def _same_noise(
    noise: dict[str, Any] | None, times: StatedTimes | None, refused: dict[str, str]
) -> dict[str, Any] | None:
    """How much sooner the trial has the control's noise, from one render each: t0 + (t − t0)·ratio²."""
    if noise is None:
        return None
    if times is None or times.trial_ready is None:
        refused["same_noise"] = NO_SAME_NOISE
        return None
    refused.pop("same_noise", None)
    ready, rendering = times.trial_ready, times.trial - times.trial_ready
    speed_ups = [times.control / (ready + rendering * value**2) for value in (noise["value"], *noise["interval"])]
    return {
        "speed_up": speed_ups[0], "interval": [speed_ups[2], speed_ups[1]], "reachable": True,
        "note": "from one render each; the interval is of the noise, not of the times",
    }  # fmt: skip


def _time_ratio(times: StatedTimes | None) -> tuple[Ratio | None, dict[str, str]]:
    if times is None:
        return None, {"time_ratio": NO_TIMES}
    runs = []
    for name, seconds, ready in (
        ("control", times.control, times.control_ready), ("trial", times.trial, times.trial_ready),
    ):  # fmt: skip
        if not seconds > 0.0 or (ready is not None and not 0.0 <= ready < seconds):
            raise InputError(f"the {name}'s seconds must be above 0, and its getting ready less than all of them")
        runs.append(RunTimes(seconds, ready, seconds, ready, 1, "stated"))
    try:
        return time_ratio(runs[:1], runs[1:]), {}
    except RefusedError as refusal:
        return None, {"time_ratio": refusal.reason}


def ratio_row(ratio: Ratio | None) -> dict[str, Any] | None:
    """A ratio as plain values."""
    if ratio is None:
        return None
    row: dict[str, Any] = {
        "value": ratio.value, "interval": list(ratio.interval) if ratio.interval else None, "tie": ratio.tie,
        "method": ratio.method, "version": ratio.version,
    }  # fmt: skip
    if ratio.spread is not None:
        row |= {
            "noisier_in_percent": 100 * ratio.spread.noisier, "cleaner_in_percent": 100 * ratio.spread.cleaner,
            "tenth": ratio.spread.tenth, "ninetieth": ratio.spread.ninetieth,
            "places": ratio.spread.places, "quiet_places": ratio.spread.quiet,
        }  # fmt: skip
    return row


def difference_row(figure: DifferenceFigure | None) -> dict[str, Any] | None:
    """The difference entry of a report."""
    if figure is None:
        return None
    return {
        "found": figure.found, "overall_z": figure.overall_z, "smallest_seen_percent": figure.smallest_seen_percent,
        "zones": [
            {
                "row": cell.row, "column": cell.column, "z": cell.z, "percent": cell.percent, "box": list(cell.box),
                "smallest_seen_percent": cell.smallest_seen_percent,
            }
            for cell in figure.named
        ],
        "cells": [[*cell.box, cell.percent, cell.smallest_seen_percent] for cell in figure.cells],
        "islands": [
            {
                "box": list(island.box), "pixels": island.pixels, "percent": island.percent,
                "smallest_seen_percent": island.smallest_seen_percent,
            }
            for island in figure.islands
        ],
        "specks": [list(box) for box in figure.specks],
        "method": figure.method, "version": figure.version,
    }  # fmt: skip
