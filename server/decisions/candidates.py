"""The options of a study as deciding sees them: every figure that can be limited, at one place or the worst of all."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from statistics import median

from matchedpair.choose import Candidate, FrameTime
from matchedpair.errors import InputError
from matchedpair.measures.cost import time_basis
from matchedpair.measures.figure import Figure
from matchedpair.measures.zones import WHOLE

from server.answers.facts import option_name
from server.catalogue.zones import zones_by_view
from server.curves.curves import how_key, render_seconds
from server.measuring.measuring import NOISE, figure_of
from server.measuring.models import Measure
from server.measuring.option_facts import OptionFacts, all_facts, place_names
from server.measuring.which_reference import References, place_of
from server.motion.facts import sequence_facts
from server.studies.models import Option, Study
from server.verdicts.looks import looks_of

BY_REFERENCE = ("stops", "colour", "detail", "visible")
MEASURED = (NOISE, "fireflies", *BY_REFERENCE)
# of the control itself, and of the same settings at other places: one frame's light is no measure of another's
UNCHANGED = Figure(0.0, "stops", (0.0, 0.0), "control", 1), Figure(0.0, "ΔE00", (0.0, 0.0), "control", 1)
AGAINST = {"reference": "against the reference", "control": "against the control"}


@dataclass(frozen=True)
class OfStudy:
    """An option with its knob: the options that it is at each place, and what is known of it.

    `name` is told apart from all others of the study.
    """

    key: str
    name: str
    control: bool
    options: dict[str, OptionFacts]
    candidate: Candidate
    times: dict[str, FrameTime]

    @property
    def first(self) -> Option:
        """The option at the first place."""
        return next(iter(self.options.values())).option


def candidates(study: Study, place: str = "") -> tuple[list[str], list[OfStudy]]:
    """The places there are, and all candidates at one of them, or over all (each figure then at its worst place).

    Raises `InputError` for a place that there is not.
    """
    drawn, references = zones_by_view(), References()
    options = Option.objects.filter(study=study, in_plan=True, left_out="").order_by("number", "pk")
    facts = all_facts(options, drawn, MEASURED)
    named = place_names(each.option.setup for each in facts)
    places = list(named.values())
    if place and place not in places:
        raise InputError(f"there is no place {place!r} in this study; there are {', '.join(places)}")
    asked = [place] if place else places
    looks, flicker = _looks(study), _flicker(study)
    basis = time_basis([t for each in facts for t in each.times])
    groups: dict[str, dict[str, OptionFacts]] = defaultdict(dict)
    for each in facts:
        where = named[place_of(each.option.setup)]
        if where in asked:
            groups[_key(each.option)].setdefault(where, each)
    everywhere = any(len(own) == len(asked) for own in groups.values())
    if not everywhere:
        # nothing is rendered everywhere, as where sizes differ: each place's options then stand by themselves
        groups = {f"{key} {where}": {where: each} for key, own in groups.items() for where, each in own.items()}
    found = []
    for key, own in groups.items():
        control = any(each.option.control_id is None for each in own.values())
        figures = {
            where: _figures(each, references, UNCHANGED if control else looks.get(each.option.pk), basis)
            for where, each in own.items()
        }
        times = {where: t for where, each in own.items() if (t := _frame_time(each, basis)) is not None}
        calm = next((flicker[each.option.pk] for each in own.values() if each.option.pk in flicker), None)
        if calm is not None:
            figures = {where: row | {"flicker": (calm, "")} for where, row in figures.items()}
        name = option_name(next(iter(own.values())).option)
        candidate = _over_places(name, figures, asked if everywhere else list(own))
        found.append(OfStudy(key, candidate.name, control, own, candidate, times))
    return places, sorted(found, key=lambda row: not row.control)


def mean_time(own: OfStudy) -> FrameTime | None:
    """A frame's time if frames are spread evenly over the places; None where nothing is known."""
    rows = list(own.times.values())
    if not rows:
        return None
    count = len(rows)
    ends = [row.interval for row in rows if row.interval is not None]
    interval = (sum(e[0] for e in ends) / count, sum(e[1] for e in ends) / count) if len(ends) == count else None
    return FrameTime(sum(r.rendering for r in rows) / count, sum(r.ready for r in rows) / count, interval)


