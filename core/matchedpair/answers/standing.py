"""How a trial stands to its control by a reference: its time to the control's visible error, with both ends."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.measures.figure import Figure, Interval
from matchedpair.measures.samples_to import Convergence, samples_to

FARTHEST = 4.0  # times the samples it was rendered with, from which an option is too far off to tell
NEVER, FAR = "never gets there", "too far off"


@dataclass(frozen=True)
class Standing:
    """An option at a place: its time to the control's visible error over the control's time, infinite where it cannot
    be told or never gets there, between which two; how many times its samples that takes at least; and why it is not
    ranked, empty where it is.
    """

    option: OptionFact
    ratio: float
    interval: Interval
    more: float
    why_not: str = ""


def standings(facts: StudyFacts, place: str) -> list[Standing]:
    """Every trial at a place, the fastest first, those that never get there last."""
    control, *trials = facts.at(place)
    rows = [
        standing(control, trial, _chance_in_time(facts, control, trial))
        for trial in trials
        if trial.visible_error is not None and trial.seconds
    ]
    return sorted(rows, key=lambda row: (bool(row.why_not), row.ratio, row.interval[0]))


def standing(control: OptionFact, trial: OptionFact, chance: float = 0.0) -> Standing:
    """How a trial stands to its control, both with their visible error against the reference and their time.

    `chance` is how far the ratio of their times may be off, as a logarithm.
    """
    aim, own = _seen(control).one, _seen(trial)
    samples = samples_to(own, aim)
    whole = (control.ready or 0.0) + (control.seconds.value if control.seconds else 0.0)
    rendering = trial.seconds.value if trial.seconds else 0.0

    def ratio(more: float) -> float:
        return ((trial.ready or 0.0) + rendering * more) / whole if whole > 0 else math.inf

    value, low, high = (ratio(more) for more in (samples.value, samples.low, samples.high))
    if math.isfinite(value) and value > 0:
        low = value * math.exp(-math.hypot(math.log(value / low), chance))
        high = value * math.exp(math.hypot(math.log(high / value), chance))
    else:
        low *= math.exp(-chance)
    why = NEVER if own.lasting > max(aim.ends) else FAR if samples.low > FARTHEST else ""
    return Standing(trial, math.inf if why else value, (math.inf if why == NEVER else low, high), samples.low, why)


def _seen(option: OptionFact) -> Convergence:
    """What is known of how its error falls; where its seeds were not seen together, from its own visible noise."""
    if option.convergence is not None:
        return option.convergence
    error, noise = option.visible_error or 0.0, option.visible_mean
    one = Figure(error, "ΔE", None, "reference", 1)
    if noise is None or error <= 0.0:
        return Convergence(1, one)
    noise = min(noise, error)
    return Convergence(2, one, replace(one, value=math.sqrt(error**2 - noise**2 / 2)), noise)


def _chance_in_time(facts: StudyFacts, control: OptionFact, trial: OptionFact) -> float:
    pair = facts.pair_of(control.key, trial.key)
    if pair is not None and pair.time is not None:
        return pair.time.reach
    halves = [math.log(high / low) / 2 for own in (control, trial) if own.seconds and own.seconds.interval
              for low, high in [own.seconds.interval] if low > 0]  # fmt: skip
    return math.hypot(*halves)
