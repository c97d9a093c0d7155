import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.measures.seen_noise import SeenNoise
from matchedpair.measures.single_noise import single_noise

from tests.pictures import blurred, everywhere, flat, grainy, noisy, photograph, textured


def guess(picture):
    return single_noise(Light([picture], everywhere(picture)), Region(everywhere(picture)))


class Guess(unittest.TestCase):
    def test_it_lies_between_half_and_double(self):
        for picture in (flat(0.5, (320, 240)), blurred(photograph("chelsea"), 8.0)):
            for noise in (0.05, 0.2):
                figure = guess(grainy(picture, noise, 1)).noise
                self.assertTrue(0.5 <= figure.value / (100 * noise) <= 2.0, (noise, figure.value))
                self.assertEqual(figure.method, "single")

    def test_the_curve_tells_noise_by_brightness(self):
        picture = flat(0.1, (320, 240))
        picture[:, 160:] = 1.0
        dark, bright = noisy(picture, 0.3, 1), noisy(picture, 0.05, 1)
        curve = guess(np.where(picture < 0.5, dark, bright)).curve
        self.assertGreater(curve[0][1], 3 * curve[-1][1])

    def test_texture_everywhere_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "flat enough"):
            guess(noisy(textured(), 0.02, 1))

    def test_a_smoothed_picture_hides_its_noise_and_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "mixed neighbouring pixels"):
            guess(blurred(noisy(flat(0.5, (320, 240)), 0.2, 1), 0.8))

    def test_twins_are_used_instead(self):
        pictures = [noisy(flat(), 0.1, seed) for seed in (1, 2)]
        with self.assertRaisesRegex(RefusedError, "there are twins"):
            single_noise(Light(pictures, everywhere(pictures[0])), Region(everywhere(pictures[0])))


class Seen(unittest.TestCase):
    def test_it_is_the_spread_of_code_values(self):
        pictures = [noisy(flat(0.2, (320, 240)), 0.05, seed) for seed in (1, 2)]
        figure = SeenNoise(pictures, lambda pixels: np.clip(pixels, 0, 1)).figure(Region(everywhere(pictures[0])))
        # the sRGB curve's slope at 0.2 times the spread of the light
        slope = 1.055 / 2.4 * 0.2 ** (1 / 2.4 - 1)
        self.assertAlmostEqual(figure.value, 100 * slope * 0.2 * 0.05, delta=0.03)
        self.assertTrue(figure.interval[0] < figure.value < figure.interval[1])

    def test_what_is_brighter_than_white_shows_no_noise(self):
        pictures = [noisy(flat(5.0, (64, 64)), 0.05, seed) for seed in (1, 2)]
        figure = SeenNoise(pictures, lambda pixels: np.clip(pixels, 0, 1)).figure(Region(everywhere(pictures[0])))
        self.assertEqual(figure.value, 0.0)
