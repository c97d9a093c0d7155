"""Judging without knowing which is which: the rounds of a blind test, and what its answers tell.

Every round shows two pictures in random places. In a test for a difference half of the rounds show two renders of one
side that differ in the seed alone, so that noise alone gives nothing away; right answers are compared with guessing. In
a test of preference every round shows both sides.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from random import Random

from scipy.special import bdtrc

from matchedpair.plans.plan import CONTROL, TRIAL

SAME, BETTER = "same", "better"
KINDS = {SAME: "Same or different", BETTER: "Which is better"}
ANSWERS = {SAME: ("same", "different"), BETTER: ("left", "right")}
LEAST_ROUNDS, USUAL_ROUNDS, MOST_ROUNDS = 6, 16, 200
CONFIDENCE, POWER = 0.95, 0.8


@dataclass(frozen=True)
class Shown:
    """One picture of a round: a render of a side."""

    side: str
    seed: int


@dataclass(frozen=True)
class Round:
    """Two pictures at a zone of the picture; an empty zone is all of it."""

    zone: str
    left: Shown
    right: Shown

    @property
    def differs(self) -> bool:
        """Whether the two are of different sides."""
        return self.left.side != self.right.side


@dataclass(frozen=True)
class Answered:
    """What is known of an answered round: what was shown where, and the answer."""

    differs: bool
    left_side: str
    answer: str


@dataclass(frozen=True)
class BlindResult:
    """What answered rounds tell.

    Parameters
    ----------
    rounds, count : int
        Answered rounds, and of these the right ones, or those in which the trial was preferred.
    interval : tuple of float
        95 % interval (Clopper and Pearson 1934) of the share of right answers, or of preferences for the trial.
    p : float
        Chance of a count this far from guessing: one-sided for right answers, two-sided for preferences.
    told : bool
        Whether that chance is under 5 %.
    could_show : float or None
        The smallest true share that so many rounds would have told from guessing four times out of five; None when no
        share could.
    sentence : str
    """

    kind: str
    rounds: int
    count: int
    interval: tuple[float, float]
    p: float
    told: bool
    could_show: float | None
    sentence: str

    @property
    def share(self) -> float:
        """Of the count in the rounds."""
        return self.count / self.rounds


def plan_rounds(
    kind: str, count: int, zones: Sequence[str], control_seeds: Sequence[int], trial_seeds: Sequence[int], dice: Random
) -> list[Round]:
    """Rounds in random order: zones in turn, places and kinds of round balanced.

    Raises
    ------
    ValueError
        For an unknown kind, too few or too many rounds, or a side without a render.
    """
    if kind not in KINDS:
        raise ValueError(f"a blind test is one of {', '.join(KINDS)}, got {kind!r}")
    if not LEAST_ROUNDS <= count <= MOST_ROUNDS:
        raise ValueError(f"a blind test has {LEAST_ROUNDS} to {MOST_ROUNDS} rounds, got {count}")
    if not control_seeds or not trial_seeds:
        raise ValueError("both sides need a finished render before they can be judged blind")
    seeds = {CONTROL: list(control_seeds), TRIAL: list(trial_seeds)}
    places = list(zones) or [""]
    sides = _sides(kind, count)
    dice.shuffle(sides)
    where = [places[number % len(places)] for number in range(count)]
    dice.shuffle(where)
    return [Round(zone, *_pictures(left, right, seeds, dice)) for zone, (left, right) in zip(where, sides, strict=True)]


def _sides(kind: str, count: int) -> list[tuple[str, str]]:
    mixed = [(CONTROL, TRIAL), (TRIAL, CONTROL)]
    if kind == BETTER:
        return [mixed[number % 2] for number in range(count)]
    alike = [(CONTROL, CONTROL), (TRIAL, TRIAL)]
    return [(mixed if number % 2 else alike)[(number // 2) % 2] for number in range(count)]


def _pictures(left: str, right: str, seeds: dict[str, list[int]], dice: Random) -> tuple[Shown, Shown]:
    """Two renders, of different seeds wherever that can be: the same noise in both would tell two sides apart."""
    first = dice.choice(seeds[left])
    others = [seed for seed in seeds[right] if seed != first]
    return Shown(left, first), Shown(right, dice.choice(others) if others else first)


def blind_result(kind: str, rounds: Sequence[Answered]) -> BlindResult | None:
    """What the answers tell; None without an answer."""
    total = len(rounds)
    if not total:
        return None
    count = sum(_counts(kind, each) for each in rounds)
    from scipy.stats import binomtest  # noqa: PLC0415 - takes a second to load, which every command would wait for

    test = binomtest(count, total, 0.5, alternative="greater" if kind == SAME else "two-sided")
    two_sided = binomtest(count, total, 0.5)
    low, high = two_sided.proportion_ci(CONFIDENCE, method="exact")
    told = bool(test.pvalue < 1 - CONFIDENCE)
    could = smallest_shown(kind, total)
    words = _sentence(kind, count, total, (low, high), told, could)
    return BlindResult(kind, total, count, (float(low), float(high)), float(test.pvalue), told, could, words)


def _counts(kind: str, answered: Answered) -> bool:
    if kind == SAME:
        return (answered.answer == "different") == answered.differs
    preferred_left = answered.answer == "left"
    return preferred_left == (answered.left_side == TRIAL)


def smallest_shown(kind: str, rounds: int) -> float | None:
    """The smallest true share, in whole percent, that so many rounds tell from guessing with the power of `POWER`."""
    sides = 1 if kind == SAME else 2
    counts = range(rounds // 2 + 1, rounds + 1)
    needed = next((n for n in counts if sides * bdtrc(n - 1, rounds, 0.5) < 1 - CONFIDENCE), None)
    if needed is None:
        return None
    shares = (percent / 100 for percent in range(51, 101))
    return next((share for share in shares if bdtrc(needed - 1, rounds, share) >= POWER), None)


def _sentence(
    kind: str, count: int, rounds: int, interval: tuple[float, float], told: bool, could: float | None
) -> str:
    low, high = (round(100 * each) for each in interval)
    least = (
        f"{rounds} rounds are too few to tell anything from guessing"
        if could is None
        else f"{rounds} rounds would have shown {round(100 * could)} % or more"
    )
    if kind == SAME:
        right = f"{count} of {rounds} right ({low} to {high} %)"
        return f"The difference is seen: {right}." if told else f"No difference was seen: {right}; {least}."
    preferred = f"the trial was preferred in {count} of {rounds} rounds ({low} to {high} %)"
    if not told:
        return f"No preference: {preferred}; {least}."
    return f"The {'trial' if 2 * count > rounds else 'control'} is preferred: {preferred}."
