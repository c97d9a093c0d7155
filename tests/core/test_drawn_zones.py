import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import DrawnZone, measured_mask, parse_zone

SHARE = st.floats(0.0, 1.0)


class Areas(unittest.TestCase):
    def test_a_rectangle_covers_the_pixels_whose_middle_it_holds(self):
        mask = parse_zone("a", "measure", "rectangle", [[0.25, 0.5], [0.75, 1.0]]).mask((8, 4))
        expected = np.zeros((4, 8), dtype=bool)
        expected[2:4, 2:6] = True
        np.testing.assert_array_equal(mask, expected)

    def test_the_same_zone_covers_the_same_share_at_any_size(self):
        area = parse_zone("a", "measure", "polygon", [[0.1, 0.2], [0.9, 0.3], [0.5, 0.8]])
        shares = [area.mask(size).mean() for size in ((320, 180), (1600, 900))]
        self.assertAlmostEqual(shares[0], 0.22, delta=0.003)
        self.assertAlmostEqual(shares[0], shares[1], delta=0.002)

    def test_in_a_crop_it_covers_what_it_covers_there_in_the_whole(self):
        area = parse_zone("a", "measure", "polygon", [[0.2, 0.2], [0.8, 0.2], [0.5, 0.9]])
        np.testing.assert_array_equal(area.mask((64, 48), (10, 5, 30, 20)), area.mask((64, 48))[5:25, 10:40])

    @given(SHARE, SHARE, SHARE, SHARE)
    def test_its_pixel_box_holds_every_pixel_of_its_mask(self, x0, y0, x1, y1):
        try:
            area = parse_zone("a", "measure", "rectangle", [[x0, y0], [x1, y1]])
        except InputError:
            return
        x, y, width, height = area.pixel_box((40, 30))
        outside = area.mask((40, 30)).copy()
        outside[y : y + height, x : x + width] = False
        self.assertFalse(outside.any())
        self.assertTrue(x >= 0 and y >= 0 and x + width <= 40 and y + height <= 30)

    def test_left_out_zones_count_nowhere(self):
        valid = np.ones((10, 10), dtype=bool)
        half = DrawnZone("h", "leave out", "rectangle", ((0.0, 0.0), (0.5, 1.0)))
        measured = DrawnZone("m", "measure", "rectangle", ((0.0, 0.0), (1.0, 1.0)))
        self.assertEqual(measured_mask([half, measured], (10, 10), None, valid).sum(), 50)

    def test_misfits_say_what_was_expected(self):
        cases = [
            (("", "measure", "rectangle", [[0, 0], [1, 1]]), "needs a name"),
            (("whole", "measure", "rectangle", [[0, 0], [1, 1]]), "other than 'whole'"),
            (("a", "keep", "rectangle", [[0, 0], [1, 1]]), "kind must be one of measure, leave out, got 'keep'"),
            (("a", "measure", "circle", [[0, 0], [1, 1]]), "shape must be one of rectangle, polygon"),
            (("a", "measure", "rectangle", [[0, 0]]), "two opposite corners, got 1"),
            (("a", "measure", "polygon", [[0, 0], [1, 1]]), "3 to 200 corners, got 2"),
            (("a", "measure", "rectangle", [[0, 0], [1.2, 1]]), "zone 'a' reaches outside the picture"),
            (("a", "measure", "rectangle", [[0, 0], [float("nan"), 1]]), "two finite numbers"),
            (("a", "measure", "rectangle", [[0, 0], [True, 1]]), "two finite numbers"),
            (("a", "measure", "rectangle", "corner to corner"), "two finite numbers"),
            (("a", "measure", "rectangle", [[0.5, 0], [0.5, 1]]), "has no area"),
            ((3, "measure", "rectangle", [[0, 0], [1, 1]]), "needs a name"),
        ]
        for values, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                parse_zone(*values)
