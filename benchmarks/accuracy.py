"""How far each measure is off on pictures with known answers: stated random processes on pictures of scikit-image.

docs/measures.md quotes what this prints.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from matchedpair.measures.difference import difference
from matchedpair.measures.kinds import measured
from matchedpair.measures.light import Light
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.region import Region
from matchedpair.measures.render import RenderMeasures, ZoneMeasures
from matchedpair.pictures.picture import Floats

from benchmarks.figures import Measured, show
from tests.core.test_fireflies import planted
from tests.pictures import blurred, everywhere, grainy, moved, noisy, patchy, photograph

NAMES = ("coffee", "astronaut", "chelsea", "rocket")
TRIALS = 40


def run() -> bool:
    """Worst cases over four pictures, unless it says otherwise."""
    return show("Accuracy on pictures with known answers, worst of four pictures", [
        *_noise(), *_fireflies(), *_blotches(), *_error(), *_detail(), *_look(), *_difference(), *_shift(),
    ])  # fmt: skip


def _zone(renders: Sequence[Floats], references: Sequence[Floats] = ()) -> ZoneMeasures:
    valid = everywhere(renders[0])
    return RenderMeasures(renders, valid, references=references).zone(valid)


def _value(zone: ZoneMeasures, name: str) -> float:
    row = next(row for row in measured(zone) if row.name == name)
    return math.nan if row.figure is None else row.figure.value


def _worst(values: Sequence[float]) -> float:
    """The largest deviation; a figure that was refused counts as infinitely far off."""
    return max(math.inf if math.isnan(value) else abs(value) for value in values)


def _noise() -> list[Measured]:
    off = [
        100 * (_value(_zone([make(photograph(name), noise, seed) for seed in (1, 2)]), "noise") / (100 * noise) - 1)
        for name in NAMES for make in (noisy, grainy) for noise in (0.02, 0.1, 0.3)
    ]  # fmt: skip
    ratios = []
    for name in NAMES:
        control = [noisy(photograph(name), 0.1, seed) for seed in (1, 2)]
        trial = [noisy(photograph(name), 0.05, seed) for seed in (3, 4)]
        ratio = PairMeasures.of(control, trial, everywhere(control[0])).zone(everywhere(control[0])).noise_ratio
        ratios.append(100 * (ratio.value / 0.5 - 1) if ratio else math.nan)
    return [
        Measured("noise by twins, 2 to 30 %, Gaussian and gamma: off by", _worst(off), "%", 3.0),
        Measured("ratio of two noises: off by", _worst(ratios), "%", 2.0),
    ]


def _fireflies() -> list[Measured]:
    recall, precision = [], []
    for name in NAMES:
        lit, places = planted(grainy(photograph(name), 0.1, 1), 20, 5)
        zone = _zone([lit, grainy(photograph(name), 0.1, 2)])
        found = set(zone.first_fireflies.positions) if zone.first_fireflies else set()
        recall.append(len(found & places) / len(places))
        precision.append(len(found & places) / max(len(found), 1))
    return [
        Measured("fireflies of twenty times the brightness missed", 100 * (1 - min(recall)), "%", 1.0),
        Measured("places found that are none", 100 * (1 - min(precision)), "%", 1.0),
    ]


def _blotches() -> list[Measured]:
    twins, reference = [], []
    for name in NAMES:
        for amplitude, scale in ((0.05, 4), (0.05, 8), (0.1, 12)):
            pair = [noisy(patchy(photograph(name), amplitude, scale, 10 + s), 0.1, s) for s in (1, 2)]
            twins.append(100 * (_value(_zone(pair), "blotches") / (100 * amplitude) - 1))
            reference.append(100 * (_value(_zone(pair[:1], [photograph(name)]), "blotches") / (100 * amplitude) - 1))
    return [
        Measured("amplitude of blotches by twins: off by", _worst(twins), "%", 20.0),
        Measured("amplitude of blotches by a reference: off by", _worst(reference), "%", 10.0),
    ]


def _error() -> list[Measured]:
    total, lasting = [], []
    for name in NAMES:
        truth = photograph(name) + np.float32(0.05)
        references = [noisy(truth, 0.02, seed) for seed in (5, 6)]
        for noise, off in ((0.05, 0.05), (0.1, 0.05)):
            zone = _zone([noisy(patchy(truth, off, 6, 77), noise, seed) for seed in (1, 2)], references)
            known = 100 * math.hypot(noise * math.hypot(1, off), off)
            total.append(100 * (_value(zone, "error") / known - 1))
            lasting.append(100 * (_value(zone, "error_systematic") / (100 * off) - 1))
    return [
        Measured("error in all: off by", _worst(total), "%", 1.0),
        Measured("lasting error of 5 %: off by", _worst(lasting), "%", 6.0),
    ]


def _detail() -> list[Measured]:
    off: dict[float, list[float]] = {0.05: [], 0.3: []}
    for name in NAMES:
        truth, soft = photograph(name), blurred(photograph(name), 0.6)
        known = _zone([soft], [truth]).detail
        for noise, found in off.items():
            octaves = _zone([noisy(soft, noise, s) for s in (1, 2)], [noisy(truth, 0.02, s) for s in (5, 6)]).detail
            for one, other in zip(known or (), octaves or (), strict=True):
                if one.kept is not None and other.kept is not None:
                    found.append(100 * (other.kept.value - one.kept.value))
    return [
        Measured("detail kept at 5 % noise: off by", _worst(off[0.05]), "points", 3.0),
        Measured("detail kept at 30 % noise: off by", _worst(off[0.3]), "points", 10.0),
    ]


def _look() -> list[Measured]:
    stops, colour = [], []
    for name in NAMES:
        for gain in (0.8, 1.0, 1.3):
            renders = [noisy(photograph(name) * np.float32(gain), 0.1, seed) for seed in (1, 2)]
            zone = _zone(renders, [photograph(name)])
            stops.append(_value(zone, "stops") - math.log2(gain))
            colour.append(_value(zone, "colour"))
    return [
        Measured("brightness: off by", _worst(stops), "stops", 0.01),
        Measured("colour of an unchanged look reads", _worst(colour), "ΔE00", 0.1),
    ]


def _difference() -> list[Measured]:
    truth = photograph("chelsea")
    valid = everywhere(truth)
    alarms = 0
    for seed in range(TRIALS):
        control, trial = (Light([noisy(truth, 0.1, 4 * seed + k) for k in side], valid) for side in ((0, 1), (2, 3)))
        alarms += difference(control, trial, Region(valid)).found
    return [Measured(f"equal sides told apart, of {TRIALS}", alarms, "", 2.0)]


def _shift() -> list[Measured]:
    off = []
    for name in NAMES:
        for right, down in ((0.0, 0.0), (0.3, 0.0), (0.0, -0.5)):
            control = [noisy(photograph(name), 0.1, seed) for seed in (1, 2)]
            trial = [noisy(moved(photograph(name), right, down), 0.1, seed) for seed in (3, 4)]
            shift = PairMeasures.of(control, trial, everywhere(control[0])).alignment.shift or (math.nan, math.nan)
            off += [shift[0] - right, shift[1] - down]
    return [Measured("shift: off by", _worst(off), "px", 0.05)]
