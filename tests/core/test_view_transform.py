import tempfile
import unittest
from pathlib import Path

import numpy as np
from matchedpair.errors import InputError
from matchedpair.pictures.view_transform import SHADER_FUNCTION, ViewTransforms

PLAIN = "sRGB - Display / Un-tone-mapped"
FILM = "sRGB - Display / ACES 1.0 - SDR Video"


class Transforms(unittest.TestCase):
    def setUp(self):
        self.transforms = ViewTransforms()
        self.light = np.random.default_rng(1).uniform(0.0, 1.0, (20, 30, 3)).astype(np.float32)

    def test_the_plain_one_is_the_srgb_curve(self):
        expected = np.where(
            self.light <= 0.0031308, 12.92 * self.light, 1.055 * np.maximum(self.light, 1e-9) ** (1 / 2.4) - 0.055
        )
        np.testing.assert_allclose(self.transforms.apply(self.light, PLAIN), expected, atol=2e-4)
        self.assertEqual(self.transforms.default, PLAIN)

    def test_exposure_is_in_stops(self):
        np.testing.assert_allclose(
            self.transforms.apply(self.light / 4, FILM, 2.0), self.transforms.apply(self.light, FILM), atol=1e-5
        )

    def test_undoing_gives_the_light_back(self):
        for name in (PLAIN, FILM):
            shown = self.transforms.apply(0.5 * self.light, name)
            np.testing.assert_allclose(self.transforms.undo(shown, name), 0.5 * self.light, atol=0.02, err_msg=name)

    def test_every_transform_comes_as_a_shader_with_the_tables_it_names(self):
        for name in self.transforms.names:
            shader = self.transforms.shader(name)
            self.assertIn(f"vec4 {SHADER_FUNCTION}(vec4 inPixel)", shader.text, name)
            self.assertEqual(shader.text.count("uniform sampler"), len(shader.textures), name)
            for table in shader.textures:
                self.assertIn(table.sampler, shader.text)
                size = table.width * table.height * max(table.depth, 1) * table.channels
                self.assertEqual((table.values.dtype, table.values.size), (np.float16, size), name)

    def test_a_display_s_name_stands_for_its_plain_view(self):
        for words in ("sRGB", "srgb", "sRGB - Display / Un-tone-mapped"):
            self.assertEqual(self.transforms.meant(words), "sRGB - Display / Un-tone-mapped")
        self.assertEqual(self.transforms.meant("rec709"), "Rec.1886 Rec.709 - Display / Un-tone-mapped")
        for words in ("p3", "", " - ", "cosy"):
            with self.assertRaisesRegex(InputError, "there are sRGB - Display"):
                self.transforms.meant(words)

    def test_what_is_not_there_is_said(self):
        with self.assertRaisesRegex(InputError, "no view transform 'Warm / Cosy'; there are sRGB - Display"):
            self.transforms.apply(self.light, "Warm / Cosy")
        with self.assertRaisesRegex(InputError, "no view transform 'sRGB'"):
            self.transforms.shader("sRGB")

    def test_a_studio_s_own_configuration_is_used(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "config.ocio"
            path.write_text(
                "ocio_profile_version: 2\nroles:\n  default: lin_rec709\n  scene_linear: lin_rec709\n"
                "displays:\n  QueueState:\n    - !<View> {name: Doubled, colorspace: doubled}\n"
                "colorspaces:\n  - !<ColorSpace>\n    name: lin_rec709\n"
                "  - !<ColorSpace>\n    name: doubled\n    from_scene_reference: !<MatrixTransform> "
                "{matrix: [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1]}\n"
            )
            studio = ViewTransforms(str(path))
            self.assertEqual((studio.names, studio.default), (("QueueState / Doubled",), "QueueState / Doubled"))
            np.testing.assert_allclose(studio.apply(self.light, "QueueState / Doubled"), 2 * self.light, rtol=1e-5)
            path.write_text("colour: none")
            with self.assertRaisesRegex(InputError, "cannot be used"):
                ViewTransforms(str(path))
