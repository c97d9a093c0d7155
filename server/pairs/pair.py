"""What a pair says: both sides' figures, the ratios or why there are none, the match sheet, and the sentence."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from django.db.models import Prefetch, QuerySet
from django.shortcuts import get_object_or_404
from matchedpair.answers import Matched, ZoneFact, pair_sentence, plain_look
from matchedpair.conditions import DENOISED, MatchSheet, match_sheet
from matchedpair.errors import RefusedError
from matchedpair.measures import Ratio, RunTimes, time_ratio
from matchedpair.measures.alignment import other_sharpness
from matchedpair.measures.drawn_zones import DrawnZone
from matchedpair.measures.pair import NO_EFFECT
from matchedpair.measures.zones import WHOLE
from matchedpair.plans import FIRST_SEED

from server.catalogue.engines import denoisers_of, pixel_settings, setting_titles
from server.catalogue.zones import signature, zones_by_view
from server.measuring.inputs import (
    ZonesByView,
    comparison_inputs,
    comparison_is_current,
    counted_runs,
    denoised_apart,
    is_current,
    timed_runs,
    zones_to_measure,
)
from server.measuring.measuring import NOISE, VISIBLE_NOISE, noise_of, ratio_of, visible_ratio_of
from server.measuring.models import Comparison, Measure
from server.pairs.look_facts import part_facts, zone_fact
from server.runs.models import BAD_STATES, Run
from server.studies.models import Option, Pair, Study


@dataclass(frozen=True)
class SideFigures:
    """One side: its counted runs, what is measured on its view, its noise if up to date, its times."""

    option: Option
    runs: list[Run]
    zones: dict[str, list[DrawnZone]]
    noise: Measure | None
    visible_noise: Measure | None
    out_of_date: bool
    times: list[RunTimes]


@dataclass(frozen=True)
class ZoneFigures:
    """Noise in one zone on both sides, and their ratio or why there is none."""

    zone: str
    control: Measure | None
    trial: Measure | None
    ratio: Ratio | None
    visible_ratio: Ratio | None
    refused: str
    comparison: Comparison | None


@dataclass(frozen=True)
class PairFigures:
    """All that a pair says so far."""

    pair: Pair
    control: SideFigures
    trial: SideFigures
    noise_ratio: Ratio | None
    total_ratio: Ratio | None
    visible_ratio: Ratio | None
    time_ratio: Ratio | None
    refused: dict[str, str]
    zones: list[ZoneFigures]
    looks: tuple[ZoneFact, ...]
    sheet: MatchSheet
    sentence: str
    comparison: Comparison | None
    matched: Matched | None = None
    sharpness: float | None = None
    denoised: bool = False
    identical: bool = False

    @property
    def inputs(self) -> list[str]:
        """The pictures that all of it rests on."""
        return comparison_inputs(self.control.runs, self.trial.runs)


def pair_figures(pair: Pair, zones: ZonesByView | None = None) -> PairFigures:
    """Gather what is known of a pair; measures nothing. All zones may be read once for many pairs."""
    study = pair.study
    for option in (pair.control, pair.trial):
        for run in option.runs.all():
            run.study = study
    drawn = zones_by_view() if zones is None else zones
    control, trial = _side(pair.control, drawn), _side(pair.trial, drawn)
    refused: dict[str, str] = {}
    compared = _comparisons(pair, control, trial)
    denoised = denoised_apart(pair.control, pair.trial)
    noise = _refusing(refused, lambda: _noise_ratio(compared.get(WHOLE), control.noise, trial.noise, denoised))
    total = None if noise is None else _refusing(refused, lambda: ratio_of(control.noise, trial.noise, total=True))
    visible = _refusing(
        refused, lambda: _visible_ratio(compared.get(WHOLE), control.visible_noise, trial.visible_noise)
    )
    time = None
    if control.times and trial.times:
        time = _refusing(refused, lambda: time_ratio(control.times, trial.times))
    sheet = match_sheet(*_both_conditions(study, control, trial), pair.under_test)
    repeats = min(len(control.runs), len(trial.runs))
    names = sorted(control.zones.keys() & trial.zones.keys() - {WHOLE})
    by_zone = [_zone(zone, control, trial, compared.get(zone), denoised) for zone in names]
    matched = _matched(pair, noise, time, visible, by_zone)
    whole = compared.get(WHOLE)
    looks = (
        zone_fact(WHOLE, noise, visible, whole),
        *(zone_fact(row.zone, row.ratio, row.visible_ratio, row.comparison) for row in by_zone),
    )
    look = plain_look(looks, part_facts(whole), _size(pair))
    sharpness = None if whole is None else other_sharpness(whole.noise_refused)
    same = _identical(whole, control, trial)
    sentence = _sentence(pair, noise, time, repeats, matched, visible, look, sharpness, identical=same)
    return PairFigures(
        pair,
        control,
        trial,
        noise,
        total,
        visible,
        time,
        refused,
        by_zone,
        looks,
        sheet,
        sentence,
        whole,
        matched,
        sharpness,
        denoised,
        same,
    )


def plain_look_of(found: PairFigures) -> str:
    """What anyone sees that a pair's trial changed, in words; empty where that is little or not compared."""
    return plain_look(found.looks, part_facts(found.comparison), _size(found.pair))


