"""A trial whose pictures are its control's to the last bit: what was changed did nothing to them, and only time is left
to tell.
"""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats
from matchedpair.answers.facts import StudyFacts
from matchedpair.answers.phrases import about, capital, percent, percents, sentence
from matchedpair.answers.same_noise import NOT_WORTH, WORTH, Cost
from matchedpair.answers.settle import LONGER, more_seeds
from matchedpair.answers.thresholds import TIME

TO_THE_BIT = "the pictures are the same to the last bit"
BY_ITSELF = Claim("it may need something else switched on with it, which is off here")


def of_same_pictures(facts: StudyFacts) -> Answer | None:
    """The answer of a study's only pair where its sides are the same to the last bit; None for all others."""
    if len(facts.pairs) != 1 or not facts.pairs[0].identical:
        return None
    (pair,) = facts.pairs
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial))
    but = caveats(facts, pair)
    nothing = f"{pair.subject} changes nothing: {TO_THE_BIT}"
    if pair.time is None:
        return Answer(
            facts.question, sentence(capital(nothing)), SURE, pair.control, (), (BY_ITSELF, *but), None, proof
        )
    low, high = pair.time.ends
    cost = Cost(pair.time.value, (low, high), (low, high))
    if cost.decided == WORTH:
        saved = f"{percent(1 - cost.value)} of the time {percents(1 - high, 1 - low)}"
        text = f"Yes: {pair.subject} saves {saved} with the same pictures, to the last bit"
        return Answer(facts.question, sentence(text), SURE, pair.trial, (), but, None, proof)
    but = (BY_ITSELF, *but)
    if cost.decided == NOT_WORTH:
        text = f"No: {nothing}, and take {percent(cost.value - 1)} more time {percents(low - 1, high - 1)}"
        return Answer(facts.question, sentence(text), SURE, pair.control, (), but, None, proof)
    if low >= 1 - TIME and high <= 1 + TIME:
        text = f"No: {nothing}, in the same time ({about(pair.time)})"
        return Answer(facts.question, sentence(text), SURE, pair.control, (), but, None, proof)
    text = f"Not sure yet whether {pair.subject} saves time ({about(pair.time)}); {TO_THE_BIT}"
    options = [option for key in (pair.control, pair.trial) if (option := facts.option(key)) is not None]
    step = more_seeds(options, cost.half_width, cost.distance) or LONGER
    return Answer(facts.question, sentence(text), UNSURE, 0, (), but, step, proof)
