import struct
import tempfile
import unittest
import zlib
from pathlib import Path

import numpy as np
from matchedpair.measures import check_file, stops
from matchedpair.measures.file_checks import check_identical

from tests.pictures import flat, textured, write


class FileChecks(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def codes(self, picture, kind="half", name="p.exr", size=None):
        _, found = check_file(write(self.folder / name, picture, kind), size)
        return [(check.code, check.severity) for check in found]

    def test_a_good_render_passes(self):
        self.assertEqual(self.codes(textured(), size=(320, 240)), [])

    def test_missing_file(self):
        picture, found = check_file(self.folder / "none.exr")
        self.assertIsNone(picture)
        self.assertEqual(found[0].code, "unreadable")
        self.assertIn("no such file", found[0].message)

    def test_truncated_file(self):
        path = write(self.folder / "p.exr", textured())
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
        picture, found = check_file(path)
        self.assertIsNone(picture)
        self.assertTrue(stops(found))

    def test_text_that_calls_itself_a_picture(self):
        path = self.folder / "p.exr"
        path.write_text("not a picture at all")
        self.assertEqual(check_file(path)[1][0].code, "unreadable")

    def test_huge_pictures_are_refused_before_decoding(self):
        header = struct.pack(">IIBBBBB", 60000, 60000, 8, 2, 0, 0, 0)
        chunk = b"IHDR" + header
        png = b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk))
        body = b"IDAT" + zlib.compress(b"\0" * 100)
        png += struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
        path = self.folder / "huge.png"
        path.write_bytes(png)
        _, found = check_file(path)
        self.assertEqual(found[0].code, "unreadable")
        self.assertRegex(found[0].message, "60000×60000|cannot|not a readable")

    def test_wrong_size_is_said_with_both_sizes(self):
        _, found = check_file(write(self.folder / "p.exr", textured()), (480, 270))
        self.assertEqual(found[0].message, "The picture is 320×240 pixels; 480×270 was asked for.")

    def test_no_colour_channels(self):
        self.assertEqual(self.codes(textured()[..., :1]), [("channels", "stop")])

    def test_a_few_invalid_pixels_warn_with_their_place(self):
        picture = textured()
        picture[7, 9, 1] = np.nan
        _, found = check_file(write(self.folder / "p.exr", picture))
        self.assertEqual((found[0].code, found[0].severity, found[0].places), ("not_finite", "warn", ((7, 9),)))
        self.assertIn("row 7, column 9", found[0].message)

    def test_many_invalid_pixels_stop(self):
        picture = textured()
        picture[:10] = np.inf
        self.assertEqual(self.codes(picture), [("not_finite", "stop")])

    def test_nothing_but_invalid_pixels(self):
        self.assertEqual(self.codes(np.full((8, 8, 3), np.nan, dtype=np.float32)), [("not_finite", "stop")])

    def test_black(self):
        self.assertEqual(self.codes(flat(0.0)), [("black", "stop")])

    def test_flat(self):
        self.assertEqual(self.codes(flat(0.4)), [("flat", "stop")])

    def test_negative_light(self):
        picture = textured()
        picture[0, 0] = -0.5
        self.assertEqual(self.codes(picture), [("negative", "warn")])

    def test_eight_bit_is_encoded_and_may_be_clipped(self):
        picture = np.clip(textured() * 4, 0, 1)
        self.assertEqual(self.codes(picture, "uint8", "p.png"), [("encoded", "stop"), ("clipped", "warn")])

    def test_bit_equal_pictures_are_named(self):
        picture, _ = check_file(write(self.folder / "p.exr", textured()))
        found = check_identical(picture, picture, "control seed 1")
        self.assertEqual(found[0].message, "The picture is bit-equal to control seed 1.")
        other, _ = check_file(write(self.folder / "q.exr", textured() * 2))
        self.assertEqual(check_identical(picture, other, "x"), [])
