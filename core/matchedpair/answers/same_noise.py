"""Time to the same noise: what a trial costs once its noise is brought to the control's by the law noise² ∝ 1/time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.answers.answer import LOOK, Step
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.settle import LARGER, LONGER, more_seeds
from matchedpair.answers.thresholds import TIME
from matchedpair.measures.figure import Interval

WORTH, NOT_WORTH, UNDECIDED = "worth it", "not worth it", "not sure yet"
SPECKS = Step(LOOK, "Look at the pair: it turns on whether rare bright specks are noise, which seeds do not tell")


@dataclass(frozen=True)
class Cost:
    """The trial's time to the control's noise over the control's time, with its interval.

    `readings` is how far it lies apart with rare bright paths counted as noise and without, once chance adds nothing;
    `by_time` whether the scatter of times is most of the interval.
    """

    value: float
    interval: Interval
    readings: Interval
    by_time: bool = False

    @property
    def decided(self) -> str:
        """Whether it saves time beyond what counts."""
        return _decided(self.interval)

    @property
    def seeds_tell(self) -> bool:
        """Whether more seeds could decide it; else it turns on whether rare bright paths are noise."""
        low, high = self.readings
        return low == 0 or high / low < 1 + TIME or _decided(self.readings) != UNDECIDED

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


def _decided(interval: Interval) -> str:
    if interval[1] < 1 - TIME:
        return WORTH
    return NOT_WORTH if interval[0] > 1 + TIME else UNDECIDED


def cost_of(pair: PairFact, control: OptionFact, trial: OptionFact) -> Cost | None:
    """c = (t·n²·rendering + the trial's getting ready) / (rendering + the control's); None where one is missing, or
    where an interval has no end.
    """
    if pair.noise is None or pair.time is None or math.isinf(pair.noise.reach + pair.time.reach):
        return None
    rendering = control.seconds.value if control.seconds is not None else 1.0
    ready = (control.ready or 0.0, trial.ready or 0.0)
    part = pair.time.value * pair.noise.value**2 * rendering
    value = (part + ready[1]) / (rendering + ready[0])
    share = part / (part + ready[1])
    reach = math.hypot(pair.time.reach, 2 * pair.noise.reach) * share
    below, above = (2 * apart * share for apart in pair.noise.second_reading)
    interval = (value * math.exp(-reach), value * math.exp(reach))
    readings = (value * math.exp(-below), value * math.exp(above))
    return Cost(value, interval, readings, by_time=pair.time.reach > 2 * pair.noise.reach)


def what_tells(options: Sequence[OptionFact], cost: Cost) -> Step:
    """What would decide a cost that is not sure yet: seeds, larger pictures, or a person's eye."""
    if not cost.seeds_tell:
        return SPECKS
    return more_seeds(options, cost.half_width, cost.distance) or (LONGER if cost.by_time else LARGER)


def costs(facts: StudyFacts) -> list[tuple[PairFact, Cost]]:
    """Every pair of a study whose cost is known, in their order."""
    rows = []
    for pair in facts.pairs:
        control, trial = facts.option(pair.control), facts.option(pair.trial)
        cost = None if control is None or trial is None else cost_of(pair, control, trial)
        if cost is not None:
            rows.append((pair, cost))
    return rows
