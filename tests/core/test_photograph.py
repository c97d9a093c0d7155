import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.pictures.photograph import match_photograph
from scipy.ndimage import affine_transform
from skimage import data

COUNTED = np.ones((128, 192), dtype=bool)


def scene():
    """A picture with edges at every scale: the photographer that ships with scikit-image, as linear light."""
    light = (data.astronaut()[60:316:2, 40:424:2].astype(np.float32) / 255.0) ** 2.2
    return light + 0.01


def photographed(light, *, gain=(1.0, 1.0, 1.0), scale=1.0, right=0.0, down=0.0):
    """The same light enlarged around its middle, shifted, and with another exposure and white balance."""
    height, width = light.shape[:2]
    middle = np.array([(height - 1) / 2, (width - 1) / 2])
    offset = middle - (middle + np.array([down, right])) / scale
    moved = [affine_transform(light[..., k], [1 / scale] * 2, offset=offset, order=1, mode="nearest") for k in range(3)]
    return (np.stack(moved, axis=-1) * np.array(gain)).astype(np.float32)


class Photographs(unittest.TestCase):
    def test_a_known_shift_scale_exposure_and_white_balance_are_undone(self):
        taken = photographed(scene(), gain=(0.5, 0.25, 0.2), scale=1 / 1.04, right=-4.0, down=2.5)
        found = match_photograph(taken, scene(), COUNTED)
        self.assertAlmostEqual(found.scale, 1.04, delta=0.004)
        self.assertAlmostEqual(found.shift_pixels[0], 4.0 * 1.04, delta=0.3)
        self.assertAlmostEqual(found.shift_pixels[1], -2.5 * 1.04, delta=0.3)
        self.assertAlmostEqual(found.stops, 2.0, delta=0.03)
        self.assertAlmostEqual(found.white_balance[0], 0.5, delta=0.015)
        self.assertAlmostEqual(found.white_balance[2], 1.25, delta=0.03)
        self.assertGreater(found.alike_after, found.alike_before + 0.2)
        inside = np.s_[16:-16, 16:-16]
        self.assertLess(np.abs(found.pixels - scene())[inside].mean(), 0.05 * scene().mean())

    def test_another_resolution_is_brought_to_the_render_s_size(self):
        fine = np.repeat(np.repeat(scene(), 2, axis=0), 2, axis=1)
        found = match_photograph(fine, scene(), COUNTED)
        self.assertEqual(found.pixels.shape, scene().shape)
        self.assertAlmostEqual(found.scale, 1.0, delta=0.005)
        self.assertAlmostEqual(found.stops, 0.0, delta=0.02)

    def test_what_only_the_photograph_shows_can_be_left_out(self):
        taken = scene().copy()
        taken[:, 120:] = np.random.default_rng(1).random((128, 72, 3))
        counted = COUNTED.copy()
        counted[:, 118:] = False
        found = match_photograph(taken, scene(), counted)
        self.assertAlmostEqual(found.stops, 0.0, delta=0.02)
        self.assertGreater(found.alike_after, 0.99)
        self.assertLess(match_photograph(taken, scene(), COUNTED).alike_after, 0.9)

    def test_where_the_photograph_shows_nothing_is_not_a_number(self):
        found = match_photograph(photographed(scene(), right=20.0), scene(), COUNTED)
        self.assertTrue(np.isnan(found.pixels[:, -10:]).all())
        self.assertAlmostEqual(found.covered, 1 - 20 / 192, delta=0.02)

    def test_another_scene_is_refused(self):
        other = np.random.default_rng(3).random((128, 192, 3)).astype(np.float32)
        with self.assertRaisesRegex(RefusedError, r"does not look like this render \(likeness 0\.\d+, needed 0\.3\)"):
            match_photograph(other, scene(), COUNTED)
