"""Measures that only some questions need: a picture at one apparent size, an engine's pass, nearness to a photograph,
how an error falls with samples.

They are kept beside the others, under names of their own, once all renders of a study are there.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import QuerySet
from matchedpair.errors import MatchedPairError, RefusedError
from matchedpair.measures import apparent, convergence, nearness, pass_apart
from matchedpair.measures.drawn_zones import LEAVE_OUT, DrawnZone, measured_mask
from matchedpair.measures.figure import Figure
from matchedpair.measures.render import Viewing
from matchedpair.measures.samples_to import Convergence
from matchedpair.measures.zones import WHOLE
from matchedpair.pictures.photograph import match_photograph
from matchedpair.pictures.picture import Floats, Mask

from server.catalogue.engines import denoisers_in
from server.catalogue.zones import signature
from server.measuring.inputs import (
    ZonesByView,
    counted_runs,
    made_or_reason,
    zone_mask,
    zones_to_measure,
)
from server.measuring.models import Comparison, Measure
from server.measuring.which_reference import References, reference_pictures
from server.references.actions import keep_match
from server.references.models import Reference
from server.runs.models import OPEN_STATES, Run
from server.store.pixels import stored_picture
from server.studies.models import Option, Purpose, Setup, Study

APPARENT_ERROR, APPARENT_DETAIL = "apparent_error", "apparent_detail"
PASS_NOISE, PASS_APART, LAID_OVER = "pass_noise", "pass_apart", "laid_over"
NEARNESS = "nearness"
CONVERGENCE = "convergence"
MOST_SEEDS = 4
VERSIONS = {
    APPARENT_ERROR: apparent.VERSION, APPARENT_DETAIL: apparent.VERSION, PASS_NOISE: pass_apart.VERSION,
    PASS_APART: pass_apart.VERSION, LAID_OVER: pass_apart.VERSION, NEARNESS: nearness.VERSION,
    CONVERGENCE: convergence.VERSION,
}  # fmt: skip
NAMES = tuple(VERSIONS)


@dataclass(frozen=True)
class _Wanted:
    """Figures that rest on the same pictures: for which option, of which pictures and area, and how they are got."""

    option: Option
    names: tuple[str, ...]
    inputs: list[str]
    zones: dict[str, list[DrawnZone]]
    make: Callable[[], dict[tuple[str, str], Any]]


def measure_for_questions(touched: Sequence[int], zones: ZonesByView) -> int:
    """Measure what the questions of these options' studies need besides. Returns how many options were measured."""
    done = 0
    for study in Study.objects.filter(options__in=touched, asked__in=_WANTED).distinct():
        options = study.options.filter(in_plan=True, left_out="", purpose=Purpose.COUNTED).order_by("number")
        coming = Run.objects.filter(option__in=options.order_by(), state__in=OPEN_STATES, warm_up=False)
        wanted = _WANTED[study.asked]
        if coming.exists() or (wanted is _convergences and not noise_ranks_too_little(study, options)):
            continue
        rows = list(options.select_related("setup__scene", "study").prefetch_related("runs", "measures"))
        done += sum(_measure(each) for each in wanted(rows, zones))
    return done


def _measure(wanted: _Wanted) -> bool:
    """Measure one option, unless what is stored is of these pictures."""
    signatures = {zone: signature(own) for zone, own in wanted.zones.items()}
    there = [row for row in wanted.option.measures.all() if row.name in wanted.names]
    current = {
        (row.name, row.zone) for row in there
        if (row.inputs, row.version, row.area) == (wanted.inputs, VERSIONS[row.name], signatures.get(row.zone))
    }  # fmt: skip
    if current == {(name, zone) for name in wanted.names for zone in signatures}:
        return False
    found, reason = made_or_reason(wanted.make, f"option {wanted.option.pk} cannot be measured for its question")
    with transaction.atomic():
        wanted.option.measures.filter(name__in=wanted.names).delete()
        Measure.objects.bulk_create(
            _row(wanted, name, zone, area, (found or {}).get((name, zone)), reason)
            for name in wanted.names
            for zone, area in signatures.items()
        )
    return True


