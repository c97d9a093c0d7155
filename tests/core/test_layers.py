"""Which layer of a file is its picture."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from matchedpair.elsewhere import file_facts
from matchedpair.errors import InputError, PictureError
from matchedpair.pictures import read_picture
from matchedpair.pictures.layers import colour_of

from tests.pictures import textured, write, write_layered


class Layers(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_red_green_and_blue_are_found_whatever_stands_before_them(self):
        for channels, colour, alpha in (
            ("A B G R", [3, 2, 1], 0),
            ("B G R Z", [2, 1, 0], None),
            ("rgba.A rgba.B rgba.G rgba.R", [3, 2, 1], 0),
            ("depth.Z glow.B glow.G glow.R", [3, 2, 1], None),
            ("a.diffuse.B a.diffuse.G a.diffuse.R a.Combined.B a.Combined.G a.Combined.R", [5, 4, 3], None),
            ("B G R beauty.B beauty.G beauty.R", [2, 1, 0], None),
            ("Y", [0, 0, 0], None),
            ("x y z", [0, 1, 2], None),
        ):
            with self.subTest(channels):
                self.assertEqual(colour_of(tuple(channels.split())), (colour, alpha))

    def test_where_nobody_can_say_it_is_asked(self):
        channels = ("key.B", "key.G", "key.R", "rim.B", "rim.G", "rim.R")
        with self.assertRaisesRegex(InputError, "say which layer is the picture: key, rim"):
            colour_of(channels)
        self.assertEqual(colour_of(channels, "rim"), ([5, 4, 3], None))
        with self.assertRaisesRegex(InputError, "has no layer 'fill' in colour"):
            colour_of(channels, "fill")

    def test_a_layer_is_read_as_it_was_written(self):
        key, rim = textured((40, 30)), 2 * textured((40, 30))
        path = write_layered(self.folder / "made.exr", {"key": key, "rim": rim}, "float")
        np.testing.assert_array_equal(read_picture(path, "rim").pixels, rim)
        with self.assertRaisesRegex(PictureError, "say which layer"):
            read_picture(path)
        beauty = write_layered(self.folder / "beauty.exr", {"albedo": rim, "beauty": key}, "float")
        np.testing.assert_array_equal(read_picture(beauty).pixels, key)

    def test_a_file_says_how_it_is_stored(self):
        layered = write_layered(self.folder / "made.exr", {"": textured((40, 30)), "rim": textured((40, 30))})
        self.assertEqual(file_facts(layered).storage, "EXR, half float, piz")
        self.assertEqual(file_facts(layered).layers, ("", "rim"))
        self.assertEqual(file_facts(write(self.folder / "a.png", textured((40, 30)), "uint16")).storage, "PNG, 16 bits")
