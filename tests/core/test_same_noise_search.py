"""The search for a matched pair against simulated engines of known noise law."""

from __future__ import annotations

import unittest
from collections.abc import Callable

import numpy as np
from matchedpair.search.same_noise import MOST_RENDERS, NOISE, TIME, Knob, Step, Tried, next_step

SAMPLES = Knob("samples", 1, 65536, whole=True)
SHARE = Knob("share", 0.0005, 1.0, whole=False)


def search(
    law: Callable[[float], float], target: float, knob: Knob, begin: float, on: str = NOISE, seed: int = 0,
    jitter: float = 0.01,
) -> tuple[Step, list[Tried]]:  # fmt: skip
    """Play a search to its end; every render's figure is off by a relative jitter."""
    dice = np.random.default_rng(seed)
    tried: list[Tried] = []
    while True:
        step = next_step(on, target, tried, knob, begin=begin)
        if step.wanted is None:
            return step, tried
        figure = law(step.quality) * np.exp(jitter * dice.standard_normal())
        tried.append(Tried(step.quality, figure, step.state == "refine"))
        if len(tried) > 12:
            raise AssertionError("the search does not end")


class Finder(unittest.TestCase):
    def hits(self, law, target, knob, begin, on=NOISE) -> list[float]:
        """How far off the true law each of forty searches ended, all within the renders allowed and nearly all sure."""
        off, sure = [], 0
        for seed in range(40):
            step, tried = search(law, target, knob, begin, on, seed)
            self.assertIn(step.state, ("sure", "closest"), step.words)
            sure += step.state == "sure"
            self.assertLessEqual(sum(each.renders for each in tried if each.refining), MOST_RENDERS)
            off.append(abs(law(step.quality) / target - 1))
        self.assertGreaterEqual(sure, 37)
        return off

    def test_samples_with_a_known_law_end_within_three_percent(self):
        for target in (1.0, 2.2, 4.0):
            with self.subTest(target=target):
                self.assertLess(np.percentile(self.hits(lambda n: 20 / n**0.5, target, SAMPLES, 16), 80), 0.03)

    def test_a_floor_below_the_target_does_not_disturb(self):
        self.hits(lambda n: (900 / n + 2.25) ** 0.5, 2.0, SAMPLES, 16)

    def test_a_noise_target_of_unknown_shape_is_found_the_other_way_round(self):
        self.assertLess(np.median(self.hits(lambda share: 30 * share**0.8 + 0.2, 4.0, SHARE, 0.1)), 0.03)
        self.hits(lambda share: 12 * share / (share + 0.05) + 0.5, 2.0, SHARE, 0.02)

    def test_the_same_time_is_found_too(self):
        self.hits(lambda n: 3.0 + 0.11 * n, 20.0, SAMPLES, 16, TIME)

    def test_below_the_floor_is_not_reachable(self):
        step, tried = search(lambda n: (900 / n + 25) ** 0.5, 3.0, SAMPLES, 16)
        self.assertEqual(step.state, "not_reachable")
        self.assertIn("does not fall below", step.words)
        self.assertFalse(any(each.refining for each in tried))

    def test_a_small_step_that_shows_nothing_is_chance_and_the_search_goes_on(self):
        tried = [Tried(4, 34.4), Tried(16, 18.9), Tried(28, 19.6)]
        step = next_step(NOISE, 15.5, tried, SAMPLES, begin=4)
        self.assertEqual(step.state, "pilot", step.words)
        self.assertGreater(step.quality, 60)

    def test_time_below_getting_ready_is_not_reachable(self):
        step, _ = search(lambda n: 9.0 + 0.1 * n, 5.0, SAMPLES, 16, TIME)
        self.assertEqual(step.state, "not_reachable")

    def test_the_end_of_the_knob_is_said(self):
        step, _ = search(lambda n: 20 / n**0.5, 1.0, Knob("samples", 1, 64, whole=True), 16)
        self.assertEqual(step.state, "not_reachable")
        self.assertIn("the knob ends at 64", step.words)

    def test_a_whole_knob_without_a_value_in_between_gives_the_nearest(self):
        step, _ = search(lambda n: 20 / n**0.5, 15.0, SAMPLES, 16, jitter=0.001)
        self.assertEqual((step.state, step.quality), ("closest", 2.0))
        self.assertIn("no value in between", step.words)

    def test_a_render_that_failed_ends_it(self):
        step = next_step(NOISE, 3.0, [Tried(16, None)], SAMPLES, begin=16)
        self.assertEqual(step.state, "failed")
        self.assertIn("16 failed", step.words)

    def test_noise_that_goes_up_and_down_is_no_knob(self):
        tried = [Tried(4, 5.0), Tried(16, 9.0), Tried(64, 5.5)]
        step = next_step(NOISE, 2.0, tried, SAMPLES, begin=4)
        self.assertEqual(step.state, "failed")
        self.assertIn("neither rises nor falls", step.words)

    def test_what_is_there_already_is_enough_when_it_matches(self):
        step = next_step(NOISE, 5.0, [Tried(16, 5.1), Tried(4, 9.8)], SAMPLES, begin=16)
        self.assertEqual((step.state, step.quality), ("sure", 16))
        self.assertIn("2.0 % above the target", step.words)

    def test_the_renders_allowed_are_never_passed(self):
        tried = [Tried(4, 10.0), Tried(64, 2.0), Tried(16, 6.0, True), Tried(20, 5.5, True)]
        step = next_step(NOISE, 5.0, tried, SAMPLES, begin=4)
        self.assertEqual(step.state, "closest")
        self.assertEqual(step.quality, 20)
