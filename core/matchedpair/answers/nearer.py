"""Which side of a pair that looks otherwise is nearer to the reference, noise aside."""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, VISIBLE_ERROR, Claim, Proof
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.phrases import number, sentence
from matchedpair.measures.samples_to import LAW


def nearer(facts: StudyFacts, pair: PairFact) -> tuple[Claim, ...]:
    """What the reference says of both sides; nothing without one, across engines, or where noise could have said it.

    What noise adds to an error is known within `LAW`, and is taken off as a sum of squares.
    """
    control, trial = facts.option(pair.control), facts.option(pair.trial)
    if control is None or trial is None or control.engine != trial.engine:
        return ()
    if facts.reference_engine not in ("", control.engine):
        return ()
    own, other = _beyond_noise(trial), _beyond_noise(control)
    if own is None or other is None or abs(own[0] - other[0]) <= own[1] + other[1]:
        return ()
    near, far = (trial, control) if own[0] < other[0] else (control, trial)
    name = pair.subject if near is trial else "the control"
    off = f"{number(near.visible_error or 0.0)} ΔE off against {number(far.visible_error or 0.0)}"
    noise = f"noise alone would be {number(near.visible_mean or 0.0)} and {number(far.visible_mean or 0.0)}"
    proof = Proof(PAIR, pair.key, (near.key, far.key), measure=VISIBLE_ERROR)
    return (Claim(sentence(f"{name} is nearer to the reference: {off}; {noise}"), proof),)


def _beyond_noise(option: OptionFact) -> tuple[float, float] | None:
    """The square of its visible error less that of its noise, and how far that may be off."""
    if option.visible_error is None or option.visible_mean is None:
        return None
    noise = option.visible_mean**2
    return option.visible_error**2 - noise, 2 * LAW * (noise + option.visible_error**2)
