"""Runs the measures on picture files and lays the figures out under fixed keys."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.file_checks import FileCheck, check_file, check_identical, stops
from matchedpair.measures.noise import NoiseFigure, TwinNoise
from matchedpair.measures.zones import WHOLE, Zone, without
from matchedpair.pictures import Picture

NOT_BUILT = ("fireflies", "error", "blotches", "detail", "look", "visible")


def measure_files(
    render: Path,
    *,
    twin: Path | None = None,
    reference: Path | None = None,
    reference_twin: Path | None = None,
    zones: Sequence[Zone] = (),
    left_out: Sequence[Zone] = (),
) -> dict[str, Any]:
    """Check and measure one render, with its twin and reference when given.

    Returns
    -------
    dict
        ``{"checks": [...], "zones": {"whole": {...}, NAME: {...}}}``; what was not measured is None, with the reason
        under the zone's ``refused``.

    Raises
    ------
    InputError
        When the render or a partner cannot be read, or a zone lies outside.
    """
    picture, checks = _readable(render)
    partners = {
        role: _readable(path)
        for role, path in (("twin", twin), ("reference", reference), ("reference twin", reference_twin))
        if path is not None
    }
    for role, (_, found) in partners.items():
        checks += [FileCheck(c.code, c.severity, f"The {role}: {c.message}", c.places) for c in found]
    if "twin" in partners:
        checks += check_identical(picture, partners["twin"][0], "its twin")
    measured = _twin_noise(picture, partners.get("twin", (None, []))[0], left_out, stops(checks))
    report: dict[str, Any] = {}
    for name, mask in [(WHOLE, picture.valid), *((zone.name, zone.mask(picture.size)) for zone in zones)]:
        report[name] = _zone_report(measured, mask)
    return {"checks": [_check_row(check) for check in checks], "zones": report}


def noise_row(figure: NoiseFigure) -> dict[str, Any]:
    """The noise entry of a report."""
    return {
        "percent": figure.noise.value,
        "interval": list(figure.noise.interval) if figure.noise.interval else None,
        "method": figure.noise.method,
        "version": figure.noise.version,
        "top_share": figure.top_share,
        "without_fireflies_percent": None,
        "seen_percent": None,
    }


def _readable(path: Path) -> tuple[Picture, list[FileCheck]]:
    picture, checks = check_file(path)
    if picture is None:
        raise InputError(f"{path}: {checks[0].message}")
    return picture, checks


def _twin_noise(
    picture: Picture, twin: Picture | None, left_out: Sequence[Zone], stopped: bool
) -> TwinNoise | RefusedError:
    if stopped:
        return RefusedError("noise", "a check on the file stops all measuring; see the checks")
    if twin is None:
        return RefusedError("noise", "there is no twin: render the same again with another seed")
    try:
        if picture.size != twin.size:
            raise RefusedError("noise", "the twins differ in size")
        valid = without(picture.valid & twin.valid, left_out)
        return TwinNoise([picture.pixels, twin.pixels], valid)
    except RefusedError as refusal:
        return refusal


def _zone_report(measured: TwinNoise | RefusedError, mask: Any) -> dict[str, Any]:
    refused = [{"measure": name, "reason": "this version does not measure it"} for name in NOT_BUILT]
    row: dict[str, Any] = {"noise": None, **dict.fromkeys(NOT_BUILT), "refused": refused}
    try:
        if isinstance(measured, RefusedError):
            raise measured
        row["noise"] = noise_row(measured.figure(mask))
        refused += [
            {"measure": f"noise.{key}", "reason": "this version does not measure it"}
            for key in ("without_fireflies_percent", "seen_percent")
        ]
    except RefusedError as refusal:
        refused.insert(0, {"measure": refusal.measure, "reason": refusal.reason})
    return row


def _check_row(check: FileCheck) -> dict[str, Any]:
    row = asdict(check)
    row["places"] = [list(place) for place in check.places]
    return row
