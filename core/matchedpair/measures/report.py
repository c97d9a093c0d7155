"""Runs the measures on picture files and lays the figures out under fixed keys."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, replace
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.blotches import BlotchFigure
from matchedpair.measures.detail import Octave
from matchedpair.measures.error import ErrorFigure
from matchedpair.measures.figure import Figure
from matchedpair.measures.file_checks import FileCheck, check_file, check_identical, stops
from matchedpair.measures.fireflies import FireflyFigure
from matchedpair.measures.light import equal
from matchedpair.measures.look import LookFigure, Place
from matchedpair.measures.noise import NoiseFigure
from matchedpair.measures.render import NO_REFERENCE, RenderMeasures, Viewing, ZoneMeasures
from matchedpair.measures.single_noise import SingleNoise
from matchedpair.measures.visible import VisibleFigure
from matchedpair.measures.zones import WHOLE, Zone, without
from matchedpair.pictures import Picture
from matchedpair.pictures.display import require_transform
from matchedpair.pictures.picture import Mask

STOPPED = "a check on the file stops all measuring; see the checks"
NAMES = ("noise", "fireflies", "error", "blotches", "detail", "look", "visible")


def measure_files(
    render: Path,
    *,
    twins: Sequence[Path] = (),
    reference: Path | None = None,
    reference_twin: Path | None = None,
    zones: Sequence[Zone] = (),
    left_out: Sequence[Zone] = (),
    viewing: Viewing | None = None,
) -> dict[str, Any]:
    """Check and measure one render, with its twins and reference when given.

    Returns
    -------
    dict
        ``{"checks": [...], "zones": {"whole": {...}, NAME: {...}}}``; what was not measured is None, with the reason
        under the zone's ``refused``.

    Raises
    ------
    InputError
        When the render or a partner cannot be read, a zone lies outside, or there is no such view transform.
    """
    require_transform(viewing.transform if viewing else "")
    read = read_all(
        {"render": render, "reference": reference, "reference twin": reference_twin} | numbered("twin", twins)
    )
    picture, checks = read.pop("render")
    valid, size = picture.valid, picture.size
    for zone in zones:
        zone.mask(size)  # those outside are said before anything is measured
    names = [WHOLE, *(zone.name for zone in zones)]
    counted = without(picture.valid, left_out)
    stopped = stops(checks)
    partners = Partners(picture, read)
    checks = checks + partners.checks
    try:
        if stopped:
            raise RefusedError("noise", STOPPED)
        measured = measures_of(picture, partners, counted, viewing)
        checks += _against_reference(measured)
        if measured.no_twins:
            checks.append(FileCheck("twin", "warn", f"{measured.no_twins[:1].upper()}{measured.no_twins[1:]}."))
        del picture, partners, read  # their colours are not needed to the end
        rows = [zone_row(zone) for zone in measured.zones(chain([valid], (zone.mask(size) for zone in zones)))]
    except RefusedError as refusal:
        rows = [refused_row(dict.fromkeys(NAMES, refusal.reason)) for _ in names]
    return {
        "checks": [check_row(check) for check in sorted(checks, key=lambda check: check.severity != "stop")],
        "zones": dict(zip(names, rows, strict=True)),
    }


Read = tuple[Picture, list[FileCheck]]


class Partners:
    """The other files of a render, by role: what can be used, what was found, and why one cannot be used."""

    def __init__(self, picture: Picture, read: dict[str, Read]) -> None:
        self.checks: list[FileCheck] = []
        self.refused: dict[str, str] = {}
        self._usable: dict[str, Picture] = {}
        for role, (partner, own) in read.items():
            found = own if partner.size == picture.size else [_other_size(partner, picture), *own]
            if role.startswith("reference"):  # an analytic picture may well be of one value
                found = [replace(check, severity="warn") if check.code == "flat" else check for check in found]
            first = self.get("reference") if role == "reference twin" else picture if _is_twin(role) else None
            if first is not None:
                found = found + check_identical(partner, first, "its twin")
            self.checks += [replace(check, message=f"The {role}: {check.message}") for check in found]
            stop = next((check for check in found if check.severity == "stop"), None)
            if stop is None:
                self._usable[role] = partner
            else:
                self.refused[role] = f"the {role} cannot be used: {stop.message}"

    def get(self, role: str) -> Picture | None:
        """The picture in this role, if it can be used."""
        return self._usable.get(role)

    @property
    def twins(self) -> list[Picture]:
        """The twins that can be used."""
        return [picture for role, picture in self._usable.items() if _is_twin(role)]

    @property
    def twin_refused(self) -> str:
        """Why there is no twin although some were given; empty when one can be used or none was given."""
        reasons = [reason for role, reason in self.refused.items() if _is_twin(role)]
        return reasons[0] if reasons and not self.twins else ""


def numbered(role: str, paths: Sequence[Path]) -> dict[str, Path | None]:
    """Paths by role: ``twin``, ``twin 2``, ``twin 3`` …"""
    return {role if number == 1 else f"{role} {number}": path for number, path in enumerate(paths, start=1)}


def _is_twin(role: str) -> bool:
    return role.split(" ", maxsplit=1)[0] == "twin"


def read_all(paths: dict[str, Path | None]) -> dict[str, Read]:
    """Pictures by role with what was found on each; roles without a file are left out. Raises `InputError`."""
    given = {role: path for role, path in paths.items() if path is not None}
    with ThreadPoolExecutor(2) as pool:
        return dict(zip(given, pool.map(_readable, given.values()), strict=True))


def _readable(path: Path) -> Read:
    picture, checks = check_file(path, in_window=True)
    if picture is None:
        raise InputError(f"{path}: {checks[0].message}")
    return picture, checks


def _other_size(partner: Picture, picture: Picture) -> FileCheck:
    came, wanted = ("×".join(map(str, each.size)) for each in (partner, picture))
    return FileCheck("size", "stop", f"it is {came} pixels and the render {wanted}; the two differ in size.")


def measures_of(picture: Picture, partners: Partners, counted: Mask, viewing: Viewing | None) -> RenderMeasures:
    """The measures of a render with what can be used of its partners. Raises `RefusedError`."""
    twins, reference, second = partners.twins, partners.get("reference"), partners.get("reference twin")
    if second is not None and reference is not None and equal(reference.pixels, second.pixels):
        second = None  # bit-equal: no second seed
    valid = np.logical_and.reduce([counted, *(twin.valid for twin in twins)])
    references = [each for each in (reference, second) if each is not None and reference is not None]
    return RenderMeasures(
        [picture.pixels, *(twin.pixels for twin in twins)],
        valid,
        references=[each.pixels for each in references],
        reference_valid=np.logical_and.reduce([each.valid for each in references]) if references else None,
        viewing=viewing,
        no_twin=partners.twin_refused,
        no_reference=partners.refused.get("reference", NO_REFERENCE),
    )


def _against_reference(measures: RenderMeasures) -> list[FileCheck]:
    if measures.alignment is None or not measures.alignment.mismatch:
        return []
    return [FileCheck("mismatch", "stop", f"The reference: {measures.alignment.mismatch}.")]


def refused_row(refused: dict[str, str]) -> dict[str, Any]:
    """A zone of which nothing was measured."""
    return {**dict.fromkeys(NAMES), "refused": [{"measure": name, "reason": why} for name, why in refused.items()]}


def zone_row(zone: ZoneMeasures) -> dict[str, Any]:
    """A zone's entry: every key, and every reason."""
    refused = dict(zone.refused)
    if zone.error is not None:
        refused |= {f"error.{name}_percent": why for name, why in zone.error.refused.items()}
    if zone.detail is not None and any(octave.kept is None for octave in zone.detail):
        refused["detail.octaves"] = "where it is null, the reference has no detail of that size to judge by"
    if zone.blotches is not None and not zone.blotches.found:
        refused["blotches.amplitude_percent"] = no_blotches(zone.blotches)
    return {
        "noise": _noise(zone),
        "fireflies": _fireflies(zone.first_fireflies),
        "error": _error(zone.error),
        "blotches": _blotches(zone.blotches),
        "detail": _detail(zone.detail),
        "look": look_row(zone.look),
        "visible": visible_row(zone.visible),
        "refused": [{"measure": name, "reason": reason} for name, reason in refused.items()],
    }


