"""Lag behind the light: histories of known length under light that drops, moves and both."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.lag import fit_lag
from matchedpair.measures.response import fit_response
from matchedpair.measures.sequence_report import sequence_files

from tests.inner_loop import long
from tests.pictures import photograph, write

COUNT = 20
T = np.arange(COUNT)
DROP = np.where(T >= 7, 0.3, 1.0)
MOVING = 1.0 + 0.5 * np.exp(-(((T - 10) / 3.0) ** 2))
FADING = np.exp(-T / 6.0)
BOTH = np.where(T >= 7, 0.2, 1.0) + 0.3 * np.exp(-(((T - 14) / 3.0) ** 2))
LIGHTS = {"drop": DROP, "moving": MOVING, "fading": FADING, "both": BOTH}


def kept(light, keep):
    """What a history that keeps a share shows of a light."""
    level, shown = light[0], []
    for now in light:
        level = keep * level + (1 - keep) * now
        shown.append(level)
    return np.array(shown)


def unrest(size, seed):
    return 1.0 + size * np.random.default_rng(seed).standard_normal(COUNT)


class Lags(unittest.TestCase):
    def test_a_history_has_its_known_length_under_any_light(self):
        for name, light in LIGHTS.items():
            for keep in (0.3, 0.6, 0.85):
                with self.subTest(name, keep=keep):
                    found = fit_lag(kept(light, keep), light)
                    self.assertAlmostEqual(found.tau, -1 / math.log(keep), delta=0.01)
                    self.assertFalse(found.at_once)
                    self.assertAlmostEqual(found.frames_to_90, math.log(0.1) / math.log(keep), delta=0.02)

    def test_light_that_moves_is_no_lag_although_the_means_alone_look_like_it(self):
        alone = fit_response(FADING * unrest(0.002, 1))
        self.assertGreater(alone.frames_to_90, 10)
        for name, light in LIGHTS.items():
            with self.subTest(name):
                self.assertTrue(fit_lag(light * unrest(0.005, 2), light).at_once)

    def test_another_brightness_is_no_lag(self):
        found = fit_lag(1.4 * BOTH + 0.05, BOTH)
        self.assertTrue(found.at_once)
        self.assertLess(found.interval[1], 0.3)
        self.assertAlmostEqual(fit_lag(0.7 * kept(BOTH, 0.6) + 0.1, BOTH).tau, -1 / math.log(0.6), delta=0.02)

    @long
    def test_the_interval_holds_the_truth_nineteen_times_in_twenty(self):
        for keep in (0.3, 0.6, 0.85):
            inside, widths = 0, []
            for seed in range(100):
                low, high = fit_lag(kept(BOTH, keep) * unrest(0.01, seed), BOTH).interval
                inside += low <= -1 / math.log(keep) <= high
                widths.append(high - low)
            with self.subTest(keep=keep):
                self.assertGreaterEqual(inside, 88)
                self.assertLess(np.mean(widths) / (-1 / math.log(keep)), 0.12)

    def test_dark_frames_count_as_much_as_bright_ones(self):
        widths = [np.ptp(fit_lag(kept(BOTH, 0.6) * unrest(0.01, seed), BOTH).interval) for seed in range(60)]
        self.assertLess(np.mean(widths), 0.11)  # 0.086; 0.132 where a frame counts by its light

    def test_without_a_history_lag_is_hardly_ever_claimed(self):
        claimed = sum(not fit_lag(BOTH * unrest(0.01, seed), BOTH).at_once for seed in range(100))
        self.assertLessEqual(claimed, 3)

    def test_what_cannot_be_told_is_refused(self):
        look = BOTH * np.linspace(1.0, 1.6, COUNT)
        last = np.where(T == COUNT - 1, 2.0, 1.0)
        for means, light, words in (
            (BOTH[:5], BOTH[:5], "5 frames are too few"),
            (BOTH, BOTH[:-1], "need as many"),
            (np.ones(COUNT), np.ones(COUNT), "the light hardly changes"),
            (MOVING[::-1] - DROP, DROP, "do not follow the light"),
            (look, BOTH, "a look that shifts"),
            (last, last, "too near the end"),
        ):
            with self.subTest(words), self.assertRaisesRegex(RefusedError, words):
                fit_lag(means, light)


class OfFiles(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def save(self, name, levels, seed):
        dice = np.random.default_rng(seed)
        picture = photograph()[:96, :128]
        return [
            write(
                self.folder / f"{name}.{number:03}.exr",
                (picture * level * (1 + 0.01 * dice.standard_normal((96, 128, 1)))).astype(np.float32), "float",
            )
            for number, level in enumerate(levels)
        ]  # fmt: skip

    def test_the_report_tells_the_lag_behind_the_reference(self):
        references, twins = self.save("r", BOTH, 1), self.save("t", BOTH, 2)
        frames = self.save("f", kept(BOTH, 0.6), 3)
        found = sequence_files(frames, references=references, reference_twins=twins)["reference"]["lag"]
        self.assertAlmostEqual(found["tau"], -1 / math.log(0.6), delta=0.1)
        self.assertLess(found["interval"][0], found["tau"])
        self.assertFalse(found["at_once"])

    def test_why_there_is_no_lag_is_said(self):
        references, frames = self.save("r", np.ones(7), 1), self.save("f", np.ones(7), 3)
        report = sequence_files(frames, references=references)
        self.assertIsNone(report["reference"]["lag"])
        self.assertIn({"measure": "lag", "reason": "the light hardly changes over these frames"}, report["refused"])
