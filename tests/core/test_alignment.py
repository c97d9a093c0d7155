import unittest

import numpy as np
from matchedpair.measures.alignment import Alignment, Landmarks, alignment, other_sharpness
from matchedpair.measures.light import Light
from scipy.ndimage import gaussian_filter

from tests.inner_loop import long
from tests.pictures import blurred, everywhere, flat, moved, noisy, photograph, textured


def of(first, second):
    return alignment(*(Landmarks(Light(side, everywhere(side[0]))) for side in (first, second)))


def within(mask, first, second):
    """Of pictures in which only the pixels of a mask count; elsewhere there is nothing."""
    sides = ([np.where(mask[..., None], each, np.float32(0)) for each in side] for side in (first, second))
    return alignment(*(Landmarks(Light(side, mask)) for side in sides))


def soft(seed, size=(480, 270), sigma=8.0, contrast=0.02):
    """Fog: slow brightness without an edge."""
    made = gaussian_filter(np.random.default_rng(seed).standard_normal(size[::-1]), sigma, mode="wrap")
    return np.repeat((0.5 * np.exp(contrast * made / made.std()))[..., None], 3, axis=2).astype(np.float32)


def disc(share, size=(480, 270)):
    down, right = np.mgrid[: size[1], : size[0]]
    return (down - size[1] / 2) ** 2 + (right - size[0] / 2) ** 2 < share * size[0] * size[1] / np.pi


def twins(picture, noise, first):
    return [noisy(picture, noise, first), noisy(picture, noise, first + 1)]


class Shift(unittest.TestCase):
    @long
    def test_an_unmoved_picture_is_never_called_shifted(self):
        for name in ("coffee", "astronaut", "chelsea", "rocket"):
            for noise in (0.02, 0.1, 0.3):
                found = of(twins(photograph(name), noise, 1), twins(photograph(name), noise, 3))
                self.assertEqual((found.shifted, found.filtered), ("", ""), (name, noise))
                self.assertLess(found.shift_pixels, 0.06)

    def test_known_shifts_are_told_in_size_and_direction(self):
        for right, down in ((0.3, 0.0), (0.0, -0.5), (-3.5, 5.25)):
            picture = photograph()
            found = of(twins(picture, 0.1, 1), twins(moved(picture, right, down), 0.1, 3))
            np.testing.assert_allclose(found.shift, (right, down), atol=0.05)
            self.assertIn("pixels apart", found.shifted)

    def test_repeating_texture_shows_a_slight_shift_too(self):
        found = of(twins(textured(), 0.05, 1), twins(moved(textured(), 0.3, 0), 0.05, 3))
        self.assertAlmostEqual(found.shift[0], 0.3, delta=0.05)

    def test_noise_on_a_flat_picture_tells_nothing_and_refuses_nothing(self):
        found = of(twins(flat(size=(320, 240)), 0.3, 1), twins(flat(size=(320, 240)), 0.3, 3))
        self.assertEqual((found.shift, found.shifted, found.mismatch), (None, "", ""))

    def test_fog_is_never_called_shifted(self):
        for seed in range(8):
            for sigma, contrast, noise in ((8, 0.02, 0.05), (4, 0.02, 0.2)):
                fog = soft(seed, sigma=sigma, contrast=contrast)
                found = of(twins(fog, noise, 10 * seed), twins(fog, noise, 10 * seed + 2))
                self.assertEqual((found.shifted, found.mismatch), ("", ""), (seed, sigma))

    def test_fog_that_moved_is_called_shifted_where_it_shows_enough(self):
        for off in (0.5, 4.0):
            fog = soft(1, contrast=0.2)
            found = of(twins(fog, 0.05, 1), twins(moved(fog, off, 0), 0.05, 3))
            self.assertAlmostEqual(found.shift_pixels, off, delta=0.15)
            self.assertIn("pixels apart", found.shifted)

    def test_a_small_thing_on_nothing_is_laid_over_itself(self):
        for share, sigma in ((0.02, 8.0), (0.02, 20.0), (0.1, 8.0)):
            fog = soft(2, sigma=sigma, contrast=0.05)
            found = within(disc(share), twins(fog, 0.05, 1), twins(fog, 0.05, 3))
            self.assertEqual((found.shifted, found.mismatch), ("", ""), (share, sigma))

    def test_light_that_falls_otherwise_in_one_place_is_no_shift(self):
        picture = photograph()
        lit = picture.copy()
        lit[:200, :210] = moved(picture, 1.2, 0.0)[:200, :210] * 0.6
        found = of(twins(picture, 0.05, 1), twins(lit, 0.05, 3))
        self.assertEqual(found.shifted, "")
        self.assertLess(found.shift_pixels, 0.05)

    def test_a_length_that_chance_has_in_two_directions_refuses_nothing(self):
        made = np.random.default_rng(3).normal(0, 0.08, (5000, 2))
        refused = [bool(Alignment((x, y), 0.08, "", None).shifted) for x, y in made.tolist()]
        self.assertLess(np.mean(refused), 0.005)
        self.assertIn("0.3 pixels apart", Alignment((0.3, 0.0), 0.08, "", None).shifted)


