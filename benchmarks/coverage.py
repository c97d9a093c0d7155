"""How often the intervals of noise hold the truth, and how far the paired ratio is off: on stated random processes.

docs/measures.md quotes what this prints.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from matchedpair.measures.light import Light
from matchedpair.measures.noise import NoiseFigure, TwinNoise, noise_ratio, total_noise_ratio
from matchedpair.measures.region import Region
from matchedpair.pictures.picture import Floats

from benchmarks.figures import Measured, show
from tests.core.test_places import lamps, rare, uneven
from tests.pictures import everywhere, flat, noisy, patchy, textured

SIZE = (320, 240)
TRIALS = 50
SEEDS = (2, 3, 4)
MISSED = 10.0
# a twelfth and two thirds of the places of the control hold a path, and most of the trial's
OFF = {"rare bright paths": 5.0, "weak rare paths": 5.0, "paths in most places": 7.0}
Make = Callable[[float, int], Floats]
KINDS: dict[str, Make] = {
    "white": lambda n, seed: noisy(textured(SIZE), 1 / math.sqrt(n), seed),
    "patches of 6 px": lambda n, seed: patchy(flat(0.5, SIZE), 1 / math.sqrt(n), 6, seed),
    "patches of 12 px": lambda n, seed: patchy(flat(0.5, SIZE), 1 / math.sqrt(n), 12, seed),
    "uneven": lambda n, seed: uneven(textured(SIZE), 0.5 / math.sqrt(n), seed),
    "rare bright paths": lambda n, seed: rare(textured(SIZE), n, seed),
    "paths in most places": lambda n, seed: rare(textured(SIZE), n, seed, often=6e-5, bright=60),
    "weak rare paths": lambda n, seed: rare(textured(SIZE), n, seed, often=2e-5, bright=20),
    "lamps in the dark": lamps,
}


def run() -> bool:
    """Coverage by kind of noise and number of seeds; the ratio of half the noise."""
    rows: list[Measured] = []
    for name, make in KINDS.items():
        for seeds in SEEDS:
            rows += _covered(name, make, seeds)
    return show(f"Intervals of noise, {TRIALS} trials each", rows)


def _covered(name: str, make: Make, seeds: int) -> list[Measured]:
    controls, trials = [], []
    for trial in range(TRIALS):
        first = 1000 * trial
        controls.append(_figure([make(100.0, first + seed) for seed in range(seeds)]))
        trials.append(_figure([make(400.0, first + 500 + seed) for seed in range(seeds)]))
    true = math.sqrt(float(np.mean([each.total.value**2 for each in controls])))
    typical = float(np.median([each.noise.value for each in controls]))
    pairs = list(zip(controls, trials, strict=True))
    ratios = [noise_ratio(*pair) for pair in pairs]
    totals = [total_noise_ratio(*pair) for pair in pairs]
    title = f"{name}, {seeds} seeds"
    return [
        Measured(f"{title}: {what} missed", _missed(intervals, truth), "%", MISSED)
        for what, intervals, truth in (
            ("total noise", [each.total.interval for each in controls], true),
            ("total ratio", [each.interval for each in totals], 0.5),
            ("noise", [each.noise.interval for each in controls], typical),
            ("noise ratio", [each.interval for each in ratios], 0.5),
        )
    ] + [
        Measured(
            f"{title}: noise ratio off by", 100 * abs(float(np.median([each.value for each in ratios])) / 0.5 - 1), "%",
            OFF.get(name, 3.0),
        ),
        Measured(f"{title}: half its interval", 50 * float(np.median([_width(each.interval) for each in ratios])), "%"),
    ]  # fmt: skip


def _figure(pictures: list[Floats]) -> NoiseFigure:
    whole = everywhere(pictures[0])
    return TwinNoise(Light(pictures, whole)).figure(Region(whole))


def _missed(intervals: list[tuple[float, float] | None], truth: float) -> float:
    """How many of a hundred intervals do not hold the truth."""
    return 100 * float(np.mean([ends is None or not ends[0] <= truth <= ends[1] for ends in intervals]))


def _width(ends: tuple[float, float] | None) -> float:
    return math.inf if ends is None else (ends[1] - ends[0]) / 0.5
