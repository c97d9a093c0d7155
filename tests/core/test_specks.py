"""Whether a change lies in bright specks: light that is seldom found, and to the eye is no other brightness."""

import unittest

import numpy as np
from matchedpair.measures.light import Light
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.specks import in_specks

from tests.pictures import everywhere, noisy, textured

SIZE = (480, 270)
PART = (200, 100, 80, 60)


def picture(seed, *, specks=0.0, gain=1.0, lamp=0):
    """Of some noise; in the part with specks in so many of its pixels, more light, or a lamp so many pixels across."""
    x, y, width, height = PART
    made = noisy(textured(SIZE), 0.1, seed)
    part = made[y : y + height, x : x + width]
    part *= gain
    part[np.random.default_rng(100 + seed).random((height, width)) < specks] += 4.0
    part[height // 2 : height // 2 + lamp, width // 2 : width // 2 + lamp] += 60.0
    return made


def side(*seeds, **what):
    made = [picture(seed, **what) for seed in seeds]
    return Light(made, everywhere(made[0]))


class Specks(unittest.TestCase):
    def test_light_that_is_found_seldom_is_specks_whichever_side_finds_it(self):
        for share in (0.003, 0.01, 0.03):
            plain, found = side(1, 2), side(3, 4, specks=share)
            self.assertTrue(in_specks(plain, found, PART), share)
            self.assertTrue(in_specks(found, plain, PART), share)

    def test_another_light_is_not_and_neither_is_a_lamp_as_small_as_a_speck(self):
        for what in ({"gain": 1.05}, {"gain": 0.5}, {"lamp": 2}, {"lamp": 6}, {"gain": 1.1, "specks": 0.002}):
            self.assertFalse(in_specks(side(1, 2), side(3, 4, **what), PART), what)

    def test_one_seed_does_not_tell(self):
        self.assertFalse(in_specks(side(1), side(3, specks=0.02), PART))

    def test_a_part_at_the_edge_and_pixels_that_do_not_count(self):
        plain, found = side(1, 2), side(3, 4, specks=0.02)
        valid = everywhere(picture(1))
        valid[100:160, 200:240] = False
        hidden = [Light([picture(seed, specks=share) for seed in seeds], valid)
                  for seeds, share in (((1, 2), 0.0), ((3, 4), 0.02))]  # fmt: skip
        self.assertTrue(in_specks(*hidden, PART))
        self.assertTrue(in_specks(plain, found, (0, 0, *SIZE)))

    def test_a_comparison_names_the_parts(self):
        pictures = [[picture(seed, **what) for seed in seeds]
                    for seeds, what in (((1, 2), {}), ((3, 4), {"specks": 0.02}), ((5, 6), {"gain": 1.5}))]  # fmt: skip
        valid = everywhere(pictures[0][0])
        for trial, said in ((pictures[1], True), (pictures[2], False)):
            figure = PairMeasures.of(pictures[0], trial, valid).zone(valid, ratios=False).difference
            self.assertTrue(figure.found)
            self.assertEqual(figure.named[0].box in figure.specks, said)
