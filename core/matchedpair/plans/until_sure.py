"""Whether a pair needs another seed: repeat until an interval is narrow enough, or a cap is reached."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.measures.figure import Ratio

TIME, NOISE = "time", "noise"
MOST_SEEDS = 20


@dataclass(frozen=True)
class UntilSure:
    """Which ratio must become how sure.

    Parameters
    ----------
    on : str
        ``time`` or ``noise``.
    width : float
        Of the 95 % interval, as a share of the ratio: 0.1 asks for 0.95 to 1.05.
    cap : int
        The most seeds an option gets.
    """

    on: str
    width: float
    cap: int


def relative_width(ratio: Ratio) -> float | None:
    """Width of a ratio's interval as a share of the ratio; None when it has none."""
    if ratio.interval is None or ratio.value <= 0:
        return None
    return (ratio.interval[1] - ratio.interval[0]) / ratio.value


def needs_more(rule: UntilSure, ratio: Ratio | None, seeds: int) -> bool:
    """Whether both sides get another seed. A ratio that is refused, or without interval, does not become surer."""
    if seeds >= min(rule.cap, MOST_SEEDS) or ratio is None:
        return False
    width = relative_width(ratio)
    return width is not None and width > rule.width
