"""A question of one's own, and every question without a rule of its own here: the best trade to the same noise."""

from __future__ import annotations

from dataclasses import replace

from matchedpair.answers.answer import NOTHING, PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.facts import PairFact, StudyFacts
from matchedpair.answers.feature import of_pair
from matchedpair.answers.phrases import capital, mostly, sentence, times, times_between
from matchedpair.answers.same_noise import NOT_WORTH, WORTH, Cost, costs, what_tells
from matchedpair.answers.same_pictures import of_same_pictures
from matchedpair.answers.softer import is_filtered, of_uncompared
from matchedpair.answers.unjudged import known_of, without_reference
from matchedpair.plans.plan_kind import is_place

MOST = 2  # told of what noise does not compare
ONLY_PLACES = "These renders differ only in what they show; nothing of how they are rendered is compared."


def answer(facts: StudyFacts) -> Answer:
    """The trial that comes to its control's noise soonest, with what the others do."""
    if facts.pairs and not any(not is_place(subject) for subject in facts.varied):
        return Answer(facts.question, ONLY_PLACES, NOTHING)
    if (same := of_same_pictures(facts)) is not None:
        return same
    rows = costs(facts)
    if not rows:
        return of_uncompared(facts)
    engines = {option.engine for option in facts.options}
    if len(engines) > 1:
        return without_reference(facts)
    filtered = _filtered(facts)
    if len(rows) == 1:
        found = of_pair(facts, *rows[0])
        return replace(found, because=(*found.because, *filtered))
    rows.sort(key=lambda row: row[1].value)
    pair, cost = rows[0]
    told = tuple(_told(other, each) for other, each in rows[1:4])
    if cost.decided == WORTH:
        found = of_pair(facts, pair, cost)
        return Answer(
            found.question, found.sentence, SURE, pair.trial, (*found.because, *told, *filtered), found.but, None,
            found.shown,
        )  # fmt: skip
    if all(each.decided == NOT_WORTH for _, each in rows):
        text = "Nothing here is faster to the same noise than the control"
        return Answer(facts.question, sentence(text), SURE, pair.control,
                      (*_first(pair, cost, told), *filtered), (), None, Proof(PAIR, pair.key))  # fmt: skip
    options = [option for key in (pair.control, pair.trial) if (option := facts.option(key)) is not None]
    text = "Not sure yet: nothing here is clearly faster to the same noise than the control"
    step = what_tells(options, cost)
    return Answer(facts.question, sentence(text), UNSURE, 0, (*_first(pair, cost, told), *filtered), (), step,
                  Proof(PAIR, pair.key))  # fmt: skip


def _filtered(facts: StudyFacts) -> tuple[Claim, ...]:
    """What is known of those whose noise does not compare, since they are denoised or filtered."""
    found = (known_of(facts, pair) for pair in facts.pairs if is_filtered(pair))
    return tuple(claim for claim in found if claim is not None)[:MOST]


def _first(pair: PairFact, cost: Cost, told: tuple[Claim, ...]) -> tuple[Claim, ...]:
    return (_told(pair, cost), *told[:2])


def _told(pair: PairFact, cost: Cost) -> Claim:
    takes = f"{times(cost.value)} × the time to the same noise{mostly(pair.noise)} {times_between(*cost.interval)}"
    return Claim(f"{capital(pair.subject)}: {takes}.", Proof(PAIR, pair.key))
