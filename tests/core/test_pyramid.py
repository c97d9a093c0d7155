import tempfile
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.errors import PictureError
from matchedpair.pictures import write_exr
from matchedpair.pictures.pyramid import TILE, PyramidShape, pyramid_of, pyramid_shape, read_tile
from matchedpair.pictures.pyramid_kernels import to_halves

from tests.pictures import textured, write


class Pyramid(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def cut(self, picture, kind="half"):
        target = self.folder / "p.tiles"
        made = pyramid_of(write(self.folder / "p.exr", picture, kind))
        made.write(target)
        return made.shape, target

    def level(self, shape, path, level):
        """A whole level put together from its tiles, shape (H, W, 4)."""
        width, height = shape.levels[level]
        whole = np.zeros((height, width, 4), dtype=np.float32)
        for row in range(-(-height // TILE)):
            for column in range(-(-width // TILE)):
                left, top, wide, high = shape.box(level, column, row)
                tile = np.frombuffer(read_tile(path, level, column, row), dtype="<f2").reshape(high, wide, 4)
                whole[top : top + high, left : left + wide] = tile
        return whole

    def test_the_full_size_is_the_file_to_the_last_bit(self):
        picture = textured((TILE + 37, TILE + 5))
        shape, path = self.cut(picture)
        self.assertEqual(shape.levels, ((549, 517), (275, 259)))
        full = self.level(shape, path, 0)
        np.testing.assert_array_equal(full[..., :3], picture.astype(np.float16))
        self.assertTrue((full[..., 3] == 1).all())
        made = pyramid_of(self.folder / "p.exr")
        for place in ((0, 0, 0), (0, 1, 1), (1, 0, 0)):
            self.assertEqual(made.tile(*place), read_tile(path, *place))

    def test_each_level_is_the_mean_of_the_one_before(self):
        picture = np.random.default_rng(1).uniform(0, 4, (1100, 1301, 3)).astype(np.float32)
        shape, path = self.cut(picture)
        self.assertEqual(len(shape.levels), 3)
        full, half = self.level(shape, path, 0), self.level(shape, path, 1)
        means = full[:1100, :1300, :3].reshape(550, 2, 650, 2, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(half[:550, :650, :3], means, rtol=6e-4)
        edge = full[:1100, 1300, :3].reshape(550, 2, 3).mean(axis=1)
        np.testing.assert_allclose(half[:550, 650, :3], edge, rtol=6e-4)

    def test_invalid_pixels_spoil_no_mean_and_stay_to_be_seen(self):
        picture = np.full((TILE, TILE * 2, 3), 2.0, dtype=np.float32)
        picture[10, 20] = np.nan
        picture[30:32, 40:42] = np.inf
        shape, path = self.cut(picture)
        full, half = self.level(shape, path, 0), self.level(shape, path, 1)
        self.assertEqual((full[10, 20, 3], full[30, 41, 3], full[11, 20, 3]), (0, 0, 1))
        self.assertEqual(half[5, 10].tolist(), [2, 2, 2, 0.75])
        self.assertEqual(half[15, 20, 3], 0)
        self.assertEqual(half[6, 10].tolist(), [2, 2, 2, 1])

    def test_where_alpha_is_0_nothing_counts(self):
        picture = np.ones((8, 8, 4), dtype=np.float32)
        picture[2, 3, 3] = 0
        shape, path = self.cut(picture)
        self.assertEqual(self.level(shape, path, 0)[2, 2:4, 3].tolist(), [1, 0])

    def test_one_channel_becomes_grey_and_single_floats_become_halves(self):
        write_exr(self.folder / "map.exr", np.full((20, 30), -1.25, dtype=np.float32))
        made = pyramid_of(self.folder / "map.exr")
        made.write(self.folder / "map.tiles")
        self.assertEqual(self.level(made.shape, self.folder / "map.tiles", 0)[3, 4].tolist(), [-1.25, -1.25, -1.25, 1])
        picture = np.random.default_rng(2).uniform(0, 1e6, (9, 9, 3)).astype(np.float32)
        shape, path = self.cut(picture, "float")
        expected = np.clip(picture, 0, 65504).astype(np.float16)
        np.testing.assert_array_equal(self.level(shape, path, 0)[..., :3], expected)

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.floats(width=32, allow_nan=False, allow_infinity=False), min_size=1, max_size=30))
    def test_halves_are_rounded_as_numpy_rounds_them(self, values):
        floats = np.array(values, dtype=np.float32).reshape(1, -1, 1)
        bits = np.empty(floats.shape, dtype=np.uint16)
        to_halves(floats, bits)
        expected = np.clip(floats, -65504, 65504).astype(np.float16)
        np.testing.assert_array_equal(bits.view(np.float16), expected)

    @given(st.integers(1, 20000), st.integers(1, 20000))
    def test_tiles_follow_each_other_without_gap_to_the_end_of_the_file(self, width, height):
        shape = PyramidShape(width, height)
        end = 16
        for level, (wide, high) in enumerate(shape.levels):
            for row in range(-(-high // TILE)):
                for column in range(-(-wide // TILE)):
                    self.assertEqual(shape.offset(level, column, row), end)
                    _, _, own_width, own_height = shape.box(level, column, row)
                    end += 8 * own_width * own_height
        self.assertEqual(end, shape.bytes)
        self.assertLessEqual(max(shape.levels[-1]), TILE)

    def test_what_is_no_tile_is_refused(self):
        shape, path = self.cut(textured((64, 48)))
        for level, column, row in ((1, 0, 0), (0, 1, 0), (0, 0, 1), (0, -1, 0)):
            with self.assertRaisesRegex(IndexError, "there is no"):
                read_tile(path, level, column, row)
        path.write_bytes(path.read_bytes()[:-1])
        with self.assertRaisesRegex(PictureError, "no whole file of tiles"):
            pyramid_shape(path)
        self.assertEqual(shape.bytes, 16 + 8 * 64 * 48)

    def test_a_broken_picture_is_said(self):
        (self.folder / "broken.exr").write_bytes(b"not a picture")
        with self.assertRaisesRegex(PictureError, "not a readable picture"):
            pyramid_of(self.folder / "broken.exr")

    def test_a_file_that_cannot_be_written_leaves_nothing(self):
        made = pyramid_of(write(self.folder / "p.exr", textured((40, 30))))
        (self.folder / "out.tiles").mkdir()
        with self.assertRaises(OSError):
            made.write(self.folder / "out.tiles")
        self.assertEqual(list(self.folder.glob(".part-*")), [])