def no_blotches(figure: BlotchFigure) -> str:
    """What it means that none were found."""
    if figure.found is None:
        return "the zone is too small to tell patches from chance"
    kind = "varying blotches" if figure.grain.method == "twin" else "blotches"
    return f"no {kind}; slow patches of {figure.smallest_seen_percent:.2g} % would have been seen"


def check_row(check: FileCheck) -> dict[str, Any]:
    """A finding as plain values."""
    return asdict(check) | {"places": [list(place) for place in check.places]}


def interval_row(figure: Figure) -> list[float] | None:
    """Low and high, or None."""
    return list(figure.interval) if figure.interval else None


def _noise(zone: ZoneMeasures) -> dict[str, Any] | None:
    measured: NoiseFigure | SingleNoise | None = zone.noise or zone.single
    if measured is None:
        return None
    twins = measured if isinstance(measured, NoiseFigure) else None
    row: dict[str, Any] = {
        "percent": measured.noise.value, "interval": interval_row(measured.noise), "method": measured.noise.method,
        "version": measured.noise.version,
        "worst_tenth_percent": twins.worst.value if twins else None,
        "total_percent": twins.total.value if twins else None,
        "total_interval": interval_row(twins.total) if twins else None,
        "top_share": twins.top_share if twins else None,
        "without_fireflies_percent": zone.noise_without_fireflies.value if zone.noise_without_fireflies else None,
        "seen_percent": zone.noise_seen.value if zone.noise_seen else None,
        "visible": zone.visible_noise.typical.value if zone.visible_noise else None,
        "visible_worst_tenth": zone.visible_noise.worst.value if zone.visible_noise else None,
    }  # fmt: skip
    if isinstance(measured, SingleNoise):
        row["curve"] = [list(point) for point in measured.curve]
    return row


