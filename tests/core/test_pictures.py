import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from matchedpair.elsewhere.facts import Facts
from matchedpair.elsewhere.header import header_facts
from matchedpair.errors import PictureError
from matchedpair.pictures import luminance, picture_file, read_picture, write_exr
from matchedpair.textures import read_map

from tests.pictures import textured, write


class Pictures(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_what_is_written_is_read_back_to_half_precision(self):
        path = self.folder / "p.exr"
        write_exr(path, textured())
        read = read_picture(path)
        np.testing.assert_array_equal(read.pixels, textured().astype(np.float16).astype(np.float32))
        self.assertEqual((read.size, read.floating, read.bits), ((320, 240), True, 16))

    def test_full_floats_stay_exact(self):
        path = self.folder / "p.exr"
        write_exr(path, textured(), half=False)
        np.testing.assert_array_equal(read_picture(path).pixels, textured())

    def test_writing_leaves_no_unfinished_file(self):
        write_exr(self.folder / "p.exr", textured())
        self.assertEqual([p.name for p in self.folder.iterdir()], ["p.exr"])

    def test_wrong_shapes_are_not_written(self):
        with self.assertRaisesRegex(PictureError, r"shape \(H, W, 3\), got \(240, 320, 2\)"):
            write_exr(self.folder / "p.exr", textured()[..., :2])
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_map_of_one_channel_comes_back_as_it_was(self):
        values = np.arange(30 * 40, dtype=np.float32).reshape(30, 40)
        values[3, 7] = np.nan
        write_exr(self.folder / "map.exr", values)
        again = read_picture(self.folder / "map.exr")
        self.assertEqual(again.channels, ("Y",))
        np.testing.assert_array_equal(again.pixels[..., 0], values)

    def test_transparent_and_infinite_pixels_are_not_valid(self):
        picture = np.ones((4, 5, 4), dtype=np.float32)
        picture[1, 2, 3] = 0.0
        picture[3, 4, 0] = np.inf
        read = read_picture(write(self.folder / "p.exr", picture))
        self.assertEqual([tuple(map(int, place)) for place in np.argwhere(~read.valid)], [(1, 2), (3, 4)])

    def test_what_lies_around_the_display_window_is_no_part_of_the_picture(self):
        around = np.pad(textured(), ((16, 16), (16, 16), (0, 0)), mode="edge")
        for tile in (0, 64):
            path = write(self.folder / f"over{tile}.exr", around, "float", at=(-16, -16), display=(320, 240), tile=tile)
            read = read_picture(path)
            np.testing.assert_array_equal(read.pixels, textured())
            np.testing.assert_array_equal(read_picture(path, in_window=True).pixels, textured())

    def test_a_picture_without_its_empty_borders_is_put_at_its_place_and_a_small_part_stays_one(self):
        path = write(self.folder / "most.exr", textured()[20:200, 40:290], "float", at=(40, 20), display=(320, 240))
        np.testing.assert_array_equal(read_picture(path).pixels, textured()[20:200, 40:290])
        placed = read_picture(path, in_window=True)
        inside = np.zeros((240, 320), bool)
        inside[20:200, 40:290] = True
        small = write(self.folder / "part.exr", textured()[40:100, 200:290], at=(200, 40), display=(320, 240))
        self.assertEqual(read_picture(small, in_window=True).size, (90, 60))
        np.testing.assert_array_equal(placed.valid, inside)
        np.testing.assert_array_equal(placed.pixels[inside], textured()[inside])

    def test_a_window_that_shows_nothing_is_refused_and_an_absurd_one_passed_over(self):
        away = write(self.folder / "away.exr", textured(), at=(500, 0), display=(320, 240))
        with self.assertRaisesRegex(PictureError, "outside its own display window"):
            read_picture(away)
        absurd = write(self.folder / "absurd.exr", textured(), display=(1 << 20, 1 << 20))
        self.assertEqual(read_picture(absurd, in_window=True).size, (320, 240))

    def test_what_is_stored_around_the_window_counts_for_what_is_absurd(self):
        path = write(self.folder / "wide.exr", textured(), at=(-150, -110), display=(20, 20))
        self.assertEqual(read_picture(path).size, (20, 20))
        with (
            mock.patch.object(picture_file, "MAX_PIXELS", 320 * 240 - 1),
            self.assertRaisesRegex(PictureError, "320×240"),
        ):
            read_picture(path)

    def test_one_channel_becomes_grey(self):
        read = read_picture(write(self.folder / "p.exr", textured()[..., :1]))
        np.testing.assert_array_equal(read.pixels[..., 0], read.pixels[..., 2])

    def test_luminance_is_rec_709_in_double_precision(self):
        y = luminance(np.array([[[1, 0, 0], [0, 1, 0], [0, 0, 1]]], dtype=np.float32))
        np.testing.assert_allclose(y, [[0.2126, 0.7152, 0.0722]])
        self.assertEqual(y.dtype, np.float64)

    def test_a_file_whose_error_quotes_bytes_that_are_no_text_is_refused_like_any_other(self):
        path = self.folder / "bad.exr"
        path.write_bytes(b"v/1\x01\x02\0\0\0ca\xe9\0int\0\xff\xff\xff\xff")
        with self.assertRaisesRegex(PictureError, "not a readable picture"):
            read_picture(path)
        self.assertEqual(header_facts(path), Facts())
        with self.assertRaises(PictureError):
            read_map(self.folder, path.name)
