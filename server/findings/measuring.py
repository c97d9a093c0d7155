"""Measures what can be measured: options zone by zone, then the pairs they make. Done between renders."""

from __future__ import annotations

import logging
from collections.abc import Sequence

import numpy as np
from django.db import transaction
from django.db.models import Prefetch, Q, QuerySet
from matchedpair.elsewhere import DISPLAY
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures import noise_ratio
from matchedpair.measures.areas import LEAVE_OUT, MEASURE, Area, measured_mask
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.kinds import KIND_OF, KINDS, Measured, measured
from matchedpair.measures.noise import NoiseFigure
from matchedpair.measures.pair import OTHER_SIZE, PairMeasures
from matchedpair.measures.pair_report import difference_row
from matchedpair.measures.render import RenderMeasures, Viewing
from matchedpair.measures.report import look_row, visible_row
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.picture import Floats, Mask

from server.catalogue.zones import areas_by_view, signature
from server.findings.judging import References, reference_pictures
from server.findings.models import Comparison, Measure
from server.references.models import Reference
from server.runs.models import OPEN_STATES, Run, RunState
from server.store.pixels import stored_picture
from server.studies.models import Option, Pair, Purpose, Setup

NOISE = "noise"
ENCODED = "the pictures are display-encoded; state their view transform to measure them"
OUTSIDE = "no pixel of the zone is in this picture"
MOST_SEEDS = 4  # pictures held at once; more seeds sharpen noise little and cost memory
ZonesByView = dict[tuple[str, str], list[Area]]
log = logging.getLogger("server.measuring")


def counted_runs(option: Option) -> list[Run]:
    """The option's finished runs, warm-up apart, by seed."""
    runs = [run for run in option.runs.all() if run.state == RunState.FINISHED and not run.warm_up]
    return sorted(runs, key=lambda run: run.seed)


def measure_outstanding(options: QuerySet[Option]) -> int:
    """Measure what changed of these options and their pairs. Returns how many zones were measured or compared.

    A zone that moved is measured again alone; figures of zones that are gone are dropped. With renders still to come an
    option is measured once, when it has its first twins, and then when it has all.
    """
    done = 0
    zones, references = areas_by_view(), References()
    touched: list[int] = []
    runs = Run.objects.defer("log", "command")
    for option in options.select_related("setup__scene").prefetch_related(Prefetch("runs", runs), "measures"):
        touched.append(option.pk)
        counted = [run for run in counted_runs(option) if run.picture]
        wanted = areas_to_measure(option.setup, zones)
        option.measures.exclude(zone__in=wanted).delete()
        if not counted or option.purpose != Purpose.COUNTED or _waits(option, counted):
            continue
        reference = references.of(option.setup)
        stale = {
            zone: areas
            for zone, areas in wanted.items()
            if not _zone_is_current(option, counted, reference, zone, areas)
        }
        if stale:
            _write(option, counted, reference, stale)
            done += len(stale)
    return done + compare_outstanding(touched, zones)


def compare_outstanding(options: Sequence[int], zones: ZonesByView) -> int:
    """Compare the sides of the pairs that these options are in, where anything changed. Returns how many zones."""
    done = 0
    for start in range(0, len(options), 500):
        some = options[start : start + 500]
        pairs = Pair.objects.filter(Q(control__in=some) | Q(trial__in=some))
        for pair in with_sides(pairs).distinct():
            done += _compare(pair, zones)
    return done


def with_sides(pairs: QuerySet[Pair]) -> QuerySet[Pair]:
    """Pairs with their sides' setups, runs and comparisons."""
    runs = Run.objects.defer("log", "command")
    return pairs.select_related("control__setup__scene", "trial__setup__scene").prefetch_related(
        Prefetch("control__runs", runs), Prefetch("trial__runs", runs), "comparisons"
    )


def areas_to_measure(setup: Setup, zones: ZonesByView) -> dict[str, list[Area]]:
    """By name what is measured on a setup's view: the whole and each measured zone, each with all that is left out."""
    areas = zones.get((setup.scene.name, setup.view), [])
    left_out = [area for area in areas if area.kind == LEAVE_OUT]
    return {WHOLE: left_out} | {area.name: [area, *left_out] for area in areas if area.kind == MEASURE}


def noise_of(option: Option, zone: str = WHOLE) -> Measure | None:
    """The option's noise in a zone as it is stored, up to date or not."""
    return next((row for row in option.measures.all() if row.name == NOISE and row.zone == zone), None)


def is_current(measure: Measure, runs: Sequence[Run], area: str, reference: Reference | None = None) -> bool:
    """Whether a figure belongs to these runs, this reference, this area and this version of the method."""
    kind = KIND_OF.get(measure.name)
    if kind is None or measure.version != kind.version or measure.area != area:
        return False
    return bool(measure.inputs == inputs_of(kind.name, runs, reference))


