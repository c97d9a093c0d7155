"""What a study decides: for each use the choice, how firm it is, what it costs, and where it fails."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

from matchedpair.answers import Answer, MoveFact, UseFact, use_answer
from matchedpair.answers.caveats import cell_stops, largest_cell
from matchedpair.answers.phrases import place_of_box
from matchedpair.answers.thresholds import PLAIN_COLOUR, PLAIN_STOPS
from matchedpair.choose import (
    Assumptions,
    Decision,
    Failure,
    Forecast,
    Held,
    Moved,
    Saving,
    decide,
    failures,
    forecast,
    saving,
)
from matchedpair.choose.failing import REFERENCE
from matchedpair.choose.uses import LIMIT_OF
from matchedpair.errors import InputError
from matchedpair.measures.figure import Figure, three
from matchedpair.measures.zones import WHOLE

from server.decisions.candidates import OfStudy, candidates, mean_time
from server.decisions.models import Production, StudyUse
from server.decisions.uses import as_use, uses_of
from server.measuring.measuring import figure_of
from server.measuring.option_facts import OptionFacts, frame_name
from server.measuring.which_reference import References, place_of
from server.pairs.look_facts import cell_facts
from server.pairs.pair import PairFigures, pair_figures, with_all
from server.studies.models import Pair, Study


@dataclass(frozen=True)
class Cost:
    """What one choice takes in production, and what it saves against the baseline."""

    forecast: Forecast
    saving: Saving | None


@dataclass(frozen=True)
class DecidedUse:
    """A use, what the rules choose, what is chosen in the end, and what that costs and loses.

    `chosen` is by hand where a person said so, else by the rules; None when nothing is. `answer` says it in words.
    """

    use: StudyUse
    decision: Decision
    chosen: OfStudy | None
    by_hand: bool
    cost: Cost | None
    failures: list[Failure]
    answer: Answer


@dataclass(frozen=True)
class Decided:
    """All uses of a study at one place or over all."""

    places: list[str]
    options: list[OfStudy]
    production: Production
    baseline: Cost | None
    uses: list[DecidedUse]

    @property
    def sentence(self) -> str:
        """The first thing to say."""
        if not any(row.candidate.figures for row in self.options):
            return "Nothing to decide yet: no option is rendered and measured."
        chosen = [f"{row.use.title.lower()}: {row.chosen.name}" for row in self.uses if row.chosen is not None]
        if not chosen:
            return "No option keeps the limits of any use. Loosen a limit, or render more options."
        without = [row.use.title.lower() for row in self.uses if row.chosen is None]
        text = "; ".join(chosen)
        more = f". None keeps the limits of {', '.join(without)}." if without else "."
        return f"{text[:1].upper()}{text[1:]}{more}"


def decided(study: Study, place: str = "") -> Decided:
    """Everything that a study decides. Raises `InputError` for a place that there is not."""
    places, options = candidates(study, place)
    production = production_of(study)
    by_key = {row.key: row for row in options}
    core = {row.key: row.candidate for row in options}
    baseline = next((row for row in options if row.control), None)
    before = _forecast(baseline, production) if baseline else None
    found = []
    held: dict[str, list[Held]] = {}
    for use in uses_of(study):
        decision = decide(as_use(use), core)
        hand = next((r for r in options if use.by_hand_id in [f.option.pk for f in r.options.values()]), None)
        chosen = hand or by_key.get(decision.chosen)
        cost = None
        if chosen is not None and (after := _forecast(chosen, production)) is not None:
            cost = Cost(after, saving(before, after, _assumed(production, chosen)) if before else None)
        if chosen is not None and chosen.key not in held:
            held[chosen.key] = _held(study, chosen, options)
        # where the use sets no limit, a picture that looks another one is told
        limits = {"stops": PLAIN_STOPS, "colour": PLAIN_COLOUR} | use.limits
        lost = failures(held[chosen.key], limits) if chosen is not None else []
        fact = _fact(use, decision, options, chosen, hand is not None, lost, production, cost, before)
        found.append(DecidedUse(use, decision, chosen, hand is not None, cost, lost, use_answer(fact)))
    return Decided(places, options, production, Cost(before, None) if before else None, found)


def _fact(
    use: StudyUse, decision: Decision, options: list[OfStudy], chosen: OfStudy | None, by_hand: bool,
    lost: list[Failure], production: Production, cost: Cost | None, before: Forecast | None,
) -> UseFact:  # fmt: skip
    """A use as plain figures. What would overturn the rules' choice says nothing of one by hand."""
    names = {row.key: row.name for row in options}
    if chosen is None:
        return UseFact(use.title, options=len(options), without=decision.without)
    rules = not by_hand
    control = next((row for row in options if row.control), None)
    return UseFact(
        use.title, chosen.first.pk, chosen.name, chosen.control, len(options), _seconds(chosen), _seconds(control),
        tuple(LIMIT_OF[name].title.lower() for name in decision.doubts) if rules else (),
        tuple(names[key] for key in decision.ties) if rules else (), decision.without if rules else "",
        production.frames, production.machines, cost.forecast.hours if cost else None,
        before.hours if before and cost else None,
        tuple(_moved(move, names) for move in decision.moved if move.chosen != decision.chosen) if rules else (),
        tuple(lost),
    )  # fmt: skip


