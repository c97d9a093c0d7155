import unittest

import numpy as np

from tests.core.test_difference import told, twins
from tests.pictures import flat, noisy, patchy, photograph

BALL = (200, 120, 40, 32)


def with_ball(picture, factor, box=BALL):
    x, y, width, height = box
    changed = picture.copy()
    changed[y : y + height, x : x + width] *= np.float32(factor)
    return changed


def fireflies(picture, seed, many=40):
    """A few pixels a hundred times as bright, each seed's elsewhere."""
    bright = np.random.default_rng(seed)
    lit = picture.copy()
    rows, columns = bright.integers(0, picture.shape[0], many), bright.integers(0, picture.shape[1], many)
    lit[rows, columns] *= np.float32(100.0)
    return lit


class Found(unittest.TestCase):
    def test_a_small_thing_gone_dark_is_told_as_dark_as_it_is(self):
        picture = flat(0.5, (480, 270))
        figure = told(twins(picture, 0.1, 1), twins(with_ball(picture, 0.25), 0.1, 3))
        [island] = figure.islands
        self.assertEqual(island.box, BALL)
        # by both sides' own mean, smoothed: two stops darker is 2 · (0.25 − 1) / 1.25 where it is wide
        self.assertAlmostEqual(island.percent, -120, delta=12)
        self.assertEqual(island.pixels, BALL[2] * BALL[3])
        self.assertLess(island.smallest_seen_percent, 10)
        worst = max(figure.cells, key=lambda cell: abs(cell.percent))
        self.assertLess(abs(worst.percent), abs(island.percent) - 20, "a cell holds what lies around it too")

    def test_one_within_a_picture_that_is_darker_too_comes_first(self):
        picture = flat(0.5, (480, 270))
        darker = with_ball(picture * np.float32(0.8), 0.25)
        first, *others = told(twins(picture, 0.05, 1), twins(darker, 0.05, 3)).islands
        self.assertEqual(first.box, BALL)
        self.assertLess(first.percent, -110)
        self.assertEqual(others, [], "what holds an island that is told is not told again")

    def test_in_a_small_picture_a_thing_of_a_few_pixels_is_told_as_what_it_is(self):
        picture = flat(0.5, (192, 108))
        ball = (156, 68, 12, 12)
        [island] = told(twins(picture, 0.05, 1), twins(with_ball(picture, 0.1, ball), 0.05, 3)).islands
        self.assertLess(island.percent, -100)
        self.assertEqual(island.pixels, 144)

    def test_both_ways_are_told_the_largest_first(self):
        picture = photograph()
        other = (60, 60, 40, 40)
        changed = with_ball(with_ball(picture, 0.3), 1.5, other)
        islands = told(twins(picture, 0.05, 1), twins(changed, 0.05, 3)).islands
        self.assertEqual([np.sign(island.percent) for island in islands], [-1, 1])
        x, y, *_ = islands[1].box
        self.assertTrue(other[0] - 8 <= x < other[0] + 40 and other[1] - 8 <= y < other[1] + 40)

    def test_what_reaches_the_far_edges_is_found(self):
        picture = flat(0.5, (478, 270))
        corner = (454, 248, 24, 22)
        [island] = told(twins(picture, 0.1, 1), twins(with_ball(picture, 0.25, corner), 0.1, 3)).islands
        self.assertEqual(island.pixels, 22 * 22, "blocks of 8 × 8 begin at 456, 248")


class NotFound(unittest.TestCase):
    def test_nothing_where_nothing_differs(self):
        picture = photograph()
        for seed in range(8):
            sides = [[fireflies(one, seed * 9 + n) for one in twins(picture, 0.4, 4 * seed + n)] for n in (0, 2)]
            self.assertEqual(told(*sides).islands, ())

    def test_a_rare_path_in_one_seed_is_none(self):
        picture = flat(0.5, (480, 270))
        control, trial = twins(picture, 0.1, 1), twins(picture, 0.1, 3)
        trial[0] = with_ball(trial[0], 6.0)
        self.assertEqual(told(control, trial).islands, ())

    def test_an_edge_that_moved_is_none(self):
        picture = flat(0.2, (480, 270))
        picture[:, 240:] = 0.8
        moved = picture.copy()
        moved[:, 239] = 0.8
        self.assertEqual(told(twins(picture, 0.02, 1), twins(moved, 0.02, 3)).islands, ())

    def test_slow_patches_are_none_where_blocks_are_as_wide(self):
        picture = flat(0.5, (480, 270))
        sides = [[patchy(noisy(picture, 0.05, s), 0.1, 6, 50 + s) for s in (k, k + 1)] for k in (0, 2)]
        self.assertEqual(told(*sides, blotch_scale=6.0).islands, ())

    def test_one_render_a_side_cannot_tell_them_from_noise(self):
        picture = photograph()
        figure = told([noisy(picture, 0.1, 1)], [noisy(with_ball(picture, 0.25), 0.1, 3)])
        self.assertEqual(figure.islands, ())
