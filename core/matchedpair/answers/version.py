"""Did the new version change anything? Faster or not, cleaner or not, and whether the picture is the same."""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.caveats import caveats, most_changed, shifts
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.feature import because
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.nearer import nearer
from matchedpair.answers.phrases import (
    around,
    capital,
    in_specks,
    mostly,
    number,
    percent,
    percents,
    place_of_box,
    render_time,
    sentence,
    softness,
    times,
    times_between,
)
from matchedpair.answers.same_noise import NOT_WORTH, WORTH, Cost, cost_of
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.softer import as_seen
from matchedpair.measures.difference import REACHES

TWICE = 1.41  # times narrower an interval gets by twice the seeds
SAME = 0.1  # a speed that is certainly within this is called the same


def answer(facts: StudyFacts) -> Answer:
    """The answer over all pairs of versions; the one that differs most speaks."""
    rows = [pair for pair in facts.pairs if pair.noise is not None or pair.found is not None or pair.identical]
    if not rows:
        return nothing_yet(facts)
    otherwise = next((row for row in rows if row.sharpness is not None), rows[0])
    pair, changed = next(((row, found) for row in rows if (found := shifts(facts, row))), (otherwise, []))
    control, trial = facts.option(pair.control), facts.option(pair.trial)
    cost = cost_of(pair, control, trial) if control and trial else None
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial))
    name = trial.name if trial else pair.subject
    if pair.identical:
        text = f"No change at all: the pictures of {name} are the same to the last bit"
        taken = () if pair.time is None else (Claim(sentence(render_time(pair.time)), proof),)
        return Answer(facts.question, sentence(text), SURE, 0, taken, caveats(facts, pair), None, proof)
    if pair.sharpness is not None and not changed:
        text = f"Yes, it looks different: {name} is {softness(pair.sharpness)}"
        return Answer(facts.question, sentence(text), SURE, 0, as_seen(pair, proof), caveats(facts, pair), None, proof)
    speed, sure, step = _speed(name, cost, mostly(pair.noise), [each for each in (control, trial) if each is not None])
    if changed:
        text = f"Yes, it looks different: {changed[0].text}{_rest(pair)}"
        told = (*nearer(facts, pair), *because(pair, proof), Claim(sentence(speed), proof))
        return Answer(facts.question, sentence(text), SURE, 0, told, caveats(facts, pair, look=False), step,
                      changed[0].proof)  # fmt: skip
    look = _look(facts, pair)
    if pair.found is None:
        text = f"{capital(speed)}. {capital(look)}"
        if pair.refused.get("difference") == REACHES:
            doubled = more_seeds([each for each in (control, trial) if each is not None], TWICE, 1.0)
            sure, step = UNSURE, step or doubled
    elif cost is not None and cost.decided in (WORTH, NOT_WORTH):
        text = f"{speed}. {capital(look)}"
    else:
        text = f"No visible change ({_would(pair)}). {capital(speed)}"
    return Answer(facts.question, sentence(text), sure, pair.trial if cost and cost.decided == WORTH else 0,
                  because(pair, proof), caveats(facts, pair), step, proof)  # fmt: skip


def _speed(name: str, cost: Cost | None, where: str, options: list[OptionFact]) -> tuple[str, str, Step | None]:
    if cost is None:
        return "no time is known of both sides", UNSURE, None
    low, high = cost.interval
    if cost.decided == WORTH:
        return (
            f"{name} is {percent(1 - cost.value)} faster to the same noise{where} {percents(1 - high, 1 - low)}",
            SURE,
            None,
        )
    if cost.decided == NOT_WORTH:
        return (
            f"{name} is {percent(cost.value - 1)} slower to the same noise{where} {percents(low - 1, high - 1)}",
            SURE,
            None,
        )
    if low >= 1 - SAME and high <= 1 + SAME:
        return f"speed to the same noise is the same{where} {around(low, high)}", SURE, None
    takes = f"{times(cost.value)} × the time to the same noise {times_between(low, high)}"
    return f"not sure yet whether it is faster: {takes}", UNSURE, more_seeds(options, cost.half_width, 0.8 * SAME)


def _look(facts: StudyFacts, pair: PairFact) -> str:
    if pair.found is None:
        return "Whether the light is the same cannot be told yet"
    part = most_changed(pair.parts) if pair.found else None
    if part is not None:
        option = facts.option(pair.control)
        where = place_of_box(part.box, option.size if option else (0, 0))
        return f"the light differs by {number(abs(part.percent))} % at most, in the {where}{in_specks(part)}"
    return f"the light is the same everywhere ({_would(pair)})"


def _would(pair: PairFact) -> str:
    return f"we would have seen {number(pair.smallest)} %" if pair.smallest is not None else "as far as was compared"


def _rest(pair: PairFact) -> str:
    parts = [zone for zone in pair.zones if zone.stops is not None]
    return "; the rest is unchanged" if len(parts) > 1 else ""
