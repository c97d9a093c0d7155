import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
from matchedpair.pictures import read_picture

from standins.kernel_cache import use_kernel_cache

ROOT = Path(__file__).parents[2]
STALL = ROOT / "demo" / "scenes" / "marble-stall.json"
ALDER = str(Path(sys.executable).parent / "alder")


def scene(materials, shapes, sky=(0.0, 0.0, 0.0), position=(0, 0, 4)):
    return {
        "format": 1, "name": "t", "sky": {"horizon": list(sky), "zenith": list(sky)}, "materials": materials,
        "views": {"v": {"position": list(position), "look_at": [0, 0, 0], "field_of_view_degrees": 20}},
        "shapes": shapes,
    }  # fmt: skip


class Alder(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def call(self, *words):
        return subprocess.run([ALDER, *map(str, words)], capture_output=True, text=True, check=False)

    def render(self, of=STALL, view="counter", size="64x36", **settings):
        if isinstance(of, dict):
            path = self.folder / "scene.json"
            path.write_text(json.dumps(of))
            of, view = path, "v"
        output = self.folder / "out.exr"
        words = [word for name, value in settings.items() for word in (f"--{name.replace('_', '-')}", value)]
        done = self.call("--scene", of, "--view", view, "--size", size, "--output", output, *words)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.said = done.stdout
        return read_picture(output).pixels

    def test_the_same_seed_gives_the_same_picture_at_any_thread_count(self):
        one = self.render(samples=3, seed=5, threads=1)
        np.testing.assert_array_equal(one, self.render(samples=3, seed=5, threads=2))
        self.assertFalse(np.array_equal(one, self.render(samples=3, seed=6)))

    def test_it_prints_ready_and_progress(self):
        self.render(samples=3)
        lines = self.said.splitlines()
        self.assertRegex(lines[0], r"^ready after \d")
        self.assertIn("pass 3 of 3", lines)

    def test_a_surface_lit_evenly_from_all_sides_sends_back_its_reflectance(self):
        ball = [{"kind": "sphere", "material": "grey", "centre": [0, 0, 0], "radius": 1}]
        grey = {"grey": {"kind": "matte", "reflectance": [0.5, 0.25, 0.1]}}
        picture = self.render(scene(grey, ball, sky=(1, 1, 1)), size="32x32", samples=64, bounces=16)
        np.testing.assert_allclose(picture[12:20, 12:20].mean((0, 1)), [0.5, 0.25, 0.1], rtol=0.01)

    def test_clear_glass_in_even_light_cannot_be_seen(self):
        ball = [{"kind": "sphere", "material": "glass", "centre": [0, 0, 0], "radius": 1}]
        glass = {"glass": {"kind": "glass", "refraction": 1.5, "absorption_per_metre": [0, 0, 0]}}
        picture = self.render(scene(glass, ball, sky=(1, 1, 1)), size="32x32", samples=16, bounces=64)
        np.testing.assert_allclose(picture, 1.0, rtol=2e-3)

    def lit_floor(self):
        materials = {
            "floor": {"kind": "matte", "reflectance": [0.8, 0.8, 0.8]},
            "lamp": {"kind": "glow", "radiance": [50, 50, 50]}, "weak": {"kind": "glow", "radiance": [2, 2, 2]},
        }  # fmt: skip
        shapes = [
            {"kind": "rectangle", "material": "floor", "corner": [-2, -2, 0], "edge_a": [4, 0, 0], "edge_b": [0, 4, 0]},
            {"kind": "sphere", "material": "lamp", "centre": [1.2, 0, 1], "radius": 0.1},
            {"kind": "sphere", "material": "weak", "centre": [-1.2, 0, 1], "radius": 0.2},
        ]
        return scene(materials, shapes)

    def test_a_ball_of_light_over_a_floor_gives_the_analytic_irradiance(self):
        picture = self.render(self.lit_floor(), size="32x32", samples=128, bounces=1)
        y, x = 1.2**2 + 1.0, 1.0
        expected = 0.8 / np.pi * sum(
            np.pi * r * r * radiance / y * (x / np.sqrt(y)) for r, radiance in ((0.1, 50.0), (0.2, 2.0))
        )  # fmt: skip
        self.assertAlmostEqual(float(picture[14:18, 14:18].mean()) / expected, 1.0, delta=0.02)

    def test_a_large_light_close_by_is_counted_once(self):
        """Right under a glowing ball of radius R at distance d a surface gets π·L·(R/d)²."""
        materials = {
            "floor": {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]}, "lamp": {"kind": "glow", "radiance": [2, 2, 2]},
        }  # fmt: skip
        shapes = [
            {
                "kind": "rectangle",
                "material": "floor",
                "corner": [-9, -9, 0],
                "edge_a": [18, 0, 0],
                "edge_b": [0, 18, 0],
            },
            {"kind": "sphere", "material": "lamp", "centre": [0, 0, 1.5], "radius": 1.0},
        ]
        under = scene(materials, shapes, position=(4, 0, 1))
        under["views"]["v"]["field_of_view_degrees"] = 0.5
        picture = self.render(under, size="16x16", samples=256, bounces=1)
        self.assertAlmostEqual(float(picture.mean()) / (0.5 * 2.0 * (1.0 / 1.5) ** 2), 1.0, delta=0.01)

    def test_all_ways_of_picking_lights_agree_in_brightness_but_not_in_noise(self):
        made = {
            picking: self.render(self.lit_floor(), size="48x48", samples=32, bounces=3, light_picking=picking)
            for picking in ("uniform", "power", "estimate")
        }
        means = {name: float(picture.mean()) for name, picture in made.items()}
        for name, mean in means.items():
            self.assertAlmostEqual(mean / means["uniform"], 1.0, delta=0.01, msg=name)
        rough, fine = (float(np.std(made[name][16:32, 16:32] / made[name].mean())) for name in ("uniform", "estimate"))
        self.assertLess(fine, 0.9 * rough)

    def test_each_setting_changes_the_picture_as_it_says(self):
        plain = self.render(samples=8)
        self.assertLess(self.render(samples=8, indirect_clamp=0.5).mean(), 0.99 * plain.mean())
        dark = self.render(view="shelf", samples=8, bounces=1)
        self.assertLess(dark.mean(), 0.9 * self.render(view="shelf", samples=8, bounces=8).mean())

    def test_noise_falls_with_the_square_root_of_the_samples(self):
        reference = self.render(self.lit_floor(), size="48x48", samples=1024, bounces=2, seed=99)
        errors = [
            float(
                np.sqrt(np.mean((self.render(self.lit_floor(), size="48x48", samples=n, bounces=2) - reference) ** 2))
            )
            for n in (4, 64)
        ]
        self.assertAlmostEqual(errors[0] / errors[1], 4.0, delta=0.6)

    def test_bad_calls_end_with_code_two_and_no_traceback(self):
        (self.folder / "broken.json").write_text("{")
        (self.folder / "empty.json").write_text(json.dumps(scene({"m": {"kind": "jelly"}}, [{}])))
        base = ["--view", "counter", "--size", "16x9", "--output", self.folder / "o.exr"]
        cases = [
            (["--scene", self.folder / "none.json", *base], "cannot read scene"),
            (["--scene", self.folder / "broken.json", *base], "is not JSON"),
            (["--scene", self.folder / "empty.json", *base], "material 'm': \"kind\" must be one of matte"),
            (["--scene", STALL, *base, "--view", "roof"], "no view 'roof'; it has counter, shelf"),
            (["--scene", STALL, *base, "--samples", "0"], "must be between 1 and 65536"),
            (["--scene", STALL, *base, "--indirect-clamp", "-1"], "must be 0 or more"),
            (["--scene", STALL, *base, "--size", "big"], "must be like 480x270"),
            (["--scene", STALL, *base, "--output", self.folder / "no" / "o.exr", "--samples", "1"], "cannot write"),
            ([], "--scene is needed"),
        ]
        for words, said in cases:
            with self.subTest(said):
                done = self.call(*words)
                self.assertEqual(done.returncode, 2, done)
                self.assertIn(said, done.stderr)
                self.assertNotIn("Traceback", done.stderr)

    def test_kernels_are_kept_where_they_can_be_written(self):
        before = os.environ.get("NUMBA_CACHE_DIR")
        try:
            os.environ.pop("NUMBA_CACHE_DIR", None)
            os.environ["XDG_CACHE_HOME"] = str(self.folder)
            self.assertTrue(use_kernel_cache().is_relative_to(self.folder))
        finally:
            os.environ.pop("XDG_CACHE_HOME", None)
            os.environ.pop("NUMBA_CACHE_DIR", None)
            if before:
                os.environ["NUMBA_CACHE_DIR"] = before
