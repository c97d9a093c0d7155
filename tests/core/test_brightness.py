import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.brightness import brightness_match

from tests.pictures import flat, noisy, textured

WHOLE = np.ones((240, 320), dtype=bool)


class BringingTogether(unittest.TestCase):
    def seeds(self, picture, noise=0.3, first=1):
        return [noisy(picture, noise, first), noisy(picture, noise, first + 1)]

    def test_a_known_gain_is_found(self):
        found = brightness_match(self.seeds(textured()), self.seeds(textured() / np.float32(np.pi), first=7), WHOLE)
        self.assertAlmostEqual(found.factor / np.pi, 1.0, delta=0.01)
        self.assertAlmostEqual(found.stops, np.log2(np.pi), delta=0.02)
        self.assertTrue(found.even)

    def test_the_interval_holds_the_truth_as_often_as_it_says(self):
        held = 0
        for k in range(60):
            sides = [
                self.seeds(flat(0.4, (96, 64)), 0.5, 1000 + 10 * k),
                self.seeds(flat(0.2, (96, 64)), 0.5, 5 + 10 * k),
            ]
            low, high = brightness_match(*sides, np.ones((64, 96), dtype=bool)).interval
            held += low <= 2.0 <= high
        self.assertGreaterEqual(held, 50)
        self.assertLess(held, 60, "an interval that always holds is too wide")

    def test_one_seed_has_no_interval(self):
        self.assertIsNone(brightness_match([textured()], [textured()], WHOLE).interval)

    def test_a_firefly_or_a_visible_lamp_does_not_rule_it(self):
        wild = noisy(textured(), 0.1, 3)
        wild[100, 100] = 1e5
        self.assertAlmostEqual(brightness_match([textured()], [wild], WHOLE).factor, 1.0, delta=0.01)

    def test_only_the_zone_counts(self):
        trial = textured().copy()
        trial[:, 160:] *= 3.0
        left = WHOLE.copy()
        left[:, 160:] = False
        self.assertAlmostEqual(brightness_match([textured()], [trial], left).factor, 1.0, places=6)

    def test_a_look_that_differs_from_place_to_place_is_told(self):
        trial = textured().copy()
        trial[:120] *= 2.0
        found = brightness_match([textured()], [trial], WHOLE)
        self.assertFalse(found.even)
        self.assertAlmostEqual(found.spread[0], 0.5, delta=0.02)
        self.assertAlmostEqual(found.spread[1], 1.0, delta=0.02)

    def test_what_cannot_be_compared_is_refused(self):
        small = np.zeros((240, 320), dtype=bool)
        small[:5, :5] = True
        cases = [
            ([], [textured()], WHOLE, "a side has no finished render"),
            ([textured()], [flat()], WHOLE, "differ in size"),
            ([textured()], [textured() * 0], WHOLE, "a side is black in this zone"),
            ([textured()], [textured()], small, "fewer than 64 pixels"),
        ]
        for control, trial, mask, words in cases:
            with self.subTest(words), self.assertRaisesRegex(RefusedError, words):
                brightness_match(control, trial, mask)