def inputs_of(name: str, runs: Sequence[Run], reference: Reference | None) -> list[str]:
    """The pictures that a measure rests on."""
    pictures = [run.picture for run in runs]
    return pictures + (reference_pictures(reference) if KIND_OF[name].by_reference or len(runs) < 2 else [])


def noise_figure(measure: Measure) -> NoiseFigure | None:
    """The core's figure from a stored row; None when it was refused."""
    if measure.value is None:
        return None
    interval = None if measure.low is None or measure.high is None else (measure.low, measure.high)
    figure = Figure(measure.value, measure.unit, interval, measure.method, measure.version)
    return NoiseFigure(figure, measure.details.get("top_share", 0.0), measure.details.get("variance_error"))


def ratio_of(control: Measure | None, trial: Measure | None) -> Ratio | None:
    """Noise of the trial over the control's. Raises `RefusedError` with the reason when there is none to give."""
    if control is None or trial is None:
        return None
    for row in (control, trial):
        if row.refused:
            raise RefusedError("noise_ratio", row.refused)
    first, second = noise_figure(control), noise_figure(trial)
    return noise_ratio(first, second) if first and second else None


def render_measures(
    option: Option, runs: Sequence[Run], areas: list[Area], reference: Reference | None
) -> RenderMeasures:
    """The core's measures of an option's pictures. Raises `RefusedError`, or `PictureError` when one is missing."""
    pixels, valid = _pixels(option.setup, runs, areas)
    judged = [stored_picture(digest) for digest in reference_pictures(reference)]
    measures = RenderMeasures(
        pixels, valid, references=[picture.pixels for picture in judged],
        reference_valid=np.logical_and.reduce([picture.valid for picture in judged]) if judged else None,
        viewing=Viewing(option.setup.view_transform), smoothed=_smoothed(option),
    )  # fmt: skip
    measures.prepare()
    return measures


def pair_measures(pair: Pair, areas: list[Area]) -> PairMeasures:
    """The core's measures of a pair's pictures. Raises `RefusedError`, or `PictureError` when one is missing."""
    sides = []
    valid: Mask | None = None
    for option in (pair.control, pair.trial):
        pixels, own = _pixels(option.setup, counted_runs(option), areas)
        valid = own if valid is None or valid.shape != own.shape else valid & own
        sides.append(pixels)
    assert valid is not None
    return PairMeasures(sides[0], sides[1], valid, viewing=Viewing(pair.control.setup.view_transform))


def zone_mask(setup: Setup, zone: str, areas: list[Area], valid: Mask) -> Mask:
    """The pixels of a zone in a setup's pictures; `areas` begins with it."""
    if zone == WHOLE:
        return valid
    described = setup.description()
    return valid & areas[0].mask((described.width, described.height), described.crop)


def _waits(option: Option, counted: Sequence[Run]) -> bool:
    """Whether to wait for renders that are still to come: until the first twins are there, and then until all are."""
    if not any(run.state in OPEN_STATES and not run.warm_up for run in option.runs.all()):
        return False
    return len(counted) < 2 or any(row.name == NOISE and row.version for row in option.measures.all())


def _zone_is_current(
    option: Option, runs: Sequence[Run], reference: Reference | None, zone: str, areas: list[Area]
) -> bool:
    there = {row.name: row for row in option.measures.all() if row.zone == zone}
    area = signature(areas)
    return all(
        kind.name in there and is_current(there[kind.name], runs, area, reference)
        for kind in KINDS
        if reference is not None or not kind.by_reference
    )


def _write(option: Option, runs: Sequence[Run], reference: Reference | None, wanted: dict[str, list[Area]]) -> None:
    """Measure these zones from one reading of the pictures."""
    failed, measures = "", None
    try:
        measures = render_measures(option, runs, next(iter(wanted.values())), reference)
    except RefusedError as refusal:
        failed = refusal.reason
    except MatchedPairError as error:
        log.warning("option %s cannot be measured: %s", option.pk, error)
        failed = str(error)
    for zone, areas in wanted.items():
        mask = None if measures is None else zone_mask(option.setup, zone, areas, measures.light.valid)
        if measures is None or mask is None or not mask.any():
            rows = [Measured(kind.name, None, failed or OUTSIDE) for kind in KINDS]
        else:
            rows = list(measured(measures.zone(mask)))
        with transaction.atomic():
            option.measures.filter(zone=zone).delete()
            Measure.objects.bulk_create(
                _row(option, zone, signature(areas), row, inputs_of(row.name, runs, reference))
                for row in rows
                if reference is not None or not KIND_OF[row.name].by_reference
            )


