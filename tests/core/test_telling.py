"""Which part of the pictures is enlarged to show a difference."""

import unittest

import numpy as np
from matchedpair.measures.places import Places
from matchedpair.measures.telling import exposure_for, part_around, where_noise_differs

SIZE = (320, 180)


def places(level, spots=(), top=0, left=0):
    """Visible noise of every place, with other values in some: row, column, value."""
    figures = np.full((SIZE[1] // 8 - top, SIZE[0] // 8 - left), level, dtype=np.float32)
    for rows, columns, value in spots:
        figures[rows, columns] = value
    return Places(8, top, left, np.log(figures))


class Parts(unittest.TestCase):
    def test_it_lies_around_the_box_in_the_picture_s_shape(self):
        x, y, width, height = part_around((150, 80, 20, 20), SIZE)
        self.assertEqual((width, height), (96, 54))
        self.assertTrue(x <= 150 and x + width >= 170 and y <= 80 and y + height >= 100)

    def test_it_never_leaves_the_picture_and_holds_all_of_a_large_box(self):
        for box in ((0, 0, 5, 5), (315, 175, 5, 5), (0, 0, 320, 180), (100, 0, 10, 180), (0, 90, 320, 4)):
            x, y, width, height = part_around(box, SIZE)
            self.assertTrue(0 <= x <= box[0] and y >= 0, box)
            self.assertTrue(x + width <= SIZE[0] and y + height <= SIZE[1], box)
            self.assertGreaterEqual(width, min(box[2], SIZE[0]))
            self.assertGreaterEqual(height, min(box[3], SIZE[1]))

    def test_a_tiny_picture_is_shown_whole(self):
        self.assertEqual(part_around((3, 3, 1, 1), (48, 36)), (0, 0, 48, 36))


class Noise(unittest.TestCase):
    def holds(self, box, column, row):
        x, y, width, height = box
        return x <= 8 * column < x + width and y <= 8 * row < y + height

    def test_it_is_where_the_sides_differ_and_not_where_both_are_noisy(self):
        both = (slice(0, 6), slice(0, 10), 9.0)
        control = places(1.0, [both, (slice(14, 20), slice(30, 38), 5.0)])
        trial = places(1.0, [both])
        self.assertTrue(self.holds(where_noise_differs(control, trial, SIZE), 33, 17))

    def test_places_that_begin_elsewhere_are_laid_over_each_other(self):
        control = places(1.0, [(slice(10, 14), slice(20, 28), 6.0)], top=2, left=3)
        self.assertTrue(self.holds(where_noise_differs(control, places(1.0), SIZE), 26, 14))

    def test_nothing_that_an_eye_could_care_for_is_nowhere(self):
        self.assertIsNone(where_noise_differs(places(1.0), places(1.1), SIZE))
        self.assertIsNone(where_noise_differs(places(np.nan), places(1.0), SIZE))


class Exposure(unittest.TestCase):
    def test_the_dark_is_lifted_by_the_brighter_of_both_and_the_bright_is_left(self):
        dark, darker, bright = (np.full((4, 4), level) for level in (0.1, 0.01, 0.9))
        self.assertEqual(exposure_for([dark, darker]), 2.5)
        self.assertEqual(exposure_for([dark, bright]), 0.0)
        self.assertEqual(exposure_for([np.zeros((4, 4))]), 0.0)
        self.assertEqual(exposure_for([np.full((4, 4), 1e-9)]), 6.0)