def _fireflies(figure: FireflyFigure | None) -> dict[str, Any] | None:
    if figure is None:
        return None
    return {
        "count": figure.count, "per_megapixel": figure.per_megapixel.value,
        "interval": interval_row(figure.per_megapixel), "light_percent": figure.light_percent.value,
        "positions": [list(place) for place in figure.positions], "method": figure.per_megapixel.method,
        "version": figure.per_megapixel.version,
    }  # fmt: skip


def _error(figure: ErrorFigure | None) -> dict[str, Any] | None:
    if figure is None:
        return None
    parts = {
        "total": figure.total, "random": figure.random, "systematic": figure.systematic,
        "low_frequency": figure.low_frequency,
    }  # fmt: skip
    return {f"{name}_percent": part.value if part else None for name, part in parts.items()} | {
        "intervals": {name: interval_row(part) if part else None for name, part in parts.items()},
        "version": figure.total.version,
    }


def _blotches(figure: BlotchFigure | None) -> dict[str, Any] | None:
    if figure is None:
        return None
    return {
        "found": figure.found, "amplitude_percent": figure.amplitude.value if figure.amplitude else None,
        "interval": interval_row(figure.amplitude) if figure.amplitude else None,
        "scale_pixels": figure.scale.value if figure.scale else None, "grain": figure.grain.value,
        "smallest_seen_percent": figure.smallest_seen_percent, "method": figure.grain.method,
        "varying": figure.varying, "lasting": figure.lasting,
        "version": figure.grain.version,
    }  # fmt: skip


def _detail(octaves: tuple[Octave, ...] | None) -> dict[str, Any] | None:
    if octaves is None:
        return None
    return {
        "octaves": [
            {
                "pixels": octave.pixels,
                "kept": octave.kept.value if octave.kept else None,
                "interval": interval_row(octave.kept) if octave.kept else None,
            }
            for octave in octaves
        ]
    }


def look_row(figure: LookFigure | None) -> dict[str, Any] | None:
    """The look entry of a report."""
    if figure is None:
        return None
    return {
        "stops": figure.stops.value, "interval": interval_row(figure.stops), "delta_e": figure.delta_e.value,
        "delta_e_after_gain": figure.delta_e_after_gain.value, "worst": _place(figure.worst),
        "darkest_stops": figure.darkest_stops, "brightest_stops": figure.brightest_stops,
        "clamped_at": figure.clamped_at, "light_lost_percent": figure.light_lost_percent,
        "version": figure.stops.version,
    }  # fmt: skip


def _place(place: Place) -> dict[str, Any]:
    return {"row": place.row, "column": place.column, "stops": place.stops, "box": list(place.box)}


def visible_row(figure: VisibleFigure | None) -> dict[str, Any] | None:
    """The visible entry of a report."""
    if figure is None:
        return None
    return {
        "mean": figure.mean.value, "p95": figure.p95, "above_1_percent": figure.above_1_percent,
        "above_3_percent": figure.above_3_percent, "pixels_per_degree": figure.pixels_per_degree,
        "own_noise_mean": figure.own_noise.value if figure.own_noise else None, "version": figure.mean.version,
    }  # fmt: skip
