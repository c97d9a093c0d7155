"""What a study decides: for each use the choice, how firm it is, what it costs, and where it fails."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.answers import Answer, MoveFact, UseFact, use_answer
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
    ranked_by,
    saving,
)
from matchedpair.choose.uses import LIMIT_OF
from matchedpair.errors import InputError
from matchedpair.measures.figure import three

from server.decisions.candidates import OfStudy, candidates, mean_time
from server.decisions.failing import held_of
from server.decisions.models import Production, StudyUse
from server.decisions.uses import as_use, uses_of
from server.measuring.question_measures import noise_ranks_too_little
from server.studies.models import Option, Study


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
    rendered = Option.objects.filter(study=study, in_plan=True, left_out="")
    by = ranked_by(
        core, next((row.key for row in options if row.control), ""),
        noise_ranks=not noise_ranks_too_little(study, rendered),
    )  # fmt: skip
    baseline = next((row for row in options if row.control), None)
    before = _forecast(baseline, production) if baseline else None
    found = []
    held: dict[str, list[Held]] = {}
    for use in uses_of(study):
        decision = decide(as_use(use), core, by)
        hand = next((r for r in options if use.by_hand_id in [f.option.pk for f in r.options.values()]), None)
        chosen = hand or by_key.get(decision.chosen)
        cost = None
        if chosen is not None and (after := _forecast(chosen, production)) is not None:
            cost = Cost(after, saving(before, after, _assumed(production, chosen)) if before else None)
        if chosen is not None and chosen.key not in held:
            held[chosen.key] = held_of(study, chosen, options)
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
        tuple(lost), LIMIT_OF[decision.by].title.split(",")[0].lower(),
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
