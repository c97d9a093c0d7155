import unittest

import numpy as np
from matchedpair.measures.fireflies import Fireflies, poisson_interval
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from scipy.ndimage import gaussian_filter

from tests.pictures import everywhere, flat, grainy, photograph, textured

PLANTED = 100


def planted(picture, times, seed):
    """Fireflies at random places, this many times the brightness around; the picture and the places."""
    dice = np.random.default_rng(seed)
    height, width = picture.shape[:2]
    rows, columns = np.divmod(dice.choice(height * width, PLANTED, replace=False), width)
    level = np.maximum(gaussian_filter(picture.mean(axis=2), 2)[rows, columns], 0.02 * picture.mean())
    lit = picture.copy()
    lit[rows, columns] = (times * level)[:, None]
    return lit, set(zip(rows.tolist(), columns.tolist(), strict=True))


def found(pictures, reference=None, valid=None):
    valid = everywhere(pictures[0]) if valid is None else valid
    flies = Fireflies(Light(pictures, valid), None if reference is None else Light([reference], valid).mean)
    return flies.figure(Region(valid))


class Planted(unittest.TestCase):
    def score(self, figure, places):
        hits = len(set(figure.positions) & places)
        return hits / len(places), hits / max(len(figure.positions), 1)

    def test_twins_find_those_twenty_times_as_bright_and_nothing_else(self):
        for name in ("coffee", "astronaut", "chelsea"):
            for noise in (0.05, 0.2):
                lit, places = planted(grainy(photograph(name), noise, 1), 20, 5)
                recall, precision = self.score(found([lit, grainy(photograph(name), noise, 2)]), places)
                self.assertGreaterEqual(recall, 0.98, (name, noise))
                self.assertGreaterEqual(precision, 0.99, (name, noise))

    def test_a_reference_serves_as_well_as_a_twin(self):
        lit, places = planted(grainy(photograph(), 0.2, 1), 20, 6)
        figure = found([lit], reference=photograph())
        self.assertEqual(figure.per_megapixel.method, "reference")
        recall, precision = self.score(figure, places)
        self.assertGreaterEqual(min(recall, precision), 0.99)

    def test_one_picture_tells_most_and_calls_them_its_own_guess(self):
        lit, places = planted(grainy(photograph(), 0.1, 1), 20, 7)
        figure = found([lit])
        self.assertEqual(figure.per_megapixel.method, "single")
        self.assertGreaterEqual(self.score(figure, places)[0], 0.9)

    def test_a_true_glint_is_never_counted_with_a_twin(self):
        glints, _ = planted(textured(), 30, 8)
        self.assertEqual(found([grainy(glints, 0.1, 1), grainy(glints, 0.1, 2)]).count, 0)

    def test_both_seeds_are_searched_and_the_positions_are_the_first_one_s(self):
        lit, places = planted(grainy(photograph(), 0.1, 1), 20, 9)
        other, _ = planted(grainy(photograph(), 0.1, 2), 20, 10)
        figure = found([lit, other])
        self.assertGreater(figure.count, 190)
        self.assertLessEqual(len(set(figure.positions) - places), 1)


class Figures(unittest.TestCase):
    def setUp(self):
        self.picture = grainy(flat(0.5, (200, 100)), 0.05, 1)
        self.other = grainy(flat(0.5, (200, 100)), 0.05, 2)

    def test_share_of_light_is_what_was_added(self):
        self.picture[20, 30] = 50.0
        added = 49.5 / self.picture.mean(axis=2).sum()
        valid = everywhere(self.picture)
        flies = Fireflies(Light([self.picture, self.other], valid))
        self.assertAlmostEqual(flies.figure(Region(valid), seeds=1).light_percent.value, 100 * added, delta=0.02)
        self.assertAlmostEqual(flies.figure(Region(valid)).light_percent.value, 50 * added, delta=0.02)

    def test_touching_pixels_are_one_spot_at_its_brightest_pixel(self):
        self.picture[20, 30:32] = 20.0
        self.picture[21, 32] = 40.0  # touches by a corner only
        figure = found([self.picture, self.other])
        self.assertEqual((figure.count, figure.positions), (1, ((21, 32),)))

    def test_count_per_megapixel_has_poisson_s_interval(self):
        self.picture[20, 30] = self.picture[70, 120] = 20.0
        figure = found([self.picture, self.other]).per_megapixel
        self.assertAlmostEqual(figure.value, 2 / 0.04)
        self.assertAlmostEqual(figure.interval[0], 0.2422 / 0.04, places=1)
        self.assertAlmostEqual(figure.interval[1], 7.2247 / 0.04, places=1)

    def test_none_seen_still_has_an_upper_end(self):
        # Garwood 1936: the upper end of a count of 0 is 3.689
        self.assertAlmostEqual(poisson_interval(0)[1], 3.689, places=3)

    def test_places_left_out_hold_none(self):
        self.picture[20, 30] = 20.0
        valid = everywhere(self.picture)
        valid[10:30, 20:40] = False
        self.assertEqual(found([self.picture, self.other], valid=valid).count, 0)

    def test_brightness_of_the_whole_does_not_matter(self):
        lit, _ = planted(self.picture, 20, 3)
        for scale in (1e-3, 1e3):
            scaled = [np.float32(scale) * each for each in (lit, self.other)]
            self.assertEqual(found(scaled).positions, found([lit, self.other]).positions)
