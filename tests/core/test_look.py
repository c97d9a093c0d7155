import math
import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.light import Light
from matchedpair.measures.look import look
from matchedpair.measures.region import Region
from matchedpair.pictures.picture import TO_XYZ
from skimage.color import lab2xyz

from tests.pictures import everywhere, flat, noisy, photograph


def look_of(renders, references):
    valid = everywhere(renders[0])
    return look(Light(renders, valid), renders, Light(references, valid), references, Region(valid), method="reference")


class Known(unittest.TestCase):
    def setUp(self):
        self.truth = photograph()

    def test_a_known_gain_is_told_within_a_hundredth_of_a_stop(self):
        for gain in (0.8, 1.0, 1.05, 2.0):
            renders = [noisy(self.truth * np.float32(gain), 0.1, seed) for seed in (1, 2)]
            figure = look_of(renders, [self.truth])
            self.assertAlmostEqual(figure.stops.value, math.log2(gain), delta=0.01)
            low, high = figure.stops.interval
            self.assertLess(high - low, 0.01)
            self.assertAlmostEqual(figure.light_lost_percent, 100 * (1 - gain), delta=0.1)

    def test_an_unchanged_look_reads_almost_nothing(self):
        figure = look_of([noisy(self.truth, 0.1, seed) for seed in (1, 2)], [self.truth])
        self.assertLess(figure.delta_e.value, 0.06)
        self.assertAlmostEqual(figure.darkest_stops, 0.0, delta=0.01)
        self.assertAlmostEqual(figure.brightest_stops, 0.0, delta=0.01)

    def test_what_a_seed_does_to_the_whole_picture_is_no_change_of_light(self):
        def renders(seed):
            dice = np.random.default_rng(seed)
            return [
                noisy(self.truth * np.float32(1 + 0.01 * dice.standard_normal()), 0.05, 10 * seed + k) for k in (0, 1)
            ]

        sure = 0
        for seed in range(12):
            low, high = look_of(renders(2 * seed), renders(2 * seed + 1)).stops.interval
            sure += low * high > 0
        self.assertLessEqual(sure, 2)

    def test_a_gain_is_no_change_of_colour(self):
        figure = look_of([(self.truth * np.float32(1.3)).astype(np.float32)], [self.truth])
        self.assertGreater(figure.delta_e.value, 3.0)
        self.assertLess(figure.delta_e_after_gain.value, 0.05)

    def test_colour_is_the_published_difference(self):
        """Half of the cells hold a pair of Sharma, Wu & Dalal 2005, table 1, whose ΔE00 is 1.2644; half are alike grey.

        The grey is chosen so that the exposure is 1 and the colours stay those of the table.
        """
        to_rgb = np.linalg.inv(TO_XYZ)
        control, trial = (
            to_rgb @ lab2xyz(np.array([[lab]]))[0, 0]
            for lab in ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387))
        )
        grey = 0.18**2 / float(control @ [0.2126, 0.7152, 0.0722])
        pictures = []
        for colour in (trial, control):
            picture = np.full((96, 192, 3), grey, dtype=np.float32)
            picture[:, :96] = colour
            pictures.append(picture)
        self.assertAlmostEqual(look_of(pictures[:1], pictures[1:]).delta_e.value, 1.2644 / 2, delta=0.002)

    def test_colour_is_told_under_one_exposure_whatever_the_light(self):
        tinted = (self.truth * np.array([1.0, 0.97, 0.9], dtype=np.float32)).astype(np.float32)
        plain = look_of([tinted], [self.truth]).delta_e.value
        bright = look_of([tinted * np.float32(8)], [self.truth * np.float32(8)]).delta_e.value
        self.assertAlmostEqual(bright, plain, delta=0.005)

    def test_a_darkened_place_is_found_where_it_is(self):
        vignetted = self.truth.copy()
        vignetted[152:200, 248:304] *= 0.7
        worst = look_of([vignetted], [self.truth]).worst
        self.assertEqual((worst.row, worst.column), (3, 5))
        self.assertAlmostEqual(worst.stops, math.log2(0.7), delta=0.02)

    def test_a_clamp_is_told_with_its_level_and_the_light_lost(self):
        clamped = np.minimum(self.truth, 0.5)
        figure = look_of([clamped], [self.truth])
        self.assertAlmostEqual(figure.clamped_at, 0.5, delta=1e-3)
        lost = 100 * (1 - (clamped @ [0.2126, 0.7152, 0.0722]).sum() / (self.truth @ [0.2126, 0.7152, 0.0722]).sum())
        self.assertAlmostEqual(figure.light_lost_percent, lost, delta=0.01)
        self.assertIsNone(look_of([self.truth], [noisy(self.truth, 1e-3, 1)]).clamped_at, "both end at one level")

    def test_one_render_gives_no_interval(self):
        self.assertIsNone(look_of([noisy(self.truth, 0.1, 1)], [self.truth]).stops.interval)

    def test_a_zone_without_light_is_refused(self):
        dark = flat(0.5, (160, 120))
        dark[:, :80] = 1e-4
        valid = everywhere(dark)
        valid[:, 80:] = False
        lit, other = Light([dark], everywhere(dark)), Light([dark], everywhere(dark))
        with self.assertRaisesRegex(RefusedError, "bright enough"):
            look(lit, [dark], other, [dark], Region(valid), method="reference")
