import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.difference import difference, z_map
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.measures.zones import Zone
from scipy.special import ndtr, stdtrit

from tests.inner_loop import long
from tests.pictures import blurred, everywhere, flat, noisy, patchy, photograph


def sides(control, trial):
    valid = everywhere(control[0])
    return Light(control, valid), Light(trial, valid)


def told(control, trial, zone=None, **more):
    region = Region(everywhere(control[0]) if zone is None else zone)
    return difference(*sides(control, trial), region, **more)


def twins(picture, noise, first):
    return [noisy(picture, noise, first), noisy(picture, noise, first + 1)]


class Known(unittest.TestCase):
    @long
    def test_equal_sides_are_seldom_told_apart(self):
        alarms = 0
        for seed in range(60):
            picture = photograph("chelsea")
            alarms += told(twins(picture, 0.1, 4 * seed), twins(picture, 0.1, 4 * seed + 2)).found
        self.assertLessEqual(alarms, 3)

    def test_z_is_a_normal_deviate_when_nothing_differs(self):
        z = [
            cell.z
            for seed in range(8)
            for cell in told(
                twins(flat(0.5, (480, 270)), 0.1, 4 * seed),
                twins(flat(0.5, (480, 270)), 0.1, 4 * seed + 2),
                rounding=0.0,
            ).cells
        ]
        self.assertAlmostEqual(float(np.std(z)), 1.0, delta=0.12)
        self.assertAlmostEqual(float(np.mean(z)), 0.0, delta=0.15)

    def test_a_filtered_picture_raises_no_false_alarms(self):
        z = []
        for seed in range(6):
            pictures = [blurred(noisy(flat(0.5, (480, 270)), 0.3, 4 * seed + k), 0.8) for k in range(4)]
            z += [cell.z for cell in told(pictures[:2], pictures[2:]).cells]
        self.assertAlmostEqual(float(np.std(z)), 1.0, delta=0.15)

    def test_a_change_of_five_percent_in_a_cell_is_named_with_its_place(self):
        picture = photograph() + np.float32(0.05)
        changed = picture.copy()
        changed[192:256, 304:352] *= 1.05
        figure = told(twins(picture, 0.1, 1), twins(changed, 0.1, 3))
        self.assertTrue(figure.found)
        worst = figure.named[0]
        self.assertEqual((worst.row, worst.column), (4, 6))
        self.assertAlmostEqual(worst.percent, 5.0, delta=1.5)

    def test_no_difference_comes_with_the_smallest_that_would_have_been_seen(self):
        picture = flat(0.5, (480, 272))
        figure = told(twins(picture, 0.1, 1), twins(picture, 0.1, 3))
        self.assertFalse(figure.found)
        # the difference of two means of two pictures over a cell of 40 × 34 pixels, as far off as 4 standard errors are
        # with the freedom of its 20 sub-blocks on each side
        expected = 100 * stdtrit(40, ndtr(4)) * 0.1 / np.sqrt(40 * 34)
        self.assertAlmostEqual(figure.smallest_seen_percent / expected, 1.0, delta=0.05)
        changed = (picture * np.float32(1 + 1.5 * figure.smallest_seen_percent / 100)).astype(np.float32)
        self.assertGreater(len(told(twins(picture, 0.1, 1), twins(changed, 0.1, 3)).named), 80)

    def test_noise_that_a_seed_draws_on_both_sides_hides_nothing(self):
        picture = photograph() + np.float32(0.05)
        changed = picture.copy()
        changed[192:256, 304:352] *= 1.005
        alike = told(twins(picture, 0.3, 1), twins(changed, 0.3, 1))
        self.assertTrue(alike.found)
        self.assertEqual({(row.row, row.column) for row in alike.named[:1]}, {(4, 6)})
        apart = told(twins(picture, 0.3, 1), twins(changed, 0.3, 3))
        self.assertFalse(apart.found)
        self.assertLess(10 * alike.smallest_seen_percent, apart.smallest_seen_percent)

    def test_noise_that_is_half_shared_is_weighed_as_it_is(self):
        z = []
        for seed in range(8):
            both = [noisy(flat(0.5, (480, 270)), 0.1, 6 * seed + k) for k in (0, 1)]
            control = [noisy(picture, 0.05, 6 * seed + 2 + k) for k, picture in enumerate(both)]
            trial = [noisy(picture, 0.05, 6 * seed + 4 + k) for k, picture in enumerate(both)]
            z += [cell.z for cell in told(control, trial, rounding=0.0).cells]
        self.assertAlmostEqual(float(np.std(z)), 1.0, delta=0.12)

    def test_a_rare_path_is_no_difference_wherever_in_a_cell_it_lies(self):
        picture = flat(0.5, (480, 270))
        alarms = []
        for row in (100, 266):  # the cells end at 270, their sub-blocks of 8 at 264
            control, trial = twins(picture, 0.02, 1), twins(picture, 0.02, 3)
            control[0][row : row + 3, 100:103] = 50.0
            alarms.append(told(control, trial).found)
        self.assertEqual(alarms, [False, False])

    def test_few_that_hold_most_of_the_variance_leave_little_freedom(self):
        picture = flat(0.5, (480, 270))
        control, trial = twins(picture, 0.02, 1), twins(picture, 0.02, 3)
        for side, column in ((control, 100), (trial, 110)):
            side[0][100, column] = 20.0
        figure = told(control, trial)
        usual = np.median([cell.smallest_seen_percent for cell in figure.cells])
        [struck] = [cell for cell in figure.cells if cell.box[0] <= 100 < cell.box[0] + cell.box[2] and
                    cell.box[1] <= 100 < cell.box[1] + cell.box[3]]  # fmt: skip
        x, y, width, height = struck.box
        error = np.std([side[0][y : y + height, x : x + width].mean() for side in (control, trial)])
        self.assertGreater(struck.smallest_seen_percent, 20 * usual)
        self.assertGreater(struck.smallest_seen_percent, 100 * 8 * error)

    def test_one_render_a_side_takes_the_noise_from_the_difference_itself(self):
        picture = photograph()
        changed = picture.copy()
        changed[192:256, 304:352] *= 1.08
        figure = told([noisy(picture, 0.1, 1)], [noisy(changed, 0.1, 3)])
        self.assertEqual((figure.method, figure.found), ("single", True))
        self.assertEqual((figure.named[0].row, figure.named[0].column), (4, 6))

    def test_four_seeds_see_less_than_two_could(self):
        picture = flat(0.5, (480, 270))
        few = told(twins(picture, 0.1, 1), twins(picture, 0.1, 3)).smallest_seen_percent
        many = told([noisy(picture, 0.1, s) for s in range(4)], [noisy(picture, 0.1, s) for s in range(4, 8)])
        self.assertAlmostEqual(many.smallest_seen_percent / few, 1 / np.sqrt(2), delta=0.05)


