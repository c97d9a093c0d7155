"""Is a feature worth its time that denoises the picture or makes it softer or sharper, such as a pixel filter? Noise is
no measure of it, since a blur takes noise away and detail with it: the time to the control's visible error against the
reference is; without one nothing is decided.
"""

from __future__ import annotations

import math

from matchedpair.answers.answer import (
    PAIR,
    SURE,
    UNSURE,
    VISIBLE_ERROR,
    VISIBLE_NOISE,
    Answer,
    Claim,
    Proof,
)
from matchedpair.answers.caveats import caveats
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import (
    between,
    number,
    render_time,
    sentence,
    softness,
    times,
    times_between,
    visible_noise,
)
from matchedpair.answers.same_noise import NOT_WORTH, WORTH, Cost, what_tells
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.standing import NEVER, standing
from matchedpair.answers.thresholds import TIME
from matchedpair.answers.unjudged import about_reference, reference_step


def of_uncompared(facts: StudyFacts) -> Answer:
    """The answer where no noise compares: of the first pair of which one side is filtered, or why there is none."""
    softer = next((pair for pair in facts.pairs if pair.noise is None and is_filtered(pair)), None)
    several = len({option.engine for option in facts.options}) > 1
    return nothing_yet(facts) if softer is None or several else answer(facts, softer)


def answer(facts: StudyFacts, pair: PairFact) -> Answer:
    """The answer of one such pair."""
    control, trial = facts.option(pair.control), facts.option(pair.trial)
    judged = control is not None and trial is not None and None not in (control.visible_error, trial.visible_error)
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial), measure=VISIBLE_ERROR if judged else VISIBLE_NOISE)
    softer = () if pair.sharpness is None else (Claim(sentence(f"it is {softness(pair.sharpness)}"), proof),)
    if control is not None and trial is not None and judged:
        error = (
            f"visible error {number(trial.visible_error or 0.0)} ΔE instead of {number(control.visible_error or 0.0)}"
        )
        lost = control.detail is None or trial.detail is None  # else it is said what is lost of the truth
        told = (Claim(sentence(error), proof), *(softer if lost else ()), *as_seen(pair, proof))
        if pair.time is not None and trial.visible_mean is not None:
            return _by_reference(facts, pair, (control, trial), told, proof)
        why = "Its own noise or time is not known"
        step = more_seeds([control, trial], 1.0, 1.0)  # one, which brings both
    else:
        told, why = (*softer, *as_seen(pair, proof)), "Only a reference tells what was noise"
        told = (*about_reference(facts, facts.options), *told)
        step = reference_step(facts)
    text = f"Not decided: {pair.subject} {_does(pair)}. {why}"
    return Answer(facts.question, sentence(text), UNSURE, 0, told, caveats(facts, pair), step, proof)


def is_filtered(pair: PairFact) -> bool:
    """Whether one side is denoised, or softer or sharper, so that their noise does not compare."""
    return pair.denoised or pair.sharpness is not None


def _does(pair: PairFact) -> str:
    if pair.sharpness is None:
        return "smooths the picture"
    return f"makes the picture {'softer' if pair.sharpness < 1.0 else 'sharper'}"


def _by_reference(
    facts: StudyFacts, pair: PairFact, sides: tuple[OptionFact, OptionFact], told: tuple[Claim, ...], proof: Proof
) -> Answer:
    row = standing(*sides, pair.time.reach if pair.time else 0.0)
    low, high = row.interval
    if row.why_not == NEVER or (math.isinf(row.ratio) and low > 1 + TIME):
        short = "never comes as close to the reference"
        if row.why_not != NEVER:
            short = f"takes at least {times(low)} × the time to come as close to the reference"
        text = f"No: with {pair.subject} the picture {short}"
        return Answer(facts.question, sentence(text), SURE, pair.control, told, caveats(facts, pair), None, proof)
    if math.isinf(row.ratio):
        text = f"Not sure yet: to come as close to the reference, {pair.subject} takes at least {times(low)} × the time"
        step = more_seeds(sides, 1.0, 1.0)
        return Answer(facts.question, sentence(text), UNSURE, 0, told, caveats(facts, pair), step, proof)
    cost = Cost(row.ratio, row.interval, (row.ratio, row.ratio))
    takes = f"{times(cost.value)} × the time {times_between(low, high)}"
    choice, step = 0, None
    if cost.decided == WORTH:
        faster = f"{number(1 / cost.value)} × faster {between(1 / high, 1 / low)}"
        found = faster if cost.value <= 1 / 1.5 else f"in {takes}"
        text, choice = f"Yes: {pair.subject} comes as close to the reference {found}", pair.trial
    elif cost.decided == NOT_WORTH:
        text, choice = f"No: to come as close to the reference, {pair.subject} takes {takes}", pair.control
    else:
        text = f"Not sure yet: to come as close to the reference, {pair.subject} takes {takes}"
        step = what_tells(sides, cost)
    sure = SURE if choice else UNSURE
    return Answer(facts.question, sentence(text), sure, choice, told, caveats(facts, pair), step, proof)


def as_seen(pair: PairFact, proof: Proof) -> tuple[Claim, ...]:
    """Visible noise and time, where they are known."""
    told = [] if pair.visible is None else [visible_noise(pair.visible)]
    told += [] if pair.time is None else [render_time(pair.time)]
    return tuple(Claim(sentence(each), proof) for each in told)
