"""A study's curves: its options gathered into ladders of the quality knob, with the laws that the core fits."""

from __future__ import annotations

import json
from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any

from matchedpair.curves import Curve, Point, fit_curve
from matchedpair.engines.setting import is_number
from matchedpair.errors import InputError, RefusedError
from matchedpair.measures import RunTimes
from matchedpair.measures.cost import time_basis, times_interval
from matchedpair.measures.kinds import KIND_OF
from matchedpair.measures.zones import WHOLE
from matchedpair.plans.plan_kind import QUALITY, is_place

from server.catalogue.engines import knobs_that_go_down
from server.catalogue.zones import zones_by_view
from server.measuring.measuring import NOISE, figure_of
from server.measuring.models import Measure
from server.measuring.option_facts import OptionFacts, all_facts, place_names
from server.measuring.paired import paired_noise
from server.measuring.which_reference import References, place_of
from server.studies.models import Option, Study

ERROR = "error"
OF = (NOISE, ERROR)
CONTROL_TITLE = "the control"


@dataclass(frozen=True)
class LadderPoint:
    """One option's place on a curve; `point` is None where something is missing, and `lacks` says what."""

    facts: OptionFacts
    quality: float
    measure: Measure | None
    times: tuple[RunTimes, ...]
    point: Point | None
    lacks: str


@dataclass(frozen=True)
class Ladder:
    """Options alike in all but their quality knob.

    Parameters
    ----------
    key : str
        What they have in common, `how` the part of it that is not the place.
    of_control : bool
        Whether the place's control is one of them.
    refused : str
        Why no curve could be fitted; empty when one was.
    """

    key: str
    how: str
    title: str
    place: str
    knob: str
    of_control: bool
    points: tuple[LadderPoint, ...]
    curve: Curve | None
    refused: str

    def at(self, option: int) -> LadderPoint | None:
        """The point of an option."""
        return next((row for row in self.points if row.facts.option.pk == option), None)


@dataclass(frozen=True)
class StudyCurves:
    """All ladders of a study in a zone, what zones there are, the basis of the times and the machine they are of."""

    study: Study
    zone: str
    of: str
    zones: list[str]
    basis: str
    machine: str
    note: str
    ladders: list[Ladder]

    def control_at(self, place: str) -> Ladder | None:
        """The ladder of the control at a place."""
        return next((row for row in self.ladders if row.place == place and row.of_control), None)

    @property
    def places(self) -> list[str]:
        """All places, the baseline's first."""
        return list(dict.fromkeys(row.place for row in self.ladders))


def study_curves(study: Study, zone: str = WHOLE, of: str = NOISE) -> StudyCurves:
    """Gather a study's ladders; measures nothing.

    Raises `InputError` for a zone or a measure that there is not.
    """
    if of not in OF:
        raise InputError(f"a curve is of {' or '.join(OF)}, not of {of!r}")
    drawn, references = zones_by_view(), References()
    facts = all_facts(Option.objects.filter(study=study, in_plan=True, left_out=""), drawn, (of,))
    zones = list(dict.fromkeys([WHOLE, *(name for each in facts for name in each.zones)]))
    if zone not in zones:
        raise InputError(f"there is no zone {zone!r} on the views of this study; there are {', '.join(zones)}")
    times = {each.option.pk: each.times for each in facts}
    machine, note = _machine([t for own in times.values() for t in own])
    times = {pk: [t for t in own if t.machine == machine] for pk, own in times.items()}
    basis = time_basis([t for own in times.values() for t in own])
    knobs = _searched(study)
    places = place_names(each.option.setup for each in facts)
    groups: dict[tuple[str, str], list[OptionFacts]] = defaultdict(list)
    for each in facts:
        groups[(places[place_of(each.option.setup)], how_key(each.option, knobs.get(each.option.pk, "")))].append(each)
    controls = {each.option.pk for each in facts if each.option.control_id is None}
    anchors: dict[str, Measure | None] = {}
    for each in sorted(facts, key=lambda own: own.option.control_id is not None):
        anchors.setdefault(places[place_of(each.option.setup)], each.noise(zone) if of == NOISE else None)
    ladders = []
    down = knobs_that_go_down()
    for (place, how), own in groups.items():
        knob = knobs.get(own[0].option.pk, "") or own[0].option.quality_knob
        against = anchors.get(place) if of == NOISE else None
        qualities, scale = _qualities(own, knob, down)
        points = [
            _point(each, qualities.get(each.option.pk), times[each.option.pk], zone, of, references, basis, against)
            for each in own
        ]
        points.sort(key=lambda row: row.quality)
        ladders.append(_ladder(place, how, scale, points, of_control=any(each.option.pk in controls for each in own)))
    ladders.sort(key=lambda row: not row.of_control)
    return StudyCurves(study, zone, of, zones, basis, machine, note, _named_apart(ladders))


def _searched(study: Study) -> dict[int, str]:
    """By option the setting that a search changed, where that is not the quality knob: it is then the ladder's."""
    rows = study.matchings.select_related("trial")
    return {
        each["option"]: row.knob for row in rows if row.knob != row.trial.quality_knob for each in row.tried
    }  # fmt: skip


