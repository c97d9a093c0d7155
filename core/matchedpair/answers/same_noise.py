"""Time to the same noise: what a trial costs once its noise is brought to the control's by the law noise² ∝ 1/time."""

from __future__ import annotations

import math
from dataclasses import dataclass

from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.thresholds import TIME
from matchedpair.measures.figure import Interval

WORTH, NOT_WORTH, UNDECIDED = "worth it", "not worth it", "not sure yet"


@dataclass(frozen=True)
class Cost:
    """The trial's time to the control's noise over the control's time, with its interval."""

    value: float
    interval: Interval

    @property
    def decided(self) -> str:
        """Whether it saves time beyond what counts."""
        if self.interval[1] < 1 - TIME:
            return WORTH
        return NOT_WORTH if self.interval[0] > 1 + TIME else UNDECIDED

    @property
    def half_width(self) -> float:
        """Of its logarithm."""
        return math.log(self.interval[1] / self.interval[0]) / 2

    @property
    def distance(self) -> float:
        """From its logarithm to the threshold that it must keep away from to be told: the farther of the two while it
        lies between them, else the nearer.
        """
        value = math.log(self.value)
        apart = [abs(value - math.log(threshold)) for threshold in (1 - TIME, 1 + TIME)]
        return max(apart) if abs(value) < TIME else min(apart)


def cost_of(pair: PairFact, control: OptionFact, trial: OptionFact) -> Cost | None:
    """c = (t·n²·rendering + the trial's getting ready) / (rendering + the control's); None where one is missing."""
    if pair.noise is None or pair.time is None:
        return None
    rendering = control.seconds.value if control.seconds is not None else 1.0
    ready = (control.ready or 0.0, trial.ready or 0.0)
    part = pair.time.value * pair.noise.value**2 * rendering
    value = (part + ready[1]) / (rendering + ready[0])
    reach = math.hypot(pair.time.reach, 2 * pair.noise.reach) * part / (part + ready[1])
    return Cost(value, (value * math.exp(-reach), value * math.exp(reach)))


def costs(facts: StudyFacts) -> list[tuple[PairFact, Cost]]:
    """Every pair of a study whose cost is known, in their order."""
    rows = []
    for pair in facts.pairs:
        control, trial = facts.option(pair.control), facts.option(pair.trial)
        cost = None if control is None or trial is None else cost_of(pair, control, trial)
        if cost is not None:
            rows.append((pair, cost))
    return rows