def _seconds(option: OfStudy | None) -> float | None:
    time = mean_time(option) if option is not None else None
    return time.rendering + time.ready if time is not None else None


def _moved(move: Moved, names: dict[str, str]) -> MoveFact:
    kind = LIMIT_OF.get(move.what)
    unit = f" {kind.unit}" if kind is not None and kind.unit else ""
    what = f"the limit on {kind.title.lower()}" if kind is not None else "the weight of quality"
    return MoveFact(what, f"{three(move.before)}{unit}", f"{three(move.after)}{unit}", names.get(move.chosen, ""))


def production_of(study: Study) -> Production:
    """What is assumed of its production; the usual before anyone said."""
    return Production.objects.filter(study=study).first() or Production(study=study)


def assumptions(production: Production, pixels: float = 1.0) -> Assumptions:
    """As the core takes them. Raises `InputError` for what cannot be."""
    return Assumptions(
        production.frames, production.machines, production.hours_a_day, production.cost_per_machine_hour,
        production.ready_per, production.shots, pixels,
    )  # fmt: skip


def _assumed(production: Production, option: OfStudy) -> Assumptions:
    width, height = option.first.setup.description().picture_size
    final = (production.width or width) * (production.height or height)
    return assumptions(production, final / (width * height))


def _forecast(option: OfStudy, production: Production) -> Forecast | None:
    time = mean_time(option)
    if time is None:
        return None
    try:
        return forecast(time, _assumed(production, option))
    except InputError:
        return None


def _held(study: Study, chosen: OfStudy, options: Sequence[OfStudy]) -> list[Held]:
    """The choice at every place, whole, by zone, and in the part that changed most: its look against the reference
    where there is one, else as all else against its own control.
    """
    places = {facts.option.pk: (place, facts) for place, facts in chosen.options.items()}
    by_option = {facts.option.pk: facts for row in options for facts in row.options.values()}
    frames = len({facts.option.setup.frame for facts in chosen.options.values()}) > 1
    references = References()
    rows: list[Held] = []
    for pair in with_all(Pair.objects.filter(study=study, trial__in=places)).order_by("pk"):
        if pair.control_id == pair.trial.control_id:
            place, own = places[pair.trial_id]
            control = by_option.get(pair.control_id)
            rows += _of_pair(pair_figures(pair), place, own, control, references, frames=frames)
    return rows


def _of_pair(
    found: PairFigures, place: str, own: OptionFacts, control: OptionFacts | None, references: References, *,
    frames: bool,
) -> list[Held]:  # fmt: skip
    setup = found.pair.trial.setup
    if frames:
        place = ", ".join(part for part in place.split(", ") if part != frame_name(setup))
    row = partial(Held, place, pair=found.pair.pk, frame=setup.frame if frames else None)
    zones = {zone.zone: zone for zone in found.zones}
    # another frame or size than the control's: what is the choice's own can still be told
    beside = place_of(found.pair.control.setup) == place_of(setup)
    rows = []
    for look in found.looks:
        measured = found.trial.noise if look.name == WHOLE else zones[look.name].trial
        held = row(look.name, percent=figure_of(measured) if measured is not None else None)
        if beside:
            time = found.time_ratio if look.name == WHOLE else None
            held = replace(
                held, time=time, noise=look.noise, stops=look.stops, stops_interval=look.stops_interval,
                colour=look.colour,
            )  # fmt: skip
        stops, colour = (_judged(own, name, look.name, references) for name in ("stops", "colour"))
        if stops is not None:
            held = replace(
                held, stops=stops.value, stops_interval=stops.interval, colour=colour.value if colour else None,
                against=REFERENCE,
            )  # fmt: skip
        rows.append(held)
    cell = largest_cell(cell_facts(found.comparison))
    if beside and cell is not None and not _is_off(control, abs(cell_stops(cell.percent)), references):
        part = f"a part of the {place_of_box(cell.box, setup.description().picture_size)}"
        rows.append(row(part, stops=cell_stops(cell.percent), box=cell.box))
    return rows


def _judged(own: OptionFacts, name: str, zone: str, references: References) -> Figure | None:
    """A figure against the reference; None without one."""
    measure = own.measure(name, zone, references)
    return figure_of(measure) if measure is not None else None


def _is_off(control: OptionFacts | None, change: float, references: References) -> bool:
    """Whether the control itself is so far off the reference that a change against it says nothing."""
    stops = _judged(control, "stops", WHOLE, references) if control is not None else None
    return stops is not None and abs(stops.value) > change / 2