class Blotchy(unittest.TestCase):
    @long
    def test_slow_patches_are_no_difference_whether_their_width_is_known_or_not(self):
        picture = flat(0.5, (960, 540))
        alarms = wide = 0
        for seed in range(6):
            side = [
                [patchy(noisy(picture, 0.05, s), 0.1, 6, 50 + s) for s in (k, k + 1)] for k in (4 * seed, 4 * seed + 2)
            ]
            alarms += told(*side).found
            wide += told(*side, blotch_scale=6.0).found
        self.assertLessEqual(alarms, 1)
        self.assertLessEqual(wide, 1)

    def test_patches_too_wide_for_a_cell_cannot_be_told(self):
        picture = flat(0.5, (240, 160))
        with self.assertRaisesRegex(RefusedError, "narrower than|cannot tell: its slow patches"):
            told(twins(picture, 0.1, 1), twins(picture, 0.1, 3), blotch_scale=30.0)


class Reaching(unittest.TestCase):
    """Noise that hangs together further than the sub-blocks that it is summed in."""

    size = (480, 320)

    def side(self, seed, count, vary):
        dice = np.random.default_rng(seed)
        picture = noisy(flat(0.5, self.size), 0.05, seed)
        return [(noisy(picture, 0.05, 100 * seed + k) * vary(dice)).astype(np.float32) for k in range(count)]

    def alarms(self, vary, count=2, trials=10):
        """How often like is told from like, and how often that cannot be told."""
        found = refused = 0
        for trial in range(trials):
            try:
                found += told(self.side(2 * trial, count, vary), self.side(2 * trial + 1, count, vary)).found
            except RefusedError as refusal:
                self.assertIn("more seeds would tell", refusal.reason)
                refused += 1
        return found, refused

    def whole(self, dice):
        return 1 + 0.01 * dice.standard_normal()

    def rows(self, dice):
        return 1 + 0.05 * dice.standard_normal((self.size[1], 1, 1))

    def buckets(self, dice):
        each = 1 + 0.03 * dice.standard_normal((20, 30, 1))
        return each.repeat(16, axis=0).repeat(16, axis=1)

    @long
    def test_pictures_that_are_brighter_by_their_seed_are_no_difference(self):
        found, refused = self.alarms(self.whole)
        self.assertLessEqual(found, 1)
        self.assertGreaterEqual(refused, 8)

    @long
    def test_nor_are_rows_and_buckets_that_are(self):
        for vary in (self.rows, self.buckets):
            found, refused = self.alarms(vary)
            self.assertLessEqual(found, 1)
            self.assertLess(refused, 10)

    def test_with_more_seeds_it_is_told_where_it_is_more_than_they_differ_by(self):
        control = self.side(1, 5, self.rows)
        alike = told(control, self.side(2, 5, self.rows))
        self.assertFalse(alike.found)
        dark = [picture * np.float32(0.7) for picture in self.side(3, 5, self.rows)]
        self.assertTrue(told(control, dark).found)

    def test_where_blocks_say_all_nothing_is_less_sure(self):
        figure = told(twins(flat(0.5, (480, 272)), 0.1, 1), twins(flat(0.5, (480, 272)), 0.1, 3))
        expected = 100 * stdtrit(40, ndtr(4)) * 0.1 / np.sqrt(40 * 34)
        self.assertAlmostEqual(figure.smallest_seen_percent / expected, 1.0, delta=0.05)


class Maps(unittest.TestCase):
    def test_the_map_holds_each_cell_s_z(self):
        picture = flat(0.5, (480, 270))
        figure = told(twins(picture, 0.1, 1), twins(picture * np.float32(1.02), 0.1, 3))
        shown = z_map(figure, (270, 480))
        cell = figure.cells[17]
        x, y, width, height = cell.box
        self.assertTrue((shown[y : y + height, x : x + width] == np.float32(cell.z)).all())
        self.assertFalse(np.isnan(shown).any())

    def test_a_tiny_zone_is_refused(self):
        picture = flat(0.5, (64, 64))
        with self.assertRaisesRegex(RefusedError, "narrower than 16 pixels"):
            told(twins(picture, 0.1, 1), twins(picture, 0.1, 3), Zone("t", 0, 0, 10, 40).mask((64, 64)))