class SamePicture(unittest.TestCase):
    def test_mirrored_and_turned_pictures_are_named(self):
        picture = photograph("astronaut")
        for turned, words in (
            (picture[:, ::-1], "mirrored left to right"),
            (picture[::-1], "upside down and mirrored"),
            (picture[::-1, ::-1], "turned by half"),
        ):
            found = of(twins(picture, 0.1, 1), [np.ascontiguousarray(turned)])
            self.assertIn(words, found.mismatch)
            self.assertEqual(found.shifted, found.mismatch)

    def test_another_scene_is_named(self):
        other = photograph("chelsea")[:300, :400]
        found = of(twins(photograph("coffee")[:300, :400], 0.1, 1), [np.ascontiguousarray(other)])
        self.assertIn("does not show the same picture", found.mismatch)

    def test_other_light_on_the_same_scene_is_the_same_picture(self):
        picture = photograph("astronaut")
        lit = (picture**1.5 * np.linspace(0.3, 2.0, 512)[None, :, None]).astype(np.float32)
        self.assertEqual(of(twins(picture, 0.1, 1), [lit]).mismatch, "")


class Sharpness(unittest.TestCase):
    def test_a_softer_picture_is_told_by_how_much(self):
        picture = photograph()
        soft = blurred(picture, 0.6)
        found = of(twins(picture, 0.1, 1), twins(soft, 0.1, 3))
        clean = of(twins(picture, 1e-3, 1), twins(soft, 1e-3, 3)).sharpness.value
        self.assertAlmostEqual(found.sharpness.value, clean, delta=0.05)
        self.assertIn("differs in sharpness", found.filtered)
        self.assertAlmostEqual(other_sharpness(found.filtered), found.sharpness.value, delta=0.006)
        self.assertIsNone(other_sharpness("the pictures lie 0.17 pixels apart"))

    def test_tiles_in_which_nothing_counts_are_left_aside(self):
        picture = photograph()
        mask = disc(0.1, (picture.shape[1], picture.shape[0]))
        found = within(mask, twins(picture, 0.05, 1), twins(blurred(picture, 0.6), 0.05, 3))
        whole = of(twins(picture, 0.05, 1), twins(blurred(picture, 0.6), 0.05, 3))
        self.assertAlmostEqual(found.sharpness.value, whole.sharpness.value, delta=0.1)
        self.assertIn("differs in sharpness", found.filtered)

    def test_noise_does_not_pass_for_sharpness(self):
        picture = photograph()
        found = of(twins(picture, 0.02, 1), twins(picture, 0.2, 3))
        self.assertAlmostEqual(found.sharpness.value, 1.0, delta=0.05)
        self.assertEqual(found.filtered, "")

    def test_without_any_twin_there_is_no_telling(self):
        self.assertIsNone(of([photograph()], [noisy(photograph(), 0.1, 1)]).sharpness)