def _key(option: Option) -> str:
    return f"{how_key(option)} {option.settings.get(option.quality_knob)}"


def _over_places(name: str, figures: dict[str, dict[str, tuple[Figure, str]]], places: Iterable[str]) -> Candidate:
    """The worst of each figure; one that is missing at a place is not known."""
    asked = list(places)
    worst: dict[str, Figure] = {}
    where: dict[str, str] = {}
    for limit in {limit for own in figures.values() for limit in own}:
        rows = [(place, *figures[place][limit]) for place in asked if limit in figures.get(place, {})]
        if len(rows) < len(asked):
            continue
        least = limit == "detail"
        place, figure, zone = max(rows, key=lambda row: -row[1].value if least else abs(row[1].value))
        worst[limit] = figure
        where[limit] = ", ".join(part for part in (zone, place if len(asked) > 1 else "") if part)
    return Candidate(name, worst, where)


def _figures(
    own: OptionFacts, references: References, look: tuple[Figure, Figure] | None, basis: str
) -> dict[str, tuple[Figure, str]]:
    """By limit its figure, and the zone or what it is compared with."""
    found: dict[str, tuple[Figure, str]] = {}
    times = own.times
    whole, _ = render_seconds(times, basis)
    if whole and min(whole) > 0.0:
        found["seconds"] = (
            Figure(median(whole), "s", own.interval(whole), basis, 1),
            "",
        )
    memory = [run.peak_memory_bytes for run in own.runs if run.peak_memory_bytes is not None]
    if memory:
        found["memory"] = (Figure(max(memory) / 1e6, "MB", None, "peak", 1), "")
    noise = known_figure(own.noise(WHOLE))
    if noise is not None and noise.method == "twin":
        found["noise"] = (noise, "")
    zones = [(zone, figure) for zone in own.zones if zone != WHOLE and (figure := known_figure(own.noise(zone)))]
    if zones:
        zone, figure = max(zones, key=lambda row: row[1].value)
        found["zone_noise"] = (figure, zone)
    fireflies = known_figure(own.measure("fireflies", WHOLE, references))
    if fireflies is not None and fireflies.method != "single":
        found["fireflies"] = (fireflies, "")
    for name in BY_REFERENCE:
        judged = known_figure(own.measure(name, WHOLE, references))
        if judged is not None:
            found[name] = (judged, AGAINST["reference"])
    if own.runs and look is not None and "stops" not in found:
        stops, colour = look
        found["stops"], found["colour"] = (stops, AGAINST["control"]), (colour, AGAINST["control"])
    return found


def known_figure(row: Measure | None) -> Figure | None:
    """A stored row's figure; None where there is no row, or it was refused."""
    return None if row is None else figure_of(row)


def _frame_time(own: OptionFacts, basis: str) -> FrameTime | None:
    times = own.times
    whole, ready = render_seconds(times, basis)
    if not whole or min(whole) <= 0.0:
        return None
    before = median(ready) if len(ready) == len(whole) else 0.0
    rendering = max(median(whole) - before, 1e-6)
    return FrameTime(rendering, before, own.interval(whole))


def _flicker(study: Study) -> dict[int, Figure]:
    """By the option of its first frame, what a sequence changes by itself from frame to frame."""
    return {
        row.option: Figure(row.calm[0], "%", (row.calm[1], row.calm[2]), "sequence", 1)
        for row in sequence_facts(study) if row.calm is not None
    }  # fmt: skip


def _looks(study: Study) -> dict[int, tuple[Figure, Figure]]:
    """Shift of brightness and colour of each trial against its own control at the same place."""
    found = {}
    there = Option.objects.filter(study=study, control__isnull=False)
    there = there.select_related("setup__scene", "control__setup__scene")
    beside = {row.pk for row in there if row.control is not None and place_of(row.setup) == place_of(row.control.setup)}
    for trial, look in looks_of(study, WHOLE).items():
        if trial not in beside:
            continue
        interval = tuple(look["interval"]) if look["interval"] else None
        found[trial] = (
            Figure(look["stops"], "stops", interval, "control", 1),
            Figure(look["delta_e_after_gain"], "ΔE00", None, "control", 1),
        )
    return found
