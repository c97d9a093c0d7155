import math
import unittest

import numpy as np
from matchedpair.measures.error import ErrorMaps
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region

from tests.pictures import everywhere, noisy, patchy, photograph


def error_of(renders, references):
    valid = everywhere(renders[0])
    return ErrorMaps(Light(renders, valid), Light(references, valid)).figure(Region(valid))


class Known(unittest.TestCase):
    def setUp(self):
        self.truth = photograph("rocket") + 0.05
        self.references = [noisy(self.truth, 0.02, seed) for seed in (5, 6)]

    def renders(self, noise, lasting=0.0, scale=6.0):
        picture = patchy(self.truth, lasting, scale, 77) if lasting else self.truth
        return [noisy(picture, noise, seed) for seed in (1, 2)]

    def test_the_total_is_noise_and_lasting_error_together_within_one_percent(self):
        for noise, lasting in ((0.05, 0.0), (0.3, 0.0), (0.05, 0.05), (0.1, 0.1)):
            figure = error_of(self.renders(noise, lasting), self.references)
            truth = 100 * math.hypot(noise * math.hypot(1, lasting), lasting)
            self.assertAlmostEqual(figure.total.value / truth, 1.0, delta=0.01, msg=(noise, lasting))
            self.assertAlmostEqual(figure.random.value / (100 * noise * math.hypot(1, lasting)), 1.0, delta=0.01)

    def test_the_reference_s_own_noise_is_taken_off_with_its_twin(self):
        loud = [noisy(self.truth, 0.1, seed) for seed in (5, 6)]
        self.assertAlmostEqual(error_of(self.renders(0.1), loud).total.value, 10.0, delta=0.3)
        alone = error_of(self.renders(0.1), loud[:1]).total
        self.assertAlmostEqual(alone.value, 14.1, delta=0.6)
        self.assertLess(alone.interval[0], 10.5, "without the twin the lower end leaves room for the reference's noise")

    def test_samples_that_render_and_reference_have_in_common_hide_no_error(self):
        """One engine's 16 samples are the first 16 of its 32: with the same seeds the noise of both is partly one."""
        for count in (2, 3):
            seeds = list(range(1, count + 1))
            first = [noisy(self.truth, 0.2, seed) for seed in seeds]
            rest = [noisy(self.truth, 0.2, 100 + seed) for seed in seeds]
            longer = [((a + b) / 2).astype(np.float32) for a, b in zip(first, rest, strict=True)][:2]
            for lasting in (0.0, 0.05):
                shown = [(each * (patchy(self.truth, lasting, 6.0, 77) / self.truth if lasting else 1.0)).astype(
                    np.float32) for each in first]  # fmt: skip
                figure = error_of(shown, longer)
                truth = 100 * math.hypot(0.2 * math.hypot(1, lasting), lasting)
                self.assertAlmostEqual(figure.total.value / truth, 1.0, delta=0.02, msg=(count, lasting))
                if lasting:
                    self.assertAlmostEqual(figure.systematic.value / 5.0, 1.0, delta=0.08)

    def test_a_lasting_error_is_told_from_noise_within_six_percent(self):
        for noise in (0.05, 0.1):
            figure = error_of(self.renders(noise, 0.05), self.references)
            self.assertAlmostEqual(figure.systematic.value / 5.0, 1.0, delta=0.06)

    def test_noise_alone_shows_no_lasting_error_and_says_what_would_have_been_seen(self):
        figure = error_of(self.renders(0.3), self.references)
        self.assertIsNone(figure.systematic)
        self.assertRegex(figure.refused["systematic"], r"one above \d+(\.\d+)? % would have been seen")

    def test_noise_of_the_references_is_no_lasting_error(self):
        loud = [noisy(self.truth, 0.08, seed) for seed in (5, 6)]
        figure = error_of(self.renders(0.05), loud).systematic
        self.assertLess(0.0 if figure is None else figure.value, 1.5)

    def test_a_slow_error_is_what_a_blur_leaves(self):
        figure = error_of(self.renders(0.1, 0.05, scale=8), self.references)
        truth = 5.0 * math.sqrt(64 / (64 + 4))  # what a Gaussian of 2 pixels leaves of patches of 8
        self.assertAlmostEqual(figure.low_frequency.value / truth, 1.0, delta=0.06)
        self.assertIsNone(error_of(self.renders(0.3), self.references).low_frequency)

    def test_one_render_has_a_total_and_says_why_no_more(self):
        figure = error_of(self.renders(0.1)[:1], self.references)
        self.assertAlmostEqual(figure.total.value, 10.0, delta=0.2)
        self.assertIsNone(figure.systematic)
        self.assertIn("there is no twin", figure.refused["systematic"])
        self.assertIn("there is no twin", figure.refused["random"])

    def test_more_seeds_sharpen_the_lasting_error(self):
        picture = patchy(self.truth, 0.03, 6, 77)
        widths = []
        for count in (2, 4):
            renders = [noisy(picture, 0.2, seed) for seed in range(count)]
            low, high = error_of(renders, self.references).systematic.interval
            widths.append(high - low)
        self.assertLess(widths[1], 0.8 * widths[0])

    def test_the_map_is_signed_and_not_a_number_where_nothing_counts(self):
        valid = everywhere(self.truth)
        valid[:10] = False
        brighter = (self.truth * np.float32(1.1)).astype(np.float32)
        shown = ErrorMaps(Light([brighter], valid), Light([self.truth], valid)).percent()
        self.assertTrue(np.isnan(shown[:10]).all())
        self.assertAlmostEqual(float(np.median(shown[10:])), 10.0, delta=0.3)
