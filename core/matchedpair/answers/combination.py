"""Which of these help each other? What each alone and both bring, and what the second adds to the first."""

from __future__ import annotations

import math

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.phrases import between, capital, noise, percent, render_time, sentence
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.softer import of_uncompared
from matchedpair.answers.thresholds import NOISE

Square = tuple[PairFact, PairFact, PairFact]


def answer(facts: StudyFacts) -> Answer:
    """The answer over the two changes that together bring most."""
    squares = _squares(facts)
    if not squares:
        return of_uncompared(facts)
    first, second, both = min(squares, key=lambda row: row[2].noise.value if row[2].noise else math.inf)
    names = (first.subject, second.subject)
    together, alone = _logs(both), (_logs(first), _logs(second))
    apart = together[0] - alone[0][0] - alone[1][0]
    reach = math.hypot(together[1], alone[0][1], alone[1][1])
    left = math.exp(together[0])
    proof = Proof(PAIR, both.key, (both.control, both.trial))
    told = [Claim(f"{capital(each.subject)}: {noise(each.noise)}{_time(each)}.", Proof(PAIR, each.key))
            for each in (first, second) if each.noise is not None]  # fmt: skip
    added = math.exp(together[0] - alone[0][0])
    told.append(Claim(
        f"Over {names[0]} alone, {names[1]} leaves {percent(added)} of the noise"
        + (": little difference." if abs(added - 1) < NOISE else "."), proof
    ))  # fmt: skip
    joint = f"together they leave {percent(left)} of the noise"
    expected = math.exp(alone[0][0] + alone[1][0])
    if abs(apart) <= reach < math.log(1 + 4 * NOISE):
        text = f"They work apart: {joint}, just what each alone would give"
        sure = SURE
    elif abs(apart) <= reach:
        text = f"Not sure yet: {joint} {_ends(both)}"
        sure = UNSURE
    elif apart < 0:
        text = f"They help each other: {joint}, alone they would leave {percent(expected)}"
        sure = SURE
    else:
        text = f"They get in each other's way: {joint} instead of {percent(expected)}"
        sure = SURE
    step = None
    if sure == UNSURE:
        options = [option for each in (first, second, both) if (option := facts.option(each.trial)) is not None]
        step = more_seeds(options, reach, math.log(1 + 4 * NOISE))
    choice = both.trial if left < 1 - NOISE else 0
    return Answer(facts.question, sentence(text), sure, choice, tuple(told), caveats(facts, both), step, proof)


def _squares(facts: StudyFacts) -> list[Square]:
    """Pairs with one change, another, and both, of one control."""
    by_change: dict[tuple[int, frozenset[tuple[str, str]]], PairFact] = {}
    for pair in facts.pairs:
        trial = facts.option(pair.trial)
        if trial is not None and pair.noise is not None:
            by_change[(pair.control, _changes(trial))] = pair
    found = []
    for (control, change), pair in by_change.items():
        if len(change) != 2:
            continue
        parts = [by_change.get((control, frozenset([each]))) for each in sorted(change)]
        if parts[0] is not None and parts[1] is not None:
            found.append((parts[0], parts[1], pair))
    return found


def _changes(option: OptionFact) -> frozenset[tuple[str, str]]:
    return frozenset((level.subject, level.shown) for level in option.levels if level.changed)


def _logs(pair: PairFact) -> tuple[float, float]:
    """The logarithm of the noise ratio, and how far it is off by chance: the nearer end of its interval, since the
    farther one may hold another reading of rare bright paths, which would be another for all three ratios alike.
    """
    if pair.noise is None or pair.noise.interval is None:
        return 0.0, math.inf
    return math.log(pair.noise.value), pair.noise.reach_of_chance


def _time(pair: PairFact) -> str:
    return f", {render_time(pair.time)}" if pair.time is not None else ""


def _ends(pair: PairFact) -> str:
    if pair.noise is None or pair.noise.interval is None:
        return ""
    low, high = pair.noise.interval
    return between(100 * low, 100 * high, " %")