def _row(wanted: _Wanted, name: str, zone: str, area: str, found: Any, reason: str) -> Measure:
    row = Measure(
        option=wanted.option, name=name, zone=zone, area=area, inputs=wanted.inputs, version=VERSIONS[name], unit="",
        details={},
    )  # fmt: skip
    figure = found
    if isinstance(found, nearness.Nearness | Convergence):
        row.details = asdict(found)
        figure = found.distance if isinstance(found, nearness.Nearness) else found.one
    if isinstance(figure, Figure):
        row.value, row.unit, row.method = figure.value, figure.unit, figure.method
        row.low, row.high = figure.interval or (None, None)
    else:
        row.refused = found if isinstance(found, str) else reason or "it cannot be told here"
    return row


def _sizes(options: Sequence[Option], _: ZonesByView) -> Iterator[_Wanted]:
    """Every option at the size of the largest, against that one's reference."""
    references = References()
    largest = max(options, key=lambda option: option.setup.width * option.setup.height, default=None)
    reference = references.of(largest.setup) if largest is not None else None
    if largest is None or reference is None:
        return
    truth = reference_pictures(reference)
    for option in options:
        runs = _pictured(option)
        if runs:
            yield _Wanted(
                option, (APPARENT_ERROR, APPARENT_DETAIL), [run.picture for run in runs] + truth, {WHOLE: []},
                lambda runs=runs, option=option: _at_one_size(option, runs, truth),
            )  # fmt: skip


def _at_one_size(option: Option, runs: Sequence[Run], truth: Sequence[str]) -> dict[tuple[str, str], Any]:
    references = [stored_picture(digest) for digest in truth]
    counted = np.logical_and.reduce([picture.valid for picture in references])
    pictures = [stored_picture(run.picture).pixels for run in runs]
    found = apparent.at_apparent_size(
        pictures, [each.pixels for each in references], counted, Viewing(option.setup.view_transform)
    )
    detail = found.detail or "the reference has no fine detail to judge by"
    return {(APPARENT_ERROR, WHOLE): found.error, (APPARENT_DETAIL, WHOLE): detail}


def _convergences(options: Sequence[Option], zones: ZonesByView) -> Iterator[_Wanted]:
    """How every option's error falls with samples."""
    references = References()
    for option in options:
        runs, reference = _pictured(option), references.of(option.setup)
        if runs and reference is not None:
            truth, within = reference_pictures(reference), zones_to_measure(option.setup, zones)[WHOLE]
            yield _Wanted(
                option, (CONVERGENCE,), [run.picture for run in runs] + truth, {WHOLE: within},
                lambda runs=runs, truth=truth, within=within, option=option: _falls(option, runs, truth, within),
            )  # fmt: skip


def noise_ranks_too_little(study: Study, options: QuerySet[Option]) -> bool:
    """Whether its options are of several engines, or one is softer than its control, or denoised in another way."""
    rows = list(options.order_by().values_list("engine", "engine_title", "settings"))
    engines = {(engine, title) for engine, title, _ in rows}
    denoised = {repr(sorted(denoisers_in(engine, settings).items())) for engine, _, settings in rows}
    if len(engines) > 1 or len(denoised) > 1:
        return True
    return Comparison.objects.filter(pair__study=study).exclude(noise_refused="").exists()


def _falls(
    option: Option, runs: Sequence[Run], truth: Sequence[str], within: list[DrawnZone]
) -> dict[tuple[str, str], Any]:
    own, references = ([stored_picture(digest) for digest in some] for some in ([run.picture for run in runs], truth))
    counted = _counted(option.setup, [picture.valid for picture in (*own, *references)], within)
    pictures, judges = ([picture.pixels for picture in some] for some in (own, references))
    viewing = Viewing(option.setup.view_transform)
    return {(CONVERGENCE, WHOLE): convergence.convergence(pictures, judges, counted, viewing)}


def _passes(options: Sequence[Option], zones: ZonesByView) -> Iterator[_Wanted]:
    """Every option's own pass, and how far it is from the control's."""
    control = next((option for option in options if option.control_id is None), None)
    if control is None or not control.study.passes:
        return
    name = control.study.passes[0]
    theirs = [run for run in _pictured(control) if name in run.passes]
    for option in options:
        runs = [run for run in _pictured(option) if name in run.passes]
        if runs and theirs:
            within = zones_to_measure(option.setup, zones)[WHOLE]
            inputs = [run.passes[name] for run in runs] + ["against"] + [run.passes[name] for run in theirs]
            yield _Wanted(
                option, (PASS_NOISE, PASS_APART, LAID_OVER), inputs, {WHOLE: within},
                lambda runs=runs, within=within, option=option: _one_pass(option, name, runs, theirs, within),
            )  # fmt: skip