def _size(pair: Pair) -> tuple[int, int]:
    return pair.control.setup.description().picture_size


def figures_of_pair(pk: int) -> PairFigures:
    """The figures of one pair by its number; `Http404` where there is none."""
    options = Prefetch("study__options", Option.objects.select_related("setup__scene"))  # the study is shown with it
    return pair_figures(get_object_or_404(with_all(Pair.objects.all()).prefetch_related(options), pk=pk))


def _matched(
    pair: Pair, noise: Ratio | None, time: Ratio | None, visible: Ratio | None, zones: list[ZoneFigures]
) -> Matched | None:
    if not pair.matched_on:
        return None
    ratio = noise if pair.matched_on == NOISE else time
    if pair.matched_on == NOISE and pair.matched_zone not in ("", WHOLE):
        there = next((row for row in zones if row.zone == pair.matched_zone), None)
        ratio, visible = (there.ratio, there.visible_ratio) if there else (None, None)
    return Matched(pair.matched_on, pair.matched_zone, ratio, visible)


def _side(option: Option, zones: ZonesByView) -> SideFigures:
    runs = counted_runs(option)
    kept, seen = noise_of(option), noise_of(option, name=VISIBLE_NOISE)
    to_measure = zones_to_measure(option.setup, zones)
    current = kept is not None and is_current(kept, runs, signature(to_measure[WHOLE]))
    seen = seen if seen is not None and is_current(seen, runs, signature(to_measure[WHOLE])) else None
    times = [times for run in timed_runs(option) if (times := run.times()) is not None]
    return SideFigures(
        option, runs, to_measure, kept if current else None, seen, kept is not None and not current, times
    )


def _identical(whole: Comparison | None, control: SideFigures, trial: SideFigures) -> bool:
    """Whether both sides are the same to the last bit in all seeds, and not in one alone that was mixed up: then they
    have the same noise, to the last digit.
    """
    if whole is None or whole.refused.get("difference") != NO_EFFECT:
        return False
    values = [None if side.noise is None else side.noise.value for side in (control, trial)]
    return values[0] == values[1] and len(control.runs) == len(trial.runs)


def _sentence(
    pair: Pair,
    noise: Ratio | None,
    time: Ratio | None,
    repeats: int,
    matched: Matched | None,
    visible: Ratio | None,
    look: str,
    sharpness: float | None,
    *,
    identical: bool,
) -> str:
    if noise is not None or time is not None or identical:
        return pair_sentence(
            pair.subject, noise, time, repeats, matched=matched, visible=visible, look=look, sharpness=sharpness,
            identical=identical,
        )  # fmt: skip
    runs = [run for option in (pair.control, pair.trial) for run in option.runs.all() if not run.warm_up]
    return unmeasured_sentence(Counter(run.state for run in runs))


def unmeasured_sentence(states: Counter[str]) -> str:
    """What there is to say while nothing can be compared, from how many runs are in which state."""
    whole = sum(states.values())
    if not whole:
        return "Planned, not run yet: start the renders to see what this costs and gains."
    if states["queued"] or states["running"]:
        return f"{states['finished']} of {whole} renders done; the first figures come with the first twins."
    return "Nothing to compare yet: not enough renders finished. Look at what failed and run those again."


def _zone(
    zone: str, control: SideFigures, trial: SideFigures, compared: Comparison | None, denoised: bool
) -> ZoneFigures:
    rows: dict[str, list[Measure | None]] = {NOISE: [], VISIBLE_NOISE: []}
    for side in (control, trial):
        area = signature(side.zones[zone])
        for name, own in rows.items():
            kept = noise_of(side.option, zone, name)
            own.append(kept if kept and is_current(kept, side.runs, area) else None)
    refused: dict[str, str] = {}
    ratio = _refusing(refused, lambda: _noise_ratio(compared, rows[NOISE][0], rows[NOISE][1], denoised))
    visible = _refusing({}, lambda: _visible_ratio(compared, *rows[VISIBLE_NOISE]))
    return ZoneFigures(zone, *rows[NOISE], ratio, visible, next(iter(refused.values()), ""), compared)


def _comparisons(pair: Pair, control: SideFigures, trial: SideFigures) -> dict[str, Comparison]:
    """The pair's comparisons by zone, as far as they are up to date."""
    inputs = comparison_inputs(control.runs, trial.runs)
    return {
        row.zone: row
        for row in pair.comparisons.all()
        if row.zone in control.zones and comparison_is_current(row, inputs, signature(control.zones[row.zone]))
    }


