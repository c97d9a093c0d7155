"""What is said of renders whose times nobody knows, as of many that were made elsewhere: their noise and their looks,
and that what they cost stays open.
"""

from __future__ import annotations

from matchedpair.answers import passes
from matchedpair.answers.answer import PAIR, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats
from matchedpair.answers.facts import PairFact, StudyFacts
from matchedpair.answers.feature import because
from matchedpair.answers.missing import FILL_IN, NO_TIMES
from matchedpair.answers.phrases import capital, noise, sentence
from matchedpair.measures.figure import Ratio
from matchedpair.plans.plan_kind import is_place

MOST = 3


def nobody_knows_times(facts: StudyFacts) -> bool:
    """Whether all that is to come is there, and measured, and no time of it is known."""
    there = any(option.seeds for option in facts.options) and not any(
        option.open or option.seconds for option in facts.options
    )
    return there and (bool(_compared(facts)) or any(option.passed is not None for option in facts.options))


def answer(facts: StudyFacts) -> Answer:
    """The one with the least noise among those that compare."""
    if facts.question == "pass" and (found := passes.without_times(facts)) is not None:
        return found
    rows = [] if facts.question == "pass" else _compared(facts)
    if not rows:
        return Answer(facts.question, f"Not decided. {NO_TIMES}", UNSURE, next=FILL_IN)
    rows.sort(key=lambda row: row[1].value)
    (pair, ratio), *others = rows
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial))
    if others and (ratio.value >= 1 or ratio.tie):
        text, told = "nothing here has clearly less noise than the control", _told(rows)
    else:
        text, told = f"{noise(ratio)} with {pair.subject}", _told(others) or because(pair, proof)[1:]
    words = f"{sentence(f'Not sure yet: {text}')} {NO_TIMES}"
    return Answer(facts.question, words, UNSURE, 0, told, caveats(facts, pair), FILL_IN, proof)


def _told(rows: list[tuple[PairFact, Ratio]]) -> tuple[Claim, ...]:
    return tuple(
        Claim(f"{capital(pair.subject)}: {noise(ratio)}.", Proof(PAIR, pair.key, (pair.control, pair.trial)))
        for pair, ratio in rows[:MOST]
    )


def _compared(facts: StudyFacts) -> list[tuple[PairFact, Ratio]]:
    """The pairs whose noise compares, and not of places."""
    if all(is_place(subject) for subject in facts.varied):
        return []
    return [(pair, pair.noise) for pair in facts.pairs if pair.noise is not None]