def _one_pass(
    option: Option, name: str, runs: Sequence[Run], theirs: Sequence[Run], within: list[DrawnZone]
) -> dict[tuple[str, str], Any]:
    own = [stored_picture(run.passes[name]) for run in runs]
    others = [stored_picture(run.passes[name]) for run in theirs]
    counted = _counted(option.setup, [picture.valid for picture in [*own, *others]], within)
    found: dict[tuple[str, str], Any] = {}
    pixels = [picture.pixels for picture in own]
    found[PASS_NOISE, WHOLE] = _or_reason(lambda: pass_apart.pass_noise(pixels, counted))
    if [run.pk for run in runs] == [run.pk for run in theirs]:
        found[PASS_APART, WHOLE] = found[LAID_OVER, WHOLE] = "the others are compared with this one"
        return found
    picture = np.mean([stored_picture(run.picture).pixels for run in theirs], axis=0, dtype=np.float32)
    apart = pass_apart.pass_apart(
        name, pixels, [each.pixels for each in others], picture, counted, Viewing(option.setup.view_transform)
    )
    found[PASS_APART, WHOLE] = apart.apart
    found[LAID_OVER, WHOLE] = apart.laid_over or "this pass is not laid over a picture"
    return found


def _photographs(options: Sequence[Option], zones: ZonesByView) -> Iterator[_Wanted]:
    """Every option against the newest photograph of its scene and view, whichever light it was taken for."""
    references = References()
    for option in options:
        runs, photograph = _pictured(option), references.photograph_of(option.setup)
        if runs and photograph is not None:
            to_measure = zones_to_measure(option.setup, zones)
            yield _Wanted(
                option, (NEARNESS,), [run.picture for run in runs] + [photograph.picture], to_measure,
                lambda runs=runs, to_measure=to_measure, option=option, photograph=photograph: _near(
                    option, runs, photograph, to_measure
                ),
            )  # fmt: skip


def _near(
    option: Option, runs: Sequence[Run], photograph: Reference, to_measure: dict[str, list[DrawnZone]]
) -> dict[tuple[str, str], Any]:
    pictures = [stored_picture(run.picture) for run in runs]
    left_out = to_measure[WHOLE]
    counted = _counted(option.setup, [picture.valid for picture in pictures], left_out)
    mean = np.mean([picture.pixels for picture in pictures], axis=0, dtype=np.float32)
    laid = match_photograph(
        stored_picture(photograph.picture).pixels, np.where(counted[..., None], mean, np.float32(0.0)), counted
    )
    if not photograph.matched_picture:  # so that the answer can show it beside the nearest
        keep_match(photograph, runs[0], laid, left_out)
    pixels: list[Floats] = [picture.pixels for picture in pictures]
    return {
        (NEARNESS, zone): _or_reason(
            lambda zone=zone, own=own: nearness.nearness(
                pixels, laid.pixels, zone_mask(option.setup, zone, own, counted) & counted
            )
        )
        for zone, own in to_measure.items()
    }


def _or_reason(make: Callable[[], Any]) -> Any:
    try:
        return make()
    except RefusedError as refusal:
        return refusal.reason
    except MatchedPairError as error:
        return str(error)


def _counted(setup: Setup, valid: Iterable[Mask], within: list[DrawnZone]) -> Mask:
    described = setup.description()
    everywhere = np.logical_and.reduce(list(valid))
    left_out = [each for each in within if each.kind == LEAVE_OUT]
    return measured_mask(left_out, (described.width, described.height), described.crop, everywhere)


def _pictured(option: Option) -> list[Run]:
    return [run for run in counted_runs(option) if run.picture][:MOST_SEEDS]


_WANTED: dict[str, Callable[[Sequence[Option], ZonesByView], Iterator[_Wanted]]] = {
    "pixels": _sizes, "pass": _passes, "light": _photographs, "engine": _convergences, "feature": _convergences,
    "combination": _convergences, "own": _convergences,
}  # fmt: skip
