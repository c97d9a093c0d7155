import math
import unittest

import numpy as np
from matchedpair.measures.reach import Reach, reach
from scipy.ndimage import gaussian_filter

ROWS, COLUMNS = 8, 12
AT = [(row, column) for row in range(ROWS) for column in range(COLUMNS)]


def normal(seed, count=2):
    return np.random.default_rng(seed).standard_normal((count, ROWS * COLUMNS))


class HowFarNoiseReaches(unittest.TestCase):
    def test_cells_that_are_apart_say_all(self):
        far = [reach(normal(seed), AT) for seed in range(200)]
        apart = [each for each in far if each == Reach()]
        self.assertGreaterEqual(len(apart) / len(far), 0.96)
        self.assertLess(max(each.times for each in far), 1.15)
        self.assertGreater(min(each.freedom_of(40.0) for each in far), 34)

    def test_means_that_scatter_by_three_times_as_much_are_so_much_less_sure(self):
        far = reach(3 * normal(1, 6), AT)
        self.assertAlmostEqual(far.times, 9.0, delta=1.5)
        self.assertAlmostEqual(far.freedom, 6 * len(AT), delta=1)
        self.assertAlmostEqual(far.sum_times, 1.0, delta=1.5)

    def test_cells_that_go_together_tell_as_few_as_there_are_patches(self):
        rows = [gaussian_filter(each.reshape(ROWS, COLUMNS), 0.8, mode="wrap").ravel() for each in normal(2, 6)]
        far = reach(3 * np.array(rows) / np.std(rows), AT)
        patches = len(AT) / (4 * math.pi * 0.8**2)
        self.assertLess(far.freedom / 6, 1.5 * patches)
        self.assertGreater(far.freedom / 6, patches / 5)
        self.assertGreater(far.sum_times, 4)

    def test_a_whole_picture_brighter_by_its_seed_leaves_only_the_seeds(self):
        far = reach(normal(3) + np.array([[20.0], [-15.0]]), AT)
        self.assertLess(far.freedom, 3)
        self.assertEqual(far.sum_freedom, 2)

    def test_a_little_brighter_is_felt_in_the_sum_though_no_cell_shows_it(self):
        far = reach(normal(4) + np.array([[0.5], [-0.6]]), AT)
        self.assertAlmostEqual(far.times, 1 + (0.5**2 + 0.6**2) / 2, delta=0.2)
        self.assertEqual(far.sum_freedom, 2.0)
        self.assertLess(far.freedom_of(40), 32)
        self.assertAlmostEqual(far.sum_times, len(AT) * (0.5**2 + 0.6**2) / 2, delta=15)

    def test_cells_without_neighbours_count_as_one(self):
        far = reach(5 * normal(5)[:, :3], [(0, 0), (2, 2), (4, 4)])
        self.assertLessEqual(far.freedom, 2)


if __name__ == "__main__":
    unittest.main()
