"""Measures a sequence of picture files, frame by frame checked, and lays the figures out under fixed keys."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.file_checks import FileCheck, check_file, stops
from matchedpair.measures.lag import fit_lag
from matchedpair.measures.light import equal
from matchedpair.measures.region import Region
from matchedpair.measures.report import check_row
from matchedpair.measures.sequence import Frames, SequenceFigure
from matchedpair.measures.sequence_error import regions_of, sequence_error
from matchedpair.measures.zones import WHOLE, Zone
from matchedpair.pictures.filters import light_of
from matchedpair.pictures.picture import Floats, Mask

VERSION = 4  # of all figures of a sequence together
NOTHING_STILL = "no pixel counts in every frame; what moves over an empty background is told by a reference sequence"
STILL = "a still view: what moves with a camera, or is dragged along by one, is not seen here"
NAMES = ("flicker_percent", "boiling_percent", "boiling_share", "frame_to_frame_percent", "response")
NUMBER = re.compile(r"(\d+)(?!.*\d)")


@dataclass(frozen=True)
class _Read:
    """Luminance of all frames, where each counts, their size, and what the checks found."""

    frames: list[Floats]
    valid: list[Mask]
    size: tuple[int, int]
    checks: list[FileCheck]

    @property
    def valid_in_all(self) -> Mask:
        """Where every frame counts."""
        return np.asarray(np.logical_and.reduce(self.valid))


def sequence_files(
    paths: Sequence[Path],
    zones: Sequence[Zone] = (),
    *,
    references: Sequence[Path] = (),
    reference_twins: Sequence[Path] = (),
) -> dict[str, Any]:
    """Check every frame and measure the sequence.

    Parameters
    ----------
    paths : sequence of Path
        The frames in their order.
    zones : sequence of Zone
        With zones, the figures at the top are those of the first; all are under ``zones``, with the whole.
    references, reference_twins : sequence of Path
        A frame of the reference for each frame, and the same with another seed.

    Returns
    -------
    dict
        The figures by `NAMES`, ``checks``, ``frames`` (mean luminance and spread by frame), ``reference`` (error
        and lag against it, null without one) and ``refused``.

    Raises
    ------
    InputError
        With fewer than two frames, a frame that cannot be read or is of another size, or a zone outside.
    """
    read = _read(paths, "frame")
    others = [_read(each, name) for each, name in ((references, "reference"), (reference_twins, "twin")) if each]
    for each, name in zip(others, ("reference", "reference's twin"), strict=False):
        if each.size != read.size or len(each.frames) != len(read.frames):
            raise InputError(
                f"the {name} has {len(each.frames)} frames of {_size(each.size)} pixels and the sequence "
                f"{len(read.frames)} of {_size(read.size)}; give one for each frame"
            )
    if reference_twins and not references:
        raise InputError("a reference's twin needs the reference: give --reference too")
    everywhere = np.ones(read.valid[0].shape, dtype=np.bool_)
    masks = {WHOLE: everywhere} | {zone.name: zone.mask(read.size) for zone in zones}
    rows = {name: _zone_row(read, mask, others) for name, mask in masks.items()}
    shown = zones[0].name if zones else WHOLE
    return {
        **rows[shown], "zone": shown, "checks": [check_row(check) for check in read.checks], "zones": rows,
        "note": STILL,
    }  # fmt: skip


def _read(paths: Sequence[Path], what: str) -> _Read:
    if len(paths) < 2:
        raise InputError(f"{len(paths)} {what} is no sequence; give at least two")
    checks = _gaps(paths)
    frames: list[Floats] = []
    valid: list[Mask] = []
    size = (0, 0)
    last = None
    for number, path in enumerate(paths):
        picture, found = check_file(path, in_window=True)
        if picture is None:
            raise InputError(f"{path}: {found[0].message}")
        if not frames:
            size = picture.size
        elif picture.size != size:
            raise InputError(
                f"{path}: it is {_size(picture.size)} pixels and the {what}s before {_size(size)}; "
                "a sequence has one size"
            )
        checks += [
            FileCheck(each.code, each.severity, f"{what.capitalize()} {number}, {path.name}: {each.message}")
            for each in found
        ]
        if stops(found):
            raise InputError(f"{path}: {next(each.message for each in found if each.severity == 'stop')}")
        if last is not None and equal(last, picture.pixels):
            words = f"{what.capitalize()} {number}, {path.name}: bit-equal to the {what} before."
            checks.append(FileCheck("identical", "warn", words))
        last = picture.pixels
        valid.append(picture.valid)
        frames.append(light_of(picture.pixels))
    return _Read(frames, valid, size, checks)


def _size(size: tuple[int, int]) -> str:
    return "×".join(map(str, size))


def _zone_row(read: _Read, mask: Mask, others: Sequence[_Read]) -> dict[str, Any]:
    valid = read.valid_in_all
    try:
        row = figure_row(Frames(read.frames, valid).figure(still_region(mask, valid)))
    except RefusedError as refusal:
        row = refused_row(refusal.reason)
    if not others:
        return row | {"reference": None}
    counted = [np.logical_and.reduce(each) for each in zip(read.valid, *(row.valid for row in others), strict=True)]
    twins = others[1].frames if len(others) > 1 else []
    try:
        against = against_row(read.frames, others[0].frames, twins, mask, counted)
    except RefusedError as refusal:
        refused = [*row["refused"], {"measure": "reference", "reason": refusal.reason}]
        return row | {"reference": None, "refused": refused}
    reason = against.pop("lag_refused")
    refused = [*row["refused"], *([{"measure": "lag", "reason": reason}] if reason else [])]
    return row | {"reference": against, "refused": refused}


def still_region(zone: Mask, valid: Mask) -> Region:
    """A zone where every frame counts. Raises `RefusedError` where nothing of it does."""
    if not (zone & valid).any():
        raise RefusedError("sequence", NOTHING_STILL)
    return Region(zone & valid)


def refused_row(reason: str) -> dict[str, Any]:
    """A zone without figures, and why."""
    return {**dict.fromkeys(NAMES), "frames": [], "refused": [{"measure": "sequence", "reason": reason}]}


def against_row(
    frames: Sequence[Floats], references: Sequence[Floats], twins: Sequence[Floats], zone: Mask, valid: Sequence[Mask]
) -> dict[str, Any]:
    """What a zone's frames are against the reference's, as plain values; raises as `sequence_error`."""
    error = sequence_error(frames, references, zone, valid, reference_twins=twins)
    regions = regions_of(zone, valid)
    means, *sides = (
        [region.mean(frame) if region else 0.0 for frame, region in zip(side, regions, strict=True)]
        for side in (frames, references, twins) if side
    )  # fmt: skip
    return {
        "error_percent": error.error_percent, "frame_to_frame_percent": error.frame_to_frame_percent,
        "by_frame": list(error.by_frame), "noise_taken_out": error.twin,
        **lag_row(means, list(np.mean(sides, axis=0))),
    }  # fmt: skip


def lag_row(means: Sequence[float], others: Sequence[float]) -> dict[str, Any]:
    """How far a zone's means lag behind another sequence's as plain values, or why that cannot be told."""
    try:
        lag = fit_lag(means, others)
    except RefusedError as refusal:
        return {"lag": None, "lag_refused": refusal.reason}
    row = {
        "tau": lag.tau, "interval": list(lag.interval), "frames_to_90": lag.frames_to_90,
        "frames_to_90_interval": list(lag.frames_to_90_interval), "at_once": lag.at_once,
    }  # fmt: skip
    return {"lag": row, "lag_refused": ""}


def figure_row(figure: SequenceFigure) -> dict[str, Any]:
    """A zone's figures as plain values."""
    response = figure.response
    return {
        "flicker_percent": figure.flicker_percent, "boiling_percent": figure.boiling_percent,
        "boiling_share": figure.boiling_share, "frame_to_frame_percent": figure.frame_to_frame_percent,
        "correlation": figure.correlation, "moves": figure.moves,
        "response": None if response is None else {
            "frame": response.frame, "tau": response.tau, "frames_to_90": response.frames_to_90,
            "at_once": response.at_once, "change": response.change,
        },
        "frames": [
            {"mean": mean, "spread_percent": spread}
            for mean, spread in zip(figure.means, figure.spread, strict=True)
        ],
        "refused": [{"measure": name, "reason": why} for name, why in figure.refused.items()],
    }  # fmt: skip


def _gaps(paths: Sequence[Path]) -> list[FileCheck]:
    """What the numbers in the names say: frames that are missing, or that stand in another order."""
    found = [NUMBER.search(path.stem) for path in paths]
    numbers = [int(match[1]) for match in found if match]
    if len(numbers) < len(paths):
        return []
    checks = []
    if sorted(numbers) != numbers:
        checks.append(FileCheck("order", "warn", "The frames are not in the order of the numbers in their names."))
    missing = sorted(set(range(min(numbers), max(numbers) + 1)) - set(numbers))
    if missing and len(missing) < 10 * len(numbers):
        told = ", ".join(map(str, missing[:8])) + (" …" if len(missing) > 8 else "")
        checks.append(
            FileCheck("gap", "warn", f"{len(missing)} frames are missing by the numbers in the names: {told}.")
        )
    return checks
