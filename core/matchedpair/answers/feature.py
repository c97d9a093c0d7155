"""Is this feature worth its time? Noise and time in one figure; where it changes the look, what it adds comes first."""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats, looks_otherwise, shifts
from matchedpair.answers.facts import PairFact, StudyFacts
from matchedpair.answers.nearer import nearer
from matchedpair.answers.phrases import (
    between,
    mostly,
    noise,
    number,
    percent,
    percents,
    render_time,
    sentence,
    times,
    times_between,
)
from matchedpair.answers.same_noise import NOT_WORTH, WORTH, Cost, costs, what_tells
from matchedpair.answers.same_pictures import of_same_pictures
from matchedpair.answers.softer import of_uncompared


def answer(facts: StudyFacts) -> Answer:
    """The answer from the study's pair; of several, from the one that saves or costs most."""
    if (same := of_same_pictures(facts)) is not None:
        return same
    rows = costs(facts)
    looks = [pair for pair in facts.pairs if looks_otherwise(pair)]
    if not rows and looks:
        return _changed(facts, looks[0], None)
    if not rows:
        return of_uncompared(facts)
    pair, cost = min(rows, key=lambda row: row[1].value)
    if len(facts.pairs) == 1 and looks_otherwise(pair):
        return _changed(facts, pair, cost)
    return of_pair(facts, pair, cost)


def of_pair(facts: StudyFacts, pair: PairFact, cost: Cost) -> Answer:
    """The answer of one pair that looks the same on both sides, or whose look is told among the *but*."""
    control, trial = facts.option(pair.control), facts.option(pair.trial)
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial))
    subject = pair.subject
    low, high = cost.interval
    if cost.decided == WORTH:
        saved = f"{percent(1 - cost.value)} of the time at the same noise {percents(1 - high, 1 - low)}"
        if cost.value <= 1 / 1.5:
            saved = f"the same noise comes {number(1 / cost.value)} × faster {between(1 / high, 1 / low)}"
            text = f"{_mostly('Yes', pair)}: with {subject} {saved}"
        else:
            text = f"{_mostly('Yes', pair)}: {subject} saves {saved}"
        sure, choice = SURE, pair.trial
    elif cost.decided == NOT_WORTH:
        more = f"{percent(cost.value - 1)} longer" if cost.value < 1.5 else f"{number(cost.value)} × as long"
        text = f"{_mostly('No', pair)}: with {subject} the same noise takes {more} {_range(cost)}"
        sure, choice = SURE, pair.control
    else:
        takes = f"{times(cost.value)} × the time {times_between(low, high)}"
        text = f"Not sure yet: to the same noise, {subject} takes {takes}"
        sure, choice = UNSURE, 0
    options = [each for each in (control, trial) if each is not None]
    step = None if sure == SURE else what_tells(options, cost)
    return Answer(facts.question, sentence(text), sure, choice, because(pair, proof), caveats(facts, pair), step, proof)


def _mostly(word: str, pair: PairFact) -> str:
    where = mostly(pair.noise)
    return f"{word},{where}" if where else word


def because(pair: PairFact, proof: Proof) -> tuple[Claim, ...]:
    """Noise, time, and whether the picture is otherwise unchanged."""
    found = []
    if pair.noise is not None:
        found.append(Claim(sentence(noise(pair.noise)), proof))
    if pair.time is not None:
        found.append(Claim(sentence(render_time(pair.time)), proof))
    if pair.found is False and pair.smallest is not None:
        found.append(Claim(
            f"The picture is otherwise unchanged; a change of {number(pair.smallest)} % would have shown.", proof
        ))  # fmt: skip
    if not_told := why_not_told(pair):
        found.append(Claim(sentence(f"whether anything else changed cannot be told: {not_told}"), proof))
    return tuple(found)


def why_not_told(pair: PairFact) -> str:
    """Why nobody knows whether a pair differs beyond its noise; empty where that is known."""
    if pair.found is not None or pair.identical:
        return ""
    return pair.refused.get("difference", "").removeprefix("cannot tell: ")


def _range(cost: Cost) -> str:
    low, high = cost.interval
    return percents(low - 1, high - 1) if cost.value < 1.5 else between(low, high)


def _changed(facts: StudyFacts, pair: PairFact, cost: Cost | None) -> Answer:
    """What it adds to the picture, and what that costs."""
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial))
    seen = shifts(facts, pair)
    price = ""
    if pair.time is not None:
        slower = pair.time.value > 1 and not pair.time.tie
        price = f", {'for' if slower else 'with'} {render_time(pair.time)}"
    text = f"It changes the picture: {seen[0].text}{price}"
    told = (*nearer(facts, pair), *because(pair, proof))
    if cost is not None:
        told = (
            *told,
            Claim(f"To the same noise it takes {number(cost.value)} × the time {between(*cost.interval)}.", proof),
        )
    rest = tuple(claim for claim in caveats(facts, pair) if claim.text != seen[0].text)
    return Answer(facts.question, sentence(text), SURE, 0, told, rest, None, seen[0].proof or proof)
