"""Runs the measures of a pair on picture files and lays the figures out under fixed keys."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.cost import RunTimes, time_ratio
from matchedpair.measures.difference import DifferenceFigure
from matchedpair.measures.figure import Ratio
from matchedpair.measures.file_checks import FileCheck, identical, stops
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.render import Viewing
from matchedpair.measures.report import (
    NAMES,
    Partners,
    Read,
    check_row,
    look_row,
    measures_of,
    read_all,
    refused_row,
    visible_row,
    zone_row,
)
from matchedpair.pictures import Picture
from matchedpair.pictures.display import require_transform

NO_SAME_NOISE = "it needs a ladder of renders or a fit; this version does not give it"
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
    files: dict[str, Path | None], *, times: StatedTimes | None = None, viewing: Viewing | None = None
) -> dict[str, Any]:
    """Compare a trial with its control.

    Parameters
    ----------
    files : dict
        By role: ``control``, ``trial``, and where there are some ``control twin``, ``trial twin``, ``reference``,
        ``reference twin``.

    Raises
    ------
    InputError
        When a file cannot be read, or times do not fit.
    """
    require_transform(viewing.transform if viewing else "")
    ratio, time_refused = _time_ratio(times)
    read = read_all(files)
    pictures = {role: picture for role, (picture, _) in read.items()}
    checks = [
        replace(check, message=f"The {role}: {check.message}") for role, (_, found) in read.items() for check in found
    ]
    row: dict[str, Any] = {
        "identical": None, "shift_pixels": None, "noise_ratio": None, "time_ratio": ratio_row(ratio),
        "same_noise": None, "difference": None, "look": None, "visible": None, "against_reference": None,
    }  # fmt: skip
    refused = {"same_noise": NO_SAME_NOISE} | time_refused
    try:
        if stops(check for role in read for check in read[role][1] if "reference" not in role):
            raise RefusedError("pair", STOPPED)
        row |= _compared(pictures, viewing, checks, refused)
    except RefusedError as refusal:
        row["identical"] = False if "sizes" in refusal.reason else None
        refused |= dict.fromkeys(("shift_pixels", "noise_ratio", "difference", "look", "visible"), refusal.reason)
    row["against_reference"] = _against_reference(read, viewing, refused)
    row["checks"] = [check_row(check) for check in sorted(checks, key=lambda check: check.severity != "stop")]
    row["refused"] = [{"measure": name, "reason": reason} for name, reason in refused.items()]
    return row


def _compared(
    pictures: dict[str, Picture], viewing: Viewing | None, checks: list[FileCheck], refused: dict[str, str]
) -> dict[str, Any]:
    sides = [[pictures[role] for role in (side, f"{side} twin") if role in pictures] for side in ("control", "trial")]
    if len({picture.size for side in sides for picture in side}) > 1:
        valid = np.ones((1, 1), dtype=np.bool_)
    else:
        valid = np.logical_and.reduce([picture.valid for side in sides for picture in side])
    control, trial = ([picture.pixels for picture in side] for side in sides)
    pair = PairMeasures(control, trial, valid, viewing=viewing)
    if pair.identical:
        checks.append(replace(identical("the control"), message="The trial is bit-equal to the control."))
    if pair.alignment.mismatch:
        checks.append(FileCheck("mismatch", "stop", f"The trial: {pair.alignment.mismatch}."))
    if pair.alignment.shift is None and not pair.identical:
        refused["shift_pixels"] = pair.alignment.mismatch or "the pictures do not show enough to tell a shift"
    zone = pair.zone(valid)
    refused |= zone.refused
    return {
        "identical": pair.identical,
        "shift_pixels": 0.0 if pair.identical else pair.alignment.shift_pixels,
        "noise_ratio": ratio_row(zone.noise_ratio),
        "difference": difference_row(zone.difference),
        "look": look_row(zone.look),
        "visible": visible_row(zone.visible),
    }


def _against_reference(
    read: dict[str, Read], viewing: Viewing | None, refused: dict[str, str]
) -> dict[str, Any] | None:
    """Each side's own measures by the reference; noise is never held against it."""
    if "reference" not in read:
        refused["against_reference"] = "there is no reference to judge by"
        return None
    rows = {}
    for side in ("control", "trial"):
        picture, _ = read[side]
        roles = {"twin": f"{side} twin", "reference": "reference", "reference twin": "reference twin"}
        partners = Partners(picture, {role: read[name] for role, name in roles.items() if name in read})
        try:
            rows[side] = zone_row(measures_of(picture, partners, picture.valid, viewing).zone(picture.valid))
        except RefusedError as refusal:
            rows[side] = refused_row(dict.fromkeys(NAMES, refusal.reason))
    return rows


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
    interval = list(ratio.interval) if ratio.interval else None
    return {
        "value": ratio.value,
        "interval": interval,
        "tie": ratio.tie,
        "method": ratio.method,
        "version": ratio.version,
    }


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
        "method": figure.method, "version": figure.version,
    }  # fmt: skip