def _noise_ratio(
    compared: Comparison | None, first: Measure | None, second: Measure | None, denoised: bool
) -> Ratio | None:
    """Refused across a shift, sizes, a difference in sharpness, or where one side is denoised; not given before the
    pictures were compared.
    """
    if first is None or second is None or compared is None:
        return None
    if compared.noise_refused:
        raise RefusedError("noise_ratio", compared.noise_refused)
    if denoised:
        raise RefusedError("noise_ratio", DENOISED)
    return ratio_of(first, second)


def _visible_ratio(compared: Comparison | None, first: Measure | None, second: Measure | None) -> Ratio | None:
    """Refused across a shift or sizes; a pixel filter does not spoil it, since it is what an eye sees."""
    if first is None or second is None or compared is None:
        return None
    if "visible" in compared.refused:
        raise RefusedError("visible_noise_ratio", compared.refused["visible"])
    return visible_ratio_of(first, second)


def _both_conditions(study: Study, control: SideFigures, trial: SideFigures) -> list[dict[str, Any]]:
    """Both sides' conditions; settings in pixels are looked up only where the sizes differ, since they matter there."""
    sides = [_conditions(study, side) for side in (control, trial)]
    if sides[0]["size"] != sides[1]["size"]:
        for conditions, side in zip(sides, (control, trial), strict=True):
            conditions["pixel_settings"] = pixel_settings(side.option.engine, side.option.settings)
    return sides


def _conditions(study: Study, side: SideFigures) -> dict[str, Any]:
    option = side.option
    hashes = [run.pixel_hash for run in side.runs]
    known = all(run.seed_known for run in side.runs)
    conditions: dict[str, Any] = option.setup.description().conditions() | {
        "engine": option.engine_title,
        "device": option.device or None,
        "threads": None if study.from_elsewhere else study.threads,
        "settings": option.settings,
        "quality_knob": option.quality_knob or None,
        "denoisers": denoisers_of(option.engine),
        "titles": setting_titles(option.engine),
        "brightness": option.brightness,
        "warm_up": None if study.from_elsewhere else "thrown away",
        "seeds": ", ".join(str(seed) for seed in side_seeds(study, side)) if known else None,
        "seed_count": len(side_seeds(study, side)) if known else None,
        "same_pictures": len(hashes) > 1 and all(hashes) and len(set(hashes)) == 1,
    }
    if study.from_elsewhere:
        conditions["exposure"] = None
    if side.runs:
        conditions |= {
            "version": _all(run.engine_version for run in side.runs) or None,
            "machine": _all(run.machine_name for run in side.runs) or None,
            "load": _load(side.times),
        }
    return conditions


def _load(times: list[RunTimes]) -> str | None:
    """Whether the machine was quiet; unknown where the engine's own share of the processors is not known."""
    if any(each.quiet is False for each in times):
        return "busy"
    return "quiet" if times and all(each.quiet for each in times) else None


def side_seeds(study: Study, side: SideFigures) -> list[int]:
    """The seeds that count on a side: those finished or still to come, or those planned while nothing is queued."""
    expected = {run.seed for run in side.option.runs.all() if run.state not in BAD_STATES and not run.warm_up}
    if expected:
        return sorted(expected)
    return list(range(FIRST_SEED, FIRST_SEED + study.repeats))


def zone_box(option: Option, zones: dict[str, list[DrawnZone]], zone: str) -> list[int]:
    """Where a zone lies in an option's pictures: x, y, width, height."""
    setup = option.setup.description()
    x, y, width, height = zones[zone][0].pixel_box((setup.width, setup.height))
    left, top = setup.crop[:2] if setup.crop else (0, 0)
    return [x - left, y - top, width, height]


def _all(values: Iterable[str]) -> str:
    return ", ".join(sorted({value for value in values if value}))


def _refusing(refused: dict[str, str], get: Callable[[], Ratio | None]) -> Ratio | None:
    try:
        return get()
    except RefusedError as refusal:
        refused[refusal.measure] = refusal.reason
        return None


def with_all(pairs: QuerySet[Pair]) -> QuerySet[Pair]:
    """A query of pairs with everything `pair_figures` reads."""
    # study and option are those that a run was asked for with; read again for each they would cost more than the run
    runs = Run.objects.defer("log", "command", "machine").order_by("position")
    noise = Measure.objects.filter(name__in=(NOISE, VISIBLE_NOISE))
    related: list[Any] = [
        part
        for side in ("control", "trial")
        for part in (Prefetch(f"{side}__runs", runs), Prefetch(f"{side}__measures", noise))
    ]
    scenes = [f"{part}setup__scene" for part in ("study__", "control__", "trial__")]
    return pairs.select_related(*scenes).prefetch_related(*related, "comparisons")
