"""How often the samples that an error takes lie where `samples_to` says, and whether what gets there is ever said never
to: photographs that lack something, in grain whose law is known.

docs/measures.md quotes what this prints.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np
from matchedpair.measures.convergence import convergence
from matchedpair.measures.samples_to import Convergence, samples_to
from matchedpair.measures.visible import visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats

from benchmarks.figures import Measured, show
from tests.pictures import blurred, everywhere, grainy, patchy, photograph

SIZE = (192, 144)
CONTROL, TRIALS, SEEDS = 0.12, 12, (2, 4)
GRAIN = (0.04, 0.1, 0.2)  # a ninth, two thirds and three times the control's samples
MISSED, FARTHEST = 10.0, 64.0
Lack = Callable[[Floats], Floats]


def _pool(picture: Floats) -> Floats:
    rows, columns = np.mgrid[: SIZE[1], : SIZE[0]]
    light = np.exp(-((columns - 140) ** 2 + (rows - 100) ** 2) / 15.0**2)
    return np.asarray(picture * (1 - 0.5 * light[..., None]), dtype=np.float32)


LACKS: dict[str, Lack] = {
    "nothing": lambda picture: picture,
    "3 % of the light": lambda picture: np.asarray(0.97 * picture, dtype=np.float32),
    "light in a pool": _pool,
    "evenness, by patches of 3 %": lambda picture: patchy(picture, 0.03, 6, 5),
    "fine detail": lambda picture: blurred(picture, 0.6),
}


def run() -> bool:
    """By what the pictures lack."""
    truth = cv2.resize(photograph("coffee")[:384, :512], SIZE, interpolation=cv2.INTER_AREA)
    aim = float(np.mean([_seen(grainy(truth, CONTROL, 900 + seed), truth) for seed in range(6)]))
    rows: list[Measured] = []
    never = 0
    for name, lack in LACKS.items():
        picture = lack(truth)
        missed: list[bool] = []
        halves: list[float] = []
        for grain in GRAIN:
            true = _true_samples(picture, truth, grain, aim)
            for seeds in SEEDS:
                for trial in range(TRIALS):
                    first = 1000 * trial
                    control = _measured(truth, truth, CONTROL, first, seeds)
                    own = _measured(picture, truth, grain, first + 100, seeds)
                    found = samples_to(own, control.one)
                    missed.append(not found.low <= true <= found.high)
                    halves.append(math.sqrt(found.high / found.low) - 1)
                    never += own.lasting > max(control.one.ends) and true < FARTHEST
        rows.append(Measured(f"lacking {name}: truth missed", 100 * float(np.mean(missed)), "%", MISSED))
        rows.append(Measured(f"lacking {name}: half its interval, in the middle", 100 * float(np.median(halves)), "%"))
    rows.append(Measured("said never to get there, and does", float(never), "", 0.0))
    return show(f"Samples to an error, {len(missed)} trials each", rows)


def _measured(picture: Floats, truth: Floats, grain: float, first: int, seeds: int) -> Convergence:
    pictures = [grainy(picture, grain, first + seed) for seed in range(seeds)]
    return convergence(pictures, [truth], everywhere(truth))


def _seen(picture: Floats, truth: Floats) -> float:
    return float(visible_maps([picture, truth], display_light)[0].mean())


def _true_samples(picture: Floats, truth: Floats, grain: float, aim: float) -> float:
    """By trying: how many times the samples bring the mean of four seeds to an error."""

    def error(times: float) -> float:
        made = [grainy(picture, grain / math.sqrt(times), 5000 + seed) for seed in range(4)]
        return float(np.mean([_seen(each, truth) for each in made]))

    low, high = 1 / FARTHEST, FARTHEST
    if error(high) > aim:
        return math.inf
    for _ in range(12):
        middle = math.sqrt(low * high)
        low, high = (middle, high) if error(middle) > aim else (low, middle)
    return math.sqrt(low * high)
