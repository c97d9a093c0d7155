"""What only some questions need: one apparent size, an engine's pass, nearness to a photograph."""

import unittest

import cv2
import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.apparent import at_apparent_size
from matchedpair.measures.nearness import nearness
from matchedpair.measures.pass_apart import pass_apart, pass_noise

from tests.pictures import everywhere, flat, noisy, photograph

SCENE = photograph("coffee")[:384, :576]


def smaller(picture, step):
    height, width = picture.shape[:2]
    return cv2.resize(picture, (width // step, height // step), interpolation=cv2.INTER_AREA)


class ApparentSize(unittest.TestCase):
    def held(self, pictures):
        return at_apparent_size(pictures, [SCENE, SCENE], everywhere(SCENE))

    def test_the_reference_itself_keeps_all_and_differs_by_nothing(self):
        found = self.held([SCENE.copy()])
        self.assertAlmostEqual(found.error.value, 0.0, delta=1e-3)
        self.assertAlmostEqual(found.detail.value, 1.0, delta=1e-3)

    def test_a_smaller_picture_loses_detail_and_a_noisy_one_does_not(self):
        small = self.held([smaller(SCENE, 2)] * 2)
        grainy = self.held([noisy(SCENE, 0.3, seed) for seed in (1, 2)])
        self.assertLess(small.detail.value, 0.75)
        self.assertAlmostEqual(grainy.detail.value, 1.0, delta=0.05)
        self.assertGreater(grainy.error.value, self.held([noisy(SCENE, 0.1, 1)]).error.value)

    def test_a_flat_field_is_the_same_at_any_size(self):
        wide = flat(0.4, (240, 120))
        found = at_apparent_size([flat(0.4, (60, 30))], [wide], everywhere(wide))
        self.assertAlmostEqual(found.error.value, 0.0, delta=1e-3)
        self.assertIsNone(found.detail)

    def test_seeds_that_are_bit_equal_count_once(self):
        one, three = (self.held([smaller(SCENE, 2)] * count) for count in (1, 3))
        self.assertEqual(one, three)

    def test_the_interval_is_that_of_the_seeds(self):
        found = self.held([noisy(SCENE, 0.2, seed) for seed in range(4)])
        self.assertTrue(found.error.interval[0] < found.error.value < found.error.interval[1])
        self.assertIsNone(self.held([noisy(SCENE, 0.2, 0)]).error.interval)

    def test_another_shape_shows_something_else_and_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "same part of the scene"):
            self.held([SCENE[:, :384]])


class Passes(unittest.TestCase):
    def setUp(self):
        rows, columns = np.mgrid[0:160, 0:240]
        self.truth = np.repeat((0.5 + 0.4 * np.sin(rows / 23.0) * np.cos(columns / 31.0))[..., None], 3, axis=2).astype(
            np.float32
        )
        self.all = everywhere(self.truth)

    def apart(self, own, name="occlusion"):
        return pass_apart(name, [own], [self.truth], flat(0.3, (240, 160)), self.all)

    def test_a_pass_in_another_range_is_the_same_pass(self):
        found = self.apart(0.1 + 0.5 * self.truth)
        self.assertAlmostEqual(found.apart.value, 0.0, delta=0.02)
        self.assertAlmostEqual(found.gain, 2.0, delta=0.01)

    def test_another_pass_is_told_and_more_in_the_light_than_in_the_dark(self):
        other = np.ascontiguousarray(self.truth[::-1])
        found = self.apart(other)
        self.assertGreater(found.apart.value, 3.0)
        dark = pass_apart("occlusion", [other], [self.truth], flat(0.003, (240, 160)), self.all)
        self.assertLess(dark.laid_over.value, 0.5 * found.laid_over.value)

    def test_what_is_not_multiplied_in_is_not_laid_over(self):
        self.assertIsNone(self.apart(self.truth, name="depth").laid_over)

    def test_noise_of_either_side_is_no_distance_once_there_are_twins(self):
        one, two, four = ([noisy(self.truth, 0.3, seed) for seed in range(count)] for count in (1, 2, 4))
        alone, pair, more = (
            pass_apart("depth", seeds, [self.truth], self.truth, self.all).apart.value for seeds in (one, two, four)
        )
        self.assertGreater(alone, 3.0)
        self.assertLess(pair, 0.3 * alone)
        self.assertLess(more, 0.2 * alone)

    def test_a_true_difference_is_read_through_the_noise(self):
        other = np.ascontiguousarray(self.truth[::-1])
        clean = self.apart(other).apart.value
        grainy = [noisy(other, 0.2, seed) for seed in range(4)]
        found = pass_apart("depth", grainy, [self.truth], self.truth, self.all).apart.value
        self.assertAlmostEqual(found / clean, 1.0, delta=0.1)

    def test_a_single_value_has_no_range(self):
        with self.assertRaisesRegex(RefusedError, "single value"):
            self.apart(flat(0.5, (240, 160)))

    def test_noise_halves_with_four_times_the_samples_and_does_not_depend_on_the_unit(self):
        few, many = ([noisy(self.truth, spread, seed) for seed in (1, 2, 3)] for spread in (0.2, 0.1))
        self.assertAlmostEqual(pass_noise(few, self.all).value / pass_noise(many, self.all).value, 2.0, delta=0.25)
        metres, large = ([np.float32(scale) * seed for seed in few] for scale in (10.0, 1000.0))
        self.assertAlmostEqual(pass_noise(metres, self.all).value, pass_noise(large, self.all).value, delta=0.01)

    def test_one_seed_shows_no_noise(self):
        with self.assertRaises(RefusedError):
            pass_noise([self.truth], self.all)


class Photograph(unittest.TestCase):
    def near(self, picture):
        return nearness([picture], SCENE, everywhere(SCENE))

    def test_the_same_picture_is_at_no_distance(self):
        found = self.near(SCENE.copy())
        for name in ("distance", "colour", "contrast", "highlights", "shadows"):
            self.assertAlmostEqual(getattr(found, name).value, 0.0, delta=1e-3, msg=name)
        self.assertAlmostEqual(found.direction.value, 1.0, delta=1e-3)

    def test_each_criterion_answers_to_its_own_change(self):
        tinted = self.near(SCENE * np.array([1.3, 1.0, 0.8], dtype=np.float32))
        self.assertGreater(tinted.colour.value, 2.0)
        self.assertGreater(tinted.direction.value, 0.95)
        flatter = self.near(np.sqrt(SCENE))
        self.assertLess(flatter.contrast.value, -0.2)
        self.assertGreater(flatter.shadows.value, 0.3)
        self.assertLess(flatter.highlights.value, -0.2)

    def test_light_from_the_other_side_falls_the_other_way(self):
        fall = np.exp2(np.linspace(-2, 2, SCENE.shape[1], dtype=np.float32))[None, :, None]
        same, other = (nearness([flat(0.5, (576, 384)) * way], flat(0.4, (576, 384)) * fall, everywhere(SCENE))
                       for way in (fall, fall[:, ::-1]))  # fmt: skip
        self.assertAlmostEqual(same.direction.value, 1.0, delta=0.01)
        self.assertAlmostEqual(other.direction.value, -1.0, delta=0.01)

    def test_a_known_change_of_contrast_is_read_in_stops(self):
        rows, columns = np.mgrid[0:160, 0:240]
        stops = 2 * np.sin(rows / 40.0) * np.cos(columns / 55.0)
        truth = np.repeat(np.exp2(stops)[..., None], 3, axis=2).astype(np.float32)
        found = nearness([truth**1.5], truth, everywhere(truth))
        darkest = np.percentile(stops, 2) - np.median(stops)
        self.assertAlmostEqual(found.shadows.value, 0.5 * darkest, delta=0.02)
        self.assertAlmostEqual(found.contrast.value, 0.5 * stops.std(), delta=0.02)

    def test_what_a_camera_cut_off_is_seen_in_any_channel(self):
        light = SCENE * np.exp2(np.random.default_rng(5).normal(0, 0.05, SCENE.shape)).astype(np.float32)
        self.assertLess(nearness([light], light, everywhere(light)).clipped.value, 0.02)
        cut = light.copy()
        cut[..., 0] = np.minimum(cut[..., 0], np.percentile(light[..., 0], 97))
        self.assertAlmostEqual(nearness([light], cut, everywhere(light)).clipped.value, 3.0, delta=0.2)

    def test_brightness_alone_is_no_distance(self):
        self.assertAlmostEqual(self.near(SCENE * np.float32(1.7)).distance.value, 0.0, delta=0.05)

    def test_what_the_photograph_does_not_show_does_not_count(self):
        holes = SCENE.copy()
        holes[:, :200] = np.nan
        other = SCENE.copy()
        other[:, :190] = 0.001
        self.assertAlmostEqual(nearness([other], holes, everywhere(SCENE)).distance.value, 0.0, delta=0.01)