def _row(option: Option, zone: str, area: str, measured: Measured, inputs: list[str]) -> Measure:
    figure, kind = measured.figure, KIND_OF[measured.name]
    low, high = (figure.interval or (None, None)) if figure else (None, None)
    return Measure(
        option=option, name=measured.name, zone=zone, area=area, inputs=inputs, version=kind.version, unit=kind.unit,
        value=figure.value if figure else None, low=low, high=high, method=figure.method if figure else "",
        details=measured.details, refused=measured.refused,
    )  # fmt: skip


def _pixels(setup: Setup, runs: Sequence[Run], areas: list[Area]) -> tuple[list[Floats], Mask]:
    """Pictures of an option's first seeds, and where they count. Raises `RefusedError` or `PictureError`."""
    if any(run.encoding == DISPLAY for run in runs):
        raise RefusedError("noise", ENCODED)
    pictures = [stored_picture(run.picture) for run in runs[:MOST_SEEDS] if run.picture]
    if not pictures:
        raise RefusedError("noise", "there is no finished render")
    if len({picture.size for picture in pictures}) > 1:
        raise RefusedError("noise", "the pictures differ in size")
    described = setup.description()
    left_out = [area for area in areas if area.kind == LEAVE_OUT]
    valid = np.logical_and.reduce([picture.valid for picture in pictures])
    valid = measured_mask(left_out, (described.width, described.height), described.crop, valid)
    return [picture.pixels for picture in pictures], valid


def _smoothed(option: Option) -> str:
    """Why one picture of this option hides its noise; empty when nothing is known to smooth it."""
    on = [name for name, value in option.settings.items() if "denois" in name and value not in (False, "", "off", 0)]
    return "a denoiser is on, so one picture hides its noise; render a twin" if on else ""


def _compare(pair: Pair, zones: ZonesByView) -> int:
    """Compare a pair's sides again in every zone that changed. Returns how many."""
    runs = [counted_runs(option) for option in (pair.control, pair.trial)]
    if not all(runs) or not all(run.picture for side in runs for run in side):
        return 0
    if any(_waits_for_pair(option) for option in (pair.control, pair.trial)):
        return 0
    wanted = areas_to_measure(pair.control.setup, zones)
    pair.comparisons.exclude(zone__in=wanted).delete()
    kept = {row.zone: row for row in pair.comparisons.all()}
    inputs = comparison_inputs(*runs)
    stale = {
        zone: areas
        for zone, areas in wanted.items()
        if zone not in kept or not comparison_is_current(kept[zone], inputs, signature(areas))
    }
    if not stale:
        return 0
    failed, measures = "", None
    try:
        measures = pair_measures(pair, next(iter(stale.values())))
    except RefusedError as refusal:
        failed = refusal.reason
    except MatchedPairError as error:
        log.warning("pair %s cannot be compared: %s", pair.pk, error)
        failed = str(error)
    for zone, areas in stale.items():
        fields = {"inputs": inputs, "area": signature(areas), "version": Comparison.VERSION}
        if measures is None:
            fields |= _nothing_compared(failed)
        else:
            fields |= _compared(measures, zone_mask(pair.control.setup, zone, areas, measures.valid))
        Comparison.objects.update_or_create(pair=pair, zone=zone, defaults=fields)
    return len(stale)


def _waits_for_pair(option: Option) -> bool:
    return any(run.state in OPEN_STATES and not run.warm_up for run in option.runs.all())


def comparison_inputs(control: Sequence[Run], trial: Sequence[Run]) -> list[str]:
    """The pictures that a comparison rests on."""
    return [run.picture for run in control] + ["against"] + [run.picture for run in trial]


def comparison_is_current(row: Comparison, inputs: list[str], area: str) -> bool:
    """Whether a comparison belongs to these pictures, this area and this version of the methods."""
    return bool(row.inputs == inputs and row.area == area and row.version == Comparison.VERSION)


def _nothing_compared(reason: str) -> dict[str, object]:
    names = ("noise_ratio", "difference", "look", "visible")
    unlike = reason if reason == OTHER_SIZE else ""
    return {
        "shift_pixels": None, "noise_refused": unlike, "difference": None, "look": None, "visible": None,
        "refused": dict.fromkeys(names, reason),
    }  # fmt: skip


def _compared(measures: PairMeasures, mask: Mask) -> dict[str, object]:
    zone = measures.zone(mask)
    unlike = "" if measures.identical else measures.alignment.shifted or measures.alignment.filtered
    return {
        "shift_pixels": 0.0 if measures.identical else measures.alignment.shift_pixels,
        "noise_refused": unlike,
        "difference": difference_row(zone.difference),
        "look": look_row(zone.look),
        "visible": visible_row(zone.visible),
        "refused": {name: reason for name, reason in zone.refused.items() if name != "noise_ratio"},
    }