def how_key(option: Option, knob: str = "") -> str:
    """All that makes an option's renders but the place and the value of its knob (the quality knob), as one text."""
    left_out = knob or option.quality_knob
    settings = {name: value for name, value in option.settings.items() if name != left_out}
    factor = option.brightness["factor"] if option.brightness else 1.0
    engine = option.engine or option.engine_title  # made elsewhere, it is known by its name alone
    return json.dumps([engine, option.build, settings, factor], sort_keys=True)


def how_title(option: Option) -> str:
    """In words what an option changes, its place and its quality knob let be."""
    rows = (
        row for row in option.levels
        if row["changed"] and not is_place(row["subject"]) and row["subject"] not in (QUALITY, option.quality_knob)
    )  # fmt: skip
    changed = ", ".join(f"{row['title'][:1].lower()}{row['title'][1:]} {row['shown']}" for row in rows)
    knob = f"{option.quality_knob.replace('_', ' ')} "
    found = ", ".join(part for part in option.found_as.split(", ") if not part.startswith(knob))
    return changed or found or CONTROL_TITLE


def render_seconds(times: Sequence[RunTimes], basis: str) -> tuple[list[float], list[float]]:
    """Of each run the seconds in all and, as far as they are told apart, those of getting ready."""
    whole = [each.seconds(basis) for each in times]
    ready = [each.own_ready_seconds(basis) for each in times]
    return whole, [each for each in ready if each is not None]


def _qualities(own: Sequence[OptionFacts], knob: str, down: set[tuple[str, str]]) -> tuple[dict[int, float], str]:
    """By option how much it was given, rising, and in what.

    That is the knob's own value, unless less of it buys less noise, as of a threshold: then the samples that it reached
    where the engine says so, else 1 over its square, since noise falls in step with it.
    """
    values = {each.option.pk: each.option.settings.get(knob) for each in own}
    known = {pk: float(value) for pk, value in values.items() if is_number(value)}
    if not own[0].goes_down(knob, down):
        return known, knob
    reached = {each.option.pk: each.reached for each in own if each.reached is not None}
    if len(reached) == len(own):
        return reached, "samples reached"
    return {pk: 1.0 / value**2 for pk, value in known.items() if value > 0.0}, f"1 / {knob}²"


def _point(
    facts: OptionFacts, known: float | None, times: Sequence[RunTimes], zone: str, of: str, references: References,
    basis: str, control: Measure | None,
) -> LadderPoint:  # fmt: skip
    """An option on its curve; its noise is that against the control of its place."""
    quality = known or 0.0
    measure = facts.measure(of, zone, references if KIND_OF[of].by_reference else None)
    lacks = _lacks(facts, times, measure, of, knob=known is not None)
    if lacks or measure is None or measure.value is None:
        return LadderPoint(facts, quality, measure, tuple(times), None, lacks)
    whole, ready = render_seconds(times, basis)
    figure = paired_noise(control, measure) or figure_of(measure)
    assert figure is not None  # it has a value
    point = Point(
        quality, median(whole), figure.value, median(ready) if len(ready) == len(whole) else None, figure.interval,
        times_interval(whole, times) if min(whole) > 0.0 else None,
    )  # fmt: skip
    return LadderPoint(facts, quality, measure, tuple(times), point, point.problem())


def _lacks(facts: OptionFacts, times: Sequence[RunTimes], measure: Measure | None, of: str, *, knob: bool) -> str:
    what = KIND_OF[of].title.lower()
    if not facts.runs:
        return "no finished render"
    if not knob:
        return "its engine marks no quality knob that is a number"
    if not times:
        return "no time is known"
    if measure is None:
        return f"its {what} is not measured yet" if of == NOISE else "there is no reference of this setup to judge by"
    if measure.value is None:
        return measure.refused
    return "" if measure.method != "single" else "its noise is a guess from one picture; render a twin"


def _ladder(place: str, how: str, knob: str, points: list[LadderPoint], *, of_control: bool) -> Ladder:
    options = [row.facts.option for row in points]
    title = min((how_title(option) for option in options), key=len)
    if of_control and title == CONTROL_TITLE:
        title = CONTROL_TITLE if len({option.engine for option in options}) == 1 else options[0].engine_title
    curve, refused = None, ""
    try:
        curve = fit_curve([row.point for row in points if row.point is not None])
    except RefusedError as refusal:
        refused = refusal.reason
    return Ladder(
        f"{place}|{how}", how, title, place, knob.replace("_", " "), of_control, tuple(points),
        curve, refused,
    )  # fmt: skip


def _named_apart(ladders: list[Ladder]) -> list[Ladder]:
    """Two ladders with the same words get numbers."""
    hows: dict[str, dict[str, None]] = defaultdict(dict)
    for row in ladders:
        hows[row.title][row.how] = None
    named: list[Any] = []
    for row in ladders:
        same = list(hows[row.title])
        number = f" ({same.index(row.how) + 1})" if len(same) > 1 else ""
        named.append(Ladder(**{**vars(row), "title": row.title + number}))
    return named


def _machine(times: Sequence[RunTimes]) -> tuple[str, str]:
    """The machine that rendered most, and what is said of the others."""
    counts = Counter(each.machine for each in times)
    if not counts:
        return "", ""
    name = max(sorted(counts), key=lambda each: counts[each])
    others = len(counts) - 1
    more = f"{others} other machine{'s' if others > 1 else ''}"
    return name, f"Times are those of {name}; renders of {more} are left out." if others else ""
