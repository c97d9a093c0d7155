import json
import os
from typing import ClassVar

import numpy as np

from standins.kernel_cache import use_kernel_cache
from tests.standins.base import STALL, StandinTest, floor_lit_by, scene


class Alder(StandinTest):
    program = "alder"
    references: ClassVar = {}  # by program; the longest renders here

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
            picking: self.render(
                self.lit_floor(), size="48x48", samples=32, bounces=3, light_picking=picking, program="alder-1"
            )
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

    def error(self, program, samples):
        how = {"size": "48x48", "bounces": 2, "program": program}
        if program not in self.references:
            self.references[program] = self.render(self.lit_floor(), samples=1024, seed=99, **how)
        made = self.render(self.lit_floor(), samples=samples, **how)
        return float(np.sqrt(np.mean((made - self.references[program]) ** 2)))

    def test_version_1_s_noise_falls_with_the_square_root_of_the_samples(self):
        self.assertAlmostEqual(self.error("alder-1", 4) / self.error("alder-1", 64), 4.0, delta=0.6)

    def test_version_2_needs_fewer_samples_and_agrees_in_brightness(self):
        self.assertLess(self.error("alder", 64), 0.6 * self.error("alder-1", 64))
        one, two = (self.render(self.lit_floor(), samples=64, program=p).mean() for p in ("alder-1", "alder"))
        self.assertAlmostEqual(float(one / two), 1.0, delta=0.01)

    def test_each_version_says_which_it_is(self):
        self.assertEqual(self.call("--version").stdout.strip(), "Alder 2.0")
        self.assertEqual(self.call("--version", program="alder-1").stdout.strip(), "Alder 1.0")

    def test_direct_and_indirect_light_add_up_to_the_picture(self):
        picture = self.render(samples=4, passes="direct,indirect")
        np.testing.assert_allclose(self.passes["direct"] + self.passes["indirect"], picture, atol=1e-5)
        self.assertGreater(self.passes["indirect"].mean(), 0.02 * picture.mean())

    def test_depth_normal_albedo_and_occlusion_of_a_floor_are_what_they_are(self):
        self.render(floor_lit_by(5.0, [9, 9, 9], 0.1), size="16x16", samples=4, passes="depth,normal,albedo,occlusion")
        np.testing.assert_allclose(self.passes["depth"][..., 0], 4.0, rtol=1e-5)
        np.testing.assert_allclose(self.passes["normal"], np.broadcast_to([0, 0, 1], (16, 16, 3)), atol=1e-6)
        np.testing.assert_allclose(self.passes["albedo"], 0.8, rtol=1e-5)
        np.testing.assert_array_equal(self.passes["occlusion"], 1.0)

    def test_a_corner_is_darker_in_the_occlusion_pass(self):
        self.render(view="shelf", samples=8, passes="occlusion")
        openness = self.passes["occlusion"][..., 0]
        self.assertLess(openness.min(), 0.5)
        self.assertGreater(openness.max(), 0.95)

    def test_a_noise_target_stops_early_and_an_easy_picture_earliest(self):
        plain = self.render(self.lit_floor(), size="32x32", samples=256, bounces=1, noise_target=15, least_samples=8)
        passes = int(self.said.splitlines()[-3].split()[1])
        self.assertLess(passes, 200)
        np.testing.assert_allclose(
            plain.mean(), self.render(self.lit_floor(), size="32x32", samples=64).mean(), rtol=0.05
        )

    def test_least_samples_alone_do_nothing(self):
        np.testing.assert_array_equal(self.render(samples=6, least_samples=4), self.render(samples=6, least_samples=5))

    def test_the_denoiser_takes_noise_and_not_light(self):
        rough = self.render(view="shelf", samples=4)
        smooth = self.render(view="shelf", samples=4, denoise=True)
        self.assertAlmostEqual(float(smooth.mean() / rough.mean()), 1.0, delta=0.1)
        grain = [float(np.abs(np.diff(np.log(p.mean(-1) + 0.01), axis=1)).mean()) for p in (rough, smooth)]
        self.assertLess(grain[1], 0.6 * grain[0])

    def test_a_wide_filter_blurs_an_edge(self):
        edge = scene(
            {"lit": {"kind": "glow", "radiance": [1, 1, 1]}},
            [{"kind": "rectangle", "material": "lit", "corner": [0, -2, 0], "edge_a": [2, 0, 0], "edge_b": [0, 4, 0]}],
        )
        steps = [
            float(np.diff(self.render(edge, size="32x32", samples=64, filter_width=width).mean((0, 2))).max())
            for width in (0, 4)
        ]
        self.assertGreater(steps[0], 0.9)
        self.assertLess(steps[1], 0.6)

    def test_bounces_off_metal_are_counted_apart(self):
        wall = scene(
            {"mirror": {"kind": "metal", "reflectance": [1, 1, 1], "roughness": 0.02}},
            [{"kind": "rectangle", "material": "mirror", "corner": [-9, -9, 0], "edge_a": [18, 0, 0],
              "edge_b": [0, 18, 0]}],
            sky=(1, 1, 1),
        )  # fmt: skip
        self.assertAlmostEqual(float(self.render(wall, size="16x16", metal_bounces=1).mean()), 1.0, delta=0.01)
        self.assertEqual(float(self.render(wall, size="16x16", metal_bounces=0).max()), 0.0)

    def mist(self, density, albedo, sky=(0, 0, 0)):
        lit = scene(
            {"lit": {"kind": "glow", "radiance": [1, 1, 1]}},
            [{"kind": "rectangle", "material": "lit", "corner": [-9, -9, -1], "edge_a": [18, 0, 0],
              "edge_b": [0, 18, 0]}],
            sky=sky,
        )  # fmt: skip
        box = {"density_per_metre": density, "albedo": albedo, "low": [-50, -50, -0.5], "high": [50, 50, 2.5]}
        return {**lit, "mist": box}

    def test_mist_that_only_takes_light_follows_beer_s_law(self):
        picture = self.render(self.mist(0.4, 0.0), size="16x16", samples=256, bounces=4)
        self.assertAlmostEqual(float(picture[6:10, 6:10].mean()), np.exp(-0.4 * 3.0), delta=0.02)

    def test_mist_that_keeps_all_light_cannot_be_seen_in_even_light(self):
        picture = self.render(self.mist(0.4, 1.0, sky=(1, 1, 1)), size="16x16", samples=256, bounces=64)
        self.assertAlmostEqual(float(picture.mean()), 1.0, delta=0.02)

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
