"""In how much of a picture a ratio is another one, as far as it is no chance."""

import unittest

import numpy as np
from matchedpair.measures.place_spread import place_spread

SIZE = (34, 60)
SCATTER = 0.125  # about that of a place of 8 × 8 pixels, two seeds a side


def drawn(seed, *, everywhere=1.0, part=0.0, there=1.0, size=SIZE, scatter=SCATTER):
    """Logarithms of places as they are read: one ratio, and another in the left part of the picture."""
    truth = np.full(size, np.log(everywhere))
    truth[:, : round(part * size[1])] = np.log(there)
    return truth + scatter * np.random.default_rng(seed).standard_normal(size)


def spread(logs, *, scatter=SCATTER, together=1.0):
    return place_spread(logs.astype(np.float32), scatter, together, 0)


class PlaceSpread(unittest.TestCase):
    def test_of_a_trial_that_is_a_little_cleaner_everywhere_no_part_is_noisier(self):
        """A third of its places read noisier: that is their scatter."""
        for everywhere in (1.0, 0.97, 0.93, 0.85, 0.5):
            for seed in range(20):
                logs = drawn(seed, everywhere=everywhere)
                found = spread(logs)
                self.assertLess(found.noisier, 0.03, (everywhere, seed))
                for end in (found.tenth, found.ninetieth):
                    self.assertAlmostEqual(end / everywhere, 1.0, delta=0.05)
        self.assertGreater(float((drawn(0, everywhere=0.93) > 0).mean()), 0.25)
        self.assertGreater(spread(drawn(0, everywhere=0.7)).cleaner, 0.95)

    def test_a_part_that_is_noisier_is_told_and_never_as_much_larger_than_it_is(self):
        for part, there, least in ((0.2, 1.2, 0.12), (0.2, 1.5, 0.16), (0.2, 3.0, 0.17), (0.6, 1.3, 0.5)):
            found = [spread(drawn(seed, everywhere=0.93, part=part, there=there)).noisier for seed in range(20)]
            self.assertGreater(min(found), least, (part, there))
            self.assertLess(max(found), part + 0.01, (part, there))

    def test_both_ways_at_once(self):
        found = spread(drawn(1, everywhere=0.6, part=0.4, there=1.7))
        self.assertAlmostEqual(found.noisier, 0.4, delta=0.03)
        self.assertAlmostEqual(found.cleaner, 0.6, delta=0.03)
        self.assertAlmostEqual(found.tenth, 0.6, delta=0.03)
        self.assertAlmostEqual(found.ninetieth, 1.7, delta=0.06)

    def test_readings_that_hang_together_are_no_part_of_their_own(self):
        """Nine places read as one, and squares are as wide: they scatter as a place does."""
        dice = np.random.default_rng(3)
        for _ in range(20):
            patches = 0.3 * dice.standard_normal((12, 20)).repeat(3, axis=0).repeat(3, axis=1)[:34, :60]
            self.assertLess(spread(patches, scatter=0.3, together=9.0).noisier, 0.05)
            self.assertEqual(spread(patches, scatter=0.3, together=2000.0).noisier, 0.0, "all of it is one reading")

    def test_the_same_random_numbers_on_both_sides_leave_but_what_changed(self):
        logs = np.zeros(SIZE)
        logs[:, :6] = 0.5
        found = spread(logs)
        self.assertTrue(0.06 < found.noisier < 0.14, found)
        self.assertEqual((found.cleaner, found.tenth), (0.0, 1.0))

    def test_few_places_and_places_that_do_not_count(self):
        few = spread(drawn(4, size=(6, 10), everywhere=0.5))
        self.assertGreater(few.cleaner, 0.9)
        self.assertEqual((few.noisier, few.places), (0.0, 60))
        logs = drawn(5, part=0.5, there=2.0)
        logs[:10] = np.nan
        found = spread(logs)
        self.assertEqual(found.places, 24 * 60)
        self.assertAlmostEqual(found.noisier, 0.5, delta=0.04)
