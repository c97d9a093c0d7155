"""What would settle what is open: seeds in proportion to the square of how far the interval must shrink."""

from __future__ import annotations

import math
from collections.abc import Sequence

from matchedpair.answers.answer import HIGHER_LEVELS, SEEDS, Step
from matchedpair.answers.facts import OptionFact
from matchedpair.answers.phrases import count, seconds
from matchedpair.answers.thresholds import MOST_SEEDS

LARGER = Step(HIGHER_LEVELS, "Render larger: more pixels tell more than more seeds")
LONGER = Step(HIGHER_LEVELS, "Render larger: the longer a render takes, the less its time scatters")


def more_seeds(options: Sequence[OptionFact], half_width: float, distance: float) -> Step | None:
    """The seeds that would probably do, and what they take; None when more than `MOST_SEEDS` would be needed.

    Parameters
    ----------
    half_width, distance : float
        Of the deciding figure's interval, and from the figure to its threshold, in one unit.
    """
    there = min((option.seeds for option in options), default=0)
    if there < 1:
        return None
    wanted = there * (half_width / distance) ** 2 if distance > 0 else math.inf
    more = max(math.ceil(min(wanted, 1e6)) - there, 1)
    if more > MOST_SEEDS:
        return None
    takes = [more * (option.seconds.value + (option.ready or 0.0)) for option in options if option.seconds is not None]
    time = sum(takes) if len(takes) == len(options) else None
    about = f", about {seconds(time)}" if time is not None else ""
    words = f"Render {count(more)} more {'seed' if more == 1 else 'seeds'} each{about}"
    return Step(SEEDS, words, tuple(option.key for option in options), more, time)
