"""Fits against curves with known answers, the same noise and time, crossings, the frontier."""

from __future__ import annotations

import math
import unittest

import numpy as np
from matchedpair.curves import Place, Point, crossings, fit_curve, frontier, same_noise, same_time
from matchedpair.curves.same import equal_time_of_one_each
from matchedpair.curves.words import crossings_in_words, curve_in_words, knee_in_words
from matchedpair.errors import RefusedError
from matchedpair.measures.cost import RunTimes
from matchedpair.measures.figure import Ratio

LADDER = (4, 8, 16, 32, 64, 128, 256)


def ladder(a: float, b: float, t0: float, c: float, steps=LADDER, jitter=0.0, seed=0, ready=None) -> list[Point]:
    """Points of known laws: noise² = a/N + b², t = t0 + c·N, with a relative jitter on both."""
    dice = np.random.default_rng(seed)
    off = np.exp(jitter * dice.standard_normal((2, len(steps))))
    return [
        Point(n, (t0 + c * n) * off[0, k], math.sqrt(a / n + b * b) * off[1, k], ready) for k, n in enumerate(steps)
    ]


class Fit(unittest.TestCase):
    def test_known_laws_come_back(self):
        curve = fit_curve(ladder(1600, 1.5, 3.0, 0.2))
        for got, true in ((curve.a, 1600), (curve.b, 1.5), (curve.t0, 3.0), (curve.c, 0.2)):
            self.assertAlmostEqual(got / true, 1.0, places=6)
        self.assertTrue(curve.has_floor)
        self.assertTrue(curve.follows_the_law)

    def test_without_a_floor_none_is_found(self):
        found = sum(fit_curve(ladder(1600, 0.0, 1.0, 0.2, jitter=0.02, seed=seed)).has_floor for seed in range(60))
        self.assertLess(found, 6)

    def test_the_slope_is_minus_a_half_without_a_floor_and_flatter_with_one(self):
        self.assertAlmostEqual(fit_curve(ladder(900, 0.0, 1, 1)).slope, -0.5, places=9)
        self.assertGreater(fit_curve(ladder(900, 3.0, 1, 1)).slope, -0.4)

    def test_what_the_engine_says_of_getting_ready_is_believed_but_more_may_be_fixed(self):
        # 2 s are told; a further 1 s of every render does not grow either
        self.assertAlmostEqual(fit_curve(ladder(1600, 0, 3.0, 0.2, ready=2.0)).t0, 3.0, places=6)

    def test_repeats_of_one_step_count_as_points(self):
        curve = fit_curve(ladder(1600, 1.5, 3.0, 0.2) * 3)
        self.assertAlmostEqual(curve.a, 1600, places=4)
        self.assertEqual(curve.highest, 256)

    def test_more_time_stops_paying_where_doubling_takes_less_than_a_tenth(self):
        curve = fit_curve(ladder(1600, 2.0, 1.0, 0.2))
        at = curve.stops_paying_at
        self.assertAlmostEqual(curve.noise_at(2 * at) / curve.noise_at(at), 0.9, places=9)

    def test_bad_ladders_are_refused_with_the_reason(self):
        flat = [Point(n, 5.0, 20 / math.sqrt(n)) for n in LADDER]
        for points, words in (
            ([Point(4, 1.0, 2.0)], "1 of at least 2 steps"),
            ([Point(4, 1.0, 2.0), Point(4, 1.1, 2.1)], "1 of at least 2 steps"),
            ([Point(n, n, n) for n in LADDER], "noise does not fall"),
            ([*flat[:2], Point(16, 0.5, 1.0)], "time does not grow"),
            ([Point(4, 0.0, 2.0), Point(8, 1.0, 2.0)], "a time of 0"),
            ([Point(4, math.nan, 2.0), Point(8, 1.0, 2.0)], "a time of nan"),
            ([Point(4, 1.0, 2.0, 1.0), Point(8, 1.0, 1.0, 1.0)], "all getting ready"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(RefusedError, words):
                fit_curve(points)

    def test_a_bad_point_among_good_ones_is_named_and_left_out(self):
        curve = fit_curve([*ladder(1600, 0, 1, 1), Point(512, 0.0, 1.0)])
        self.assertEqual(curve.problems, ("a time of 0 is no point of a curve; it must be above 0",))
        self.assertEqual(curve.highest, 256)

    def test_points_off_the_law_are_said(self):
        points = [Point(n, 1 + n, 20 / n**0.5 * (1.3 if n % 3 == 1 else 1)) for n in LADDER]
        curve = fit_curve(points)
        self.assertFalse(curve.follows_the_law)
        self.assertIn("lie off the fitted law", " ".join(curve_in_words(curve)))


class SameNoise(unittest.TestCase):
    def test_large_preparation_and_a_floor_within_five_percent(self):
        control, trial = (1600, 0.0, 2.0, 1.0), (900, 2.0, 40.0, 0.5)
        off = []
        for seed in range(40):
            A = fit_curve(ladder(*control, jitter=0.015, seed=seed))
            B = fit_curve(ladder(*trial, jitter=0.015, seed=seed + 100))
            noise2 = 1600 / 64
            true = (2 + 64) / (40 + 0.5 * 900 / (noise2 - 4))
            off.append(same_noise(A, B, 64).speed_up / true - 1)
        self.assertLess(float(np.percentile(np.abs(off), 90)), 0.05)
        self.assertLess(abs(float(np.mean(off))), 0.02)

    def test_the_interval_holds_the_truth_about_as_often_as_it_says(self):
        held = 0
        for seed in range(100):
            A = fit_curve(ladder(1600, 1.0, 2, 1.0, jitter=0.03, seed=seed))
            B = fit_curve(ladder(800, 1.0, 6, 1.2, jitter=0.03, seed=seed + 500))
            needed = 800 / (1600 / 64)
            row = same_noise(A, B, 64)
            held += row.interval[0] <= (2 + 64) / (6 + 1.2 * needed) <= row.interval[1]
        self.assertGreaterEqual(held, 88)

    def test_below_the_floor_is_not_reachable(self):
        row = same_noise(fit_curve(ladder(1600, 0, 1, 1)), fit_curve(ladder(1600, 5.0, 1, 0.1)), 256)
        self.assertIs(row.reachable, False)
        self.assertIsNone(row.speed_up)
        self.assertIn("does not fall below 5 %", row.note)

    def test_nothing_is_told_beyond_twice_the_ladder(self):
        A = fit_curve(ladder(1600, 0, 1, 1))
        B = fit_curve(ladder(1600 * 2.2, 0, 1, 1))
        beyond = same_noise(A, B, 256)
        self.assertIsNone(beyond.reachable)
        self.assertIsNone(beyond.speed_up)
        self.assertAlmostEqual(same_noise(A, B, 128).trial_quality, 281.6, places=3)
        lower = same_noise(B, fit_curve(ladder(100, 0, 1, 1)), 4)
        self.assertIsNone(lower.reachable)
        self.assertIn("cleaner already", lower.note)

    def test_alike_is_a_tie(self):
        A, B = (fit_curve(ladder(1600, 0, 1, 1, jitter=0.03, seed=seed)) for seed in (1, 2))
        self.assertTrue(same_noise(A, B, 64).tie)

    def test_one_run_each_needs_to_know_getting_ready(self):
        noise = Ratio(2.0, None, "twin", 1, tie=False)
        control, trial = RunTimes(10, 1, 10, 1, 1, "m"), RunTimes(6, 2, 6, 2, 1, "m")
        self.assertAlmostEqual(equal_time_of_one_each(noise, control, trial), 2 + 4 * 4)
        with self.assertRaisesRegex(RefusedError, "got ready"):
            equal_time_of_one_each(noise, control, RunTimes(6, None, 6, None, 1, "m"))


class SameTime(unittest.TestCase):
    def test_noise_in_the_same_time(self):
        A, B = fit_curve(ladder(1600, 0, 2, 1)), fit_curve(ladder(400, 0, 10, 0.5))
        row = same_time(A, B, 64)
        self.assertAlmostEqual(row.trial_quality, (66 - 10) / 0.5)
        self.assertAlmostEqual(row.ratio, math.sqrt(400 / 112) / 5.0)
        self.assertLess(row.interval[0], row.ratio)
        self.assertGreater(row.interval[1], row.ratio)

    def test_getting_ready_alone_may_take_longer(self):
        row = same_time(fit_curve(ladder(1600, 0, 0.1, 0.1)), fit_curve(ladder(400, 0, 10, 0.5)), 4)
        self.assertIsNone(row.ratio)
        self.assertIn("getting ready alone", row.note)


class Crossings(unittest.TestCase):
    def test_a_quick_start_with_a_floor_is_overtaken(self):
        quick, slow = fit_curve(ladder(400, 4.0, 0.5, 0.5)), fit_curve(ladder(900, 0.0, 4.0, 0.5))
        found = crossings(quick, slow)
        self.assertEqual(len(found), 1)
        at = found[0].seconds
        for curve in (quick, slow):
            self.assertAlmostEqual(curve.noise_at((at - curve.t0) / curve.c), found[0].noise_percent, places=6)
        self.assertTrue(found[0].first_before)
        words = crossings_in_words({"Quick": quick, "Slow": slow})
        self.assertRegex(words[0], r"^Up to [\d.]+ s Quick is cleaner, beyond that Slow;")

    def test_curves_that_cannot_be_told_apart_do_not_cross(self):
        said = []
        for seed in range(30):
            alike = [fit_curve(ladder(1600, 1.0, 2.0, 1.0, jitter=0.02, seed=each)) for each in (seed, seed + 90)]
            said.append(crossings_in_words(dict(zip("AB", alike, strict=True))))
        self.assertLess(sum(map(bool, said)), 4)

    def test_curves_apart_do_not_cross(self):
        self.assertEqual(crossings(fit_curve(ladder(400, 0, 1, 1)), fit_curve(ladder(900, 0, 1, 1))), [])

    def test_words_say_where_an_option_flattens(self):
        said = " ".join(curve_in_words(fit_curve(ladder(400, 4.0, 9.0, 0.5))))
        self.assertIn("flattens out at 4.00 %", said)
        self.assertIn("more time stops paying", said)
        self.assertIn("9.00 s of every render do not depend on samples", said)


class Frontiers(unittest.TestCase):
    def test_beaten_options_are_named_with_what_beats_them(self):
        line = frontier({"fast": Place(1, 9), "clean": Place(10, 2), "bad": Place(12, 10), "middle": Place(4, 4)})
        self.assertEqual(line.order, ("fast", "middle", "clean"))
        self.assertEqual(line.standing["bad"], "beaten")
        self.assertIn(line.beaten_by["bad"], line.order)

    def test_within_the_intervals_is_a_tie(self):
        near = {"one": Place(10, 5, (9, 11), (4.8, 5.2)), "other": Place(10.2, 5.1, (9, 11), (4.9, 5.3))}
        self.assertEqual(frontier(near).standing, {"one": "frontier", "other": "tie"})

    def test_the_knee_is_the_last_step_that_pays(self):
        line = frontier({"a": Place(1, 10), "b": Place(4, 5), "c": Place(16, 4.9)})
        self.assertEqual(line.knee, "b")
        self.assertIn("Past b more time stops paying", knee_in_words(line.order, line.knee))
        self.assertEqual(frontier({}).knee, "")
