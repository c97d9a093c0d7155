import unittest

import numpy as np
from matchedpair.measures.region import Region
from matchedpair.measures.visible import (
    CUT,
    TO_OPPONENT,
    visible_figure,
    visible_maps,
)
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import TO_XYZ
from matchedpair.pictures.srgb import code_values
from scipy.ndimage import gaussian_filter

from tests.inner_loop import long
from tests.pictures import everywhere, flat, noisy, photograph

# Zhang & Wandell 1996, table 1: weight and spread in degrees, by channel; the weights are then scaled to 1
PAPER = (
    ((0.921, 0.0283), (0.105, 0.133), (-0.108, 4.336)),
    ((0.531, 0.0392), (0.330, 0.494)),
    ((0.488, 0.0536), (0.371, 0.386)),
)


def clipped(pixels):
    return np.clip(pixels, np.float32(0), np.float32(1))


def slow_lab(picture, pixels_per_degree):
    """The same by scipy in float64 at full size, straight from the paper."""
    opponent = np.clip(picture, 0, 1).astype(np.float64) @ (TO_OPPONENT @ TO_XYZ).T
    planes = [
        sum(
            weight * gaussian_filter(opponent[..., c], degrees * pixels_per_degree / np.sqrt(2), mode="reflect")
            for weight, degrees in PAPER[c]
        )
        / sum(weight for weight, _ in PAPER[c])
        for c in range(3)
    ]
    relative = np.stack(planes, axis=-1) @ (np.linalg.inv(TO_OPPONENT) / TO_XYZ.sum(axis=1)[:, None]).T
    f = np.where(relative > CUT, np.cbrt(np.maximum(relative, 0)), 7.787 * relative + 16 / 116)
    return np.stack([116 * f[..., 1], 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


class Known(unittest.TestCase):
    @long
    def test_the_fast_way_gives_what_the_slow_one_does(self):
        for name, density in (("astronaut", 60.0), ("coffee", 30.0), ("chelsea", 120.0)):
            picture = photograph(name)
            grain = noisy(picture, 0.1, 1)
            truth = np.sqrt(np.square(slow_lab(picture, density) - slow_lab(grain, density)).sum(axis=-1))
            (fast,) = visible_maps([picture, grain], clipped, density)
            self.assertAlmostEqual(float(fast.mean()) / truth.mean(), 1.0, delta=0.005, msg=name)
            self.assertLess(float(np.percentile(np.abs(fast - truth), 99)), 0.1 * truth.mean())

    def test_a_grey_step_is_the_difference_of_lightness(self):
        dark, light = flat(0.2, (240, 160)), flat(0.21, (240, 160))
        (shown,) = visible_maps([dark, light], clipped)
        # CIELAB lightness of greys: 116·Y^(1/3) − 16
        np.testing.assert_allclose(shown, 116 * (0.21 ** (1 / 3) - 0.2 ** (1 / 3)), rtol=1e-3)

    def test_fine_grain_is_seen_less_the_finer_it_is(self):
        picture = photograph()
        means = [
            float(visible_maps([picture, noisy(picture, 0.1, 1)], clipped, density)[0].mean())
            for density in (20.0, 60.0, 150.0)
        ]
        self.assertTrue(means[0] > means[1] > means[2], means)

    def test_several_pictures_are_each_held_against_the_first(self):
        first, second, third = (noisy(photograph(), 0.1, seed) for seed in (1, 2, 3))
        together = visible_maps([first, second, third], clipped)
        np.testing.assert_allclose(together[1], visible_maps([first, third], clipped)[0], atol=1e-4)

    def test_shares_and_percentile_are_of_the_map(self):
        delta = np.zeros((100, 100), dtype=np.float32)
        delta[:10] = 2.0
        delta[:3] = 5.0
        figure = visible_figure(delta, None, Region(everywhere(delta)), 60.0)
        self.assertAlmostEqual(figure.mean.value, 0.29, places=5)
        self.assertEqual((figure.above_1_percent, figure.above_3_percent, figure.p95), (10.0, 3.0, 2.0))
        self.assertIsNone(figure.own_noise)


class Display(unittest.TestCase):
    def test_plain_display_shows_light_as_it_is_up_to_white(self):
        picture = np.array([[[0.25, 1.5, -0.1]]], dtype=np.float32)
        np.testing.assert_allclose(display_light(picture), [[[0.25, 1.0, 0.0]]])
        np.testing.assert_allclose(display_light(picture, exposure=1.0), [[[0.5, 1.0, 0.0]]])

    def test_another_transform_is_the_library_s_own_decoded(self):
        picture = flat(0.18, (8, 8))
        toned = display_light(picture, "sRGB - Display / ACES 1.0 - SDR Video")
        self.assertNotAlmostEqual(float(toned[0, 0, 0]), 0.18, delta=0.01)
        self.assertTrue(0.0 < float(toned.min()) <= float(toned.max()) < 1.0)

    def test_code_values_are_those_of_the_standard(self):
        # IEC 61966-2-1: 0.5 is 188 of 255, 0.001 lies on the straight part
        values = code_values(np.array([[0.0, 0.001, 0.5, 1.0]], dtype=np.float32))
        np.testing.assert_allclose(values, [[0.0, 0.01292, 0.735357, 1.0]], atol=1e-5)
