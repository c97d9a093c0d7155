import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from matchedpair.errors import InputError
from matchedpair.pictures import read_picture
from matchedpair.pictures.panorama import panorama_figures

from tests.pictures import write


def sky(height=180, azimuth=40.0, elevation=30.0, radius=4.0, colour=(50.0, 25.0, 10.0), background=0.1):
    """A grey sky with one disc of light; angles in degrees."""
    width = 2 * height
    up = np.pi * (0.5 - (np.arange(height) + 0.5) / height)[:, None]
    around = 2 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)[None, :]
    a, e = np.radians(azimuth), np.radians(elevation)
    cosine = np.sin(up) * np.sin(e) + np.cos(up) * np.cos(e) * np.cos(around - a)
    light = np.full((height, width, 3), background, dtype=np.float32)
    light[cosine > np.cos(np.radians(radius))] = colour
    return light


class Panoramas(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "sky.exr"

    def figures(self, pixels):
        return panorama_figures(read_picture(write(self.path, pixels)))

    def test_direction_size_colour_and_share_of_a_known_light(self):
        found = self.figures(sky())
        self.assertAlmostEqual(found.azimuth_degrees, 40.0, delta=0.3)
        self.assertAlmostEqual(found.elevation_degrees, 30.0, delta=0.3)
        self.assertAlmostEqual(found.main_light_degrees, 8.0, delta=1.2)
        np.testing.assert_allclose(found.main_light_rgb, (1.0, 0.5, 0.2), atol=0.02)
        cap = 2 * np.pi * (1 - np.cos(np.radians(4.0)))
        y = 0.2126 * 50 + 0.7152 * 25 + 0.0722 * 10
        share = y * cap / (y * cap + 0.1 * (4 * np.pi - cap))
        self.assertAlmostEqual(found.main_light_share, share, delta=0.03)
        self.assertAlmostEqual(found.brightest_to_darkest, y / 0.1, delta=0.02 * y / 0.1)
        self.assertAlmostEqual(found.stops, np.log2(y / 0.1), delta=0.05)

    def test_a_light_across_the_edge_is_one_light(self):
        found = self.figures(sky(azimuth=179.0))
        self.assertAlmostEqual(abs(found.azimuth_degrees), 179.0, delta=0.5)
        self.assertAlmostEqual(found.main_light_degrees, 8.0, delta=1.2)

    def test_a_light_overhead_is_overhead(self):
        self.assertGreater(self.figures(sky(elevation=89.0)).elevation_degrees, 87.0)

    def test_a_second_light_is_not_the_main_one(self):
        both = np.maximum(sky(), sky(azimuth=-90.0, elevation=10.0, colour=(20.0, 20.0, 20.0)))
        self.assertAlmostEqual(self.figures(both).azimuth_degrees, 40.0, delta=0.3)

    def test_a_range_that_is_cut_off_is_told(self):
        self.assertTrue(self.figures(sky()).clipped)
        dice = np.random.default_rng(2)
        varied = sky() * dice.uniform(0.9, 1.0, (180, 360, 1)).astype(np.float32)
        self.assertFalse(self.figures(varied).clipped)

    def test_what_is_no_panorama_is_said(self):
        with self.assertRaisesRegex(InputError, "twice as wide as high; this picture has 180 × 180"):
            self.figures(sky()[:, :180])
        with self.assertRaisesRegex(InputError, "the panorama is black"):
            self.figures(sky() * 0)
        path = self.path.with_suffix(".png")
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(8, 4, 3, "uint8"))
        output.write_image(np.full((4, 8, 3), 99, np.uint8))
        output.close()
        with self.assertRaisesRegex(InputError, "must hold linear light"):
            panorama_figures(read_picture(path))
