import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.blotches import Blotches
from matchedpair.measures.error import relative_error
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.measures.render import RenderMeasures
from matchedpair.measures.zones import Zone

from tests.pictures import blurred, everywhere, flat, noisy, patchy, photograph


def by_twins(pictures, valid=None):
    valid = everywhere(pictures[0]) if valid is None else valid
    return Blotches(Light(pictures, valid).differences(), Region(valid), share=0.5, method="twin")


def figure_of(pictures):
    return by_twins(pictures).figure(Region(everywhere(pictures[0])))


class Known(unittest.TestCase):
    def test_white_noise_is_flat_in_every_octave_and_not_blotchy(self):
        for name in ("coffee", "astronaut"):
            figure = figure_of([noisy(photograph(name), 0.1, seed) for seed in (1, 2)])
            self.assertFalse(figure.found, name)
            self.assertAlmostEqual(figure.grain.value, 1.0, delta=0.05)
            for index in figure.indices.values():
                self.assertAlmostEqual(index, 1.0, delta=0.2)

    def test_patches_that_vary_with_the_seed_are_told_by_twins_within_a_fifth(self):
        for amplitude, scale in ((0.05, 4), (0.05, 8), (0.1, 12)):
            for noise in (0.05, 0.15):
                pair = [noisy(patchy(photograph(), amplitude, scale, 10 + s), noise, s) for s in (1, 2)]
                figure = figure_of(pair)
                self.assertTrue(figure.found)
                self.assertAlmostEqual(figure.amplitude.value / (100 * amplitude), 1.0, delta=0.2)
                self.assertAlmostEqual(figure.scale.value / scale, 1.0, delta=0.35)

    def test_the_noise_itself_is_no_part_of_the_amplitude(self):
        pair = [noisy(patchy(flat(0.5, (640, 480)), 0.05, 3, 10 + s), 0.4, s) for s in (1, 2)]
        self.assertAlmostEqual(figure_of(pair).amplitude.value, 5.0, delta=1.0)

    def test_a_reference_tells_the_amplitude_within_a_tenth(self):
        picture = photograph()
        for amplitude, scale in ((0.05, 4), (0.1, 12)):
            light = Light([noisy(patchy(picture, amplitude, scale, 3), 0.1, 1)], everywhere(picture))
            error = relative_error(light.y[0], Light([picture], everywhere(picture)))
            region = Region(everywhere(picture))
            figure = Blotches([error], region, share=1.0, method="reference").figure(region)
            self.assertAlmostEqual(figure.amplitude.value / (100 * amplitude), 1.0, delta=0.1)

    def test_patches_that_every_seed_has_are_not_seen_by_twins(self):
        lasting = patchy(photograph(), 0.1, 8, 3)
        self.assertFalse(figure_of([noisy(lasting, 0.1, seed) for seed in (1, 2)]).found)

    def test_a_pixel_filter_raises_the_grain_but_makes_no_blotches(self):
        pair = [blurred(noisy(flat(0.5, (480, 270)), 0.3, seed), 0.8) for seed in (1, 2)]
        figure = figure_of(pair)
        self.assertFalse(figure.found)
        self.assertGreater(figure.grain.value, 3.0)

    def test_no_blotches_comes_with_those_that_would_have_been_seen(self):
        least = figure_of([noisy(flat(0.5, (480, 270)), 0.1, seed) for seed in (1, 2)]).smallest_seen_percent
        self.assertGreater(least, 0.3)
        seen = [noisy(patchy(flat(0.5, (480, 270)), 2 * least / 100, 5.6, 7 + s), 0.1, s) for s in (1, 2)]
        self.assertTrue(figure_of(seen).found)

    def test_no_scale_is_quoted_above_a_twentieth_of_the_height(self):
        pair = [noisy(patchy(flat(0.5, (240, 160)), 0.2, 20, 3 + seed), 0.02, seed) for seed in (1, 2)]
        figure = figure_of(pair)
        self.assertTrue(figure.found)
        self.assertIsNone(figure.scale)


class Small(unittest.TestCase):
    def setUp(self):
        self.blotches = by_twins([noisy(flat(0.5, (320, 240)), 0.1, seed) for seed in (1, 2)])

    def test_a_small_zone_says_that_it_cannot_tell(self):
        figure = self.blotches.figure(Region(Zone("small", 0, 0, 60, 60).mask((320, 240))))
        self.assertIsNone(figure.found)

    def test_a_tiny_zone_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "too few patches"):
            self.blotches.figure(Region(Zone("tiny", 0, 0, 9, 9).mask((320, 240))))

    def test_what_is_left_out_does_not_raise_the_level(self):
        pair = [noisy(flat(0.5, (320, 240)), 0.1, seed) for seed in (1, 2)]
        pair[0][:, 160:] *= 3.0
        valid = everywhere(pair[0])
        valid[:, 160:] = False
        figure = by_twins(pair, valid).figure(Region(valid))
        self.assertFalse(figure.found)
        np.testing.assert_allclose([figure.indices[2.8]], 1.0, atol=0.15)


class LastingPatches(unittest.TestCase):
    """Patches that all seeds share, as a cache with a fixed seed leaves them, are found against the reference."""

    def figure(self, renders, reference):
        valid = everywhere(renders[0])
        return RenderMeasures(renders, valid, references=[reference]).zone(valid).blotches

    def test_patches_that_all_seeds_share_are_lasting(self):
        truth = photograph()
        for amplitude, scale in ((0.03, 8), (0.05, 12)):
            shared = patchy(truth, amplitude, scale, 5)
            found = self.figure([noisy(shared, 0.02, seed) for seed in (1, 2)], noisy(truth, 0.004, 9))
            self.assertEqual((found.found, found.varying, found.lasting), (True, False, True), (amplitude, scale))
            self.assertAlmostEqual(found.amplitude.value / (100 * amplitude), 1.0, delta=0.2)

    def test_patches_of_each_seed_are_varying(self):
        truth = photograph()
        renders = [noisy(patchy(truth, 0.05, 8, 30 + seed), 0.02, seed) for seed in (1, 2)]
        found = self.figure(renders, noisy(truth, 0.004, 9))
        self.assertEqual((found.found, found.varying), (True, True))
        self.assertFalse(found.lasting)

    def test_grain_alone_is_neither(self):
        truth = photograph()
        found = self.figure([noisy(truth, 0.05, seed) for seed in (1, 2)], noisy(truth, 0.004, 9))
        self.assertEqual((found.found, found.varying, found.lasting), (False, False, False))
