"""Tansy, Sorrel and Sedge: what they agree on with known answers, and how each fails in its own way."""

import numpy as np

from demo.lantern_street.grey_ball import true_picture
from tests.standins.base import ROOT, STALL, StandinTest, floor_lit_by, scene

LANE = ROOT / "demo" / "scenes" / "mist-lane.json"
FEW = {
    "alder": {"samples": 3}, "tansy": {"gather_rays": 8, "direct_samples": 3},
    "sorrel": {"samples": 3, "focused_light": True, "photons": 20000}, "sedge": {"looks": 4, "screen_bounce": True},
}  # fmt: skip


class AllOfThem(StandinTest):
    def test_the_same_seed_gives_the_same_picture_at_any_thread_count(self):
        for program, settings in FEW.items():
            with self.subTest(program):
                one = self.render(program=program, threads=1, seed=3, **settings)
                np.testing.assert_array_equal(one, self.render(program=program, threads=2, seed=3, **settings))
                self.assertFalse(np.array_equal(one, self.render(program=program, threads=1, seed=4, **settings)))

    def test_a_crop_is_exactly_that_part_of_the_picture(self):
        for program, settings in FEW.items():
            with self.subTest(program):
                whole = self.render(program=program, **settings)
                part = self.render(program=program, crop="20,8,24,16", **settings)
                np.testing.assert_array_equal(part, whole[8:24, 20:44])

    def test_a_light_scale_of_two_doubles_the_picture(self):
        for program, settings in FEW.items():
            with self.subTest(program):
                plain, double = (self.render(program=program, light_scale=scale, **settings) for scale in (1, 2))
                np.testing.assert_allclose(double, 2.0 * plain, rtol=1e-5, atol=1e-7)

    def test_every_pass_of_a_definition_is_written(self):
        names = {"tansy": "direct,indirect,depth,normal,albedo,occlusion", "sorrel": "direct,indirect,focused,depth",
                 "sedge": "direct,indirect,depth,normal,albedo,occlusion"}  # fmt: skip
        for program, passes in names.items():
            with self.subTest(program):
                picture = self.render(program=program, passes=passes, **FEW[program])
                np.testing.assert_allclose(self.passes["direct"] + self.passes["indirect"], picture, atol=1e-5)
                self.assertGreater(self.passes["depth"].min(), 0.5)

    def test_the_test_ball_comes_out_as_its_closed_form_says(self):
        ball = ROOT / "demo" / "scenes" / "test-ball.json"
        truth = true_picture(64, 36)
        unit = {"tansy": np.pi}
        for program, tolerance in (("alder", 0.01), ("tansy", 0.02), ("sorrel", 0.01), ("sedge", 0.02)):
            with self.subTest(program):
                made = self.render(of=ball, view="front", program=program, **FEW[program]) * unit.get(program, 1.0)
                self.assertAlmostEqual(float(made[16:20, 30:34].mean()), 0.5, delta=0.5 * tolerance)
                self.assertAlmostEqual(float(made[:4].mean()), 1.0, delta=tolerance)
                self.assertLess(np.abs(made - truth).mean(), 0.02)

    def test_bad_calls_end_with_code_two_and_one_clear_line(self):
        for program in FEW:
            base = ["--scene", STALL, "--view", "counter", "--size", "16x9", "--output", self.folder / "o.exr"]
            for words, said in (
                (["--variant", "none"], "no variant 'none'"), (["--passes", "smell"], "there is no pass 'smell'"),
                (["--crop", "10,0,10,9"], "--crop reaches beyond"), (["--quantity", "x=1"], "no quantity 'x'"),
            ):  # fmt: skip
                with self.subTest(program=program, said=said):
                    done = self.call(*base, *words, program=program)
                    self.assertEqual(done.returncode, 2)
                    self.assertIn(said, done.stderr)
                    self.assertNotIn("Traceback", done.stderr)


class Tansy(StandinTest):
    program = "tansy"

    def test_its_light_unit_is_pi_times_weaker(self):
        lit = floor_lit_by(50.0, [1.2, 0, 1], 0.1)
        mine = self.render(lit, size="32x32", direct_samples=64)
        alder = self.render(lit, size="32x32", program="alder", samples=64)
        self.assertAlmostEqual(float(alder[8:24, 8:24].mean() / mine[8:24, 8:24].mean()), np.pi, delta=0.02 * np.pi)

    def test_few_gather_rays_are_blotchy_and_many_are_not(self):
        def blotches(rays):
            made = [
                self.render(view="shelf", passes="indirect", gather_rays=rays, direct_samples=4, seed=seed) is not None
                and self.passes["indirect"].mean(-1)
                for seed in (1, 2)
            ]
            return float(np.std(made[0] - made[1]) / np.mean(made))

        self.assertLess(blotches(256), 0.5 * blotches(8))

    def test_mist_needs_both_its_switches(self):
        few = {"of": LANE, "view": "lane", "gather_rays": 4, "direct_samples": 2}
        plain = self.render(**few)
        np.testing.assert_array_equal(self.render(**few, variant="clear-air"), plain)
        np.testing.assert_array_equal(self.render(**few, air=True), plain)
        np.testing.assert_array_equal(self.render(**few, air_steps=4), plain)
        self.assertFalse(np.array_equal(self.render(**few, air=True, air_steps=4), plain))


class Sorrel(StandinTest):
    program = "sorrel"

    def under_glass(self):
        lit = floor_lit_by(60.0, [0, 0, 1.5], 0.15)
        glass = {"kind": "glass", "refraction": 1.5, "absorption_per_metre": [0, 0, 0]}
        ball = {"kind": "sphere", "material": "glass", "centre": [0, 0, 0.3], "radius": 0.25}
        return {
            **lit, "materials": {**lit["materials"], "glass": glass}, "shapes": [*lit["shapes"], ball],
            "views": {"v": {"position": [0, -1.2, 0.25], "look_at": [0, 0, 0.1], "field_of_view_degrees": 40}},
        }  # fmt: skip

    def test_photons_bring_the_light_that_paths_find_by_chance(self):
        photons = {"bounces": 12, "focused_light": True, "photons": 400000, "samples": 64}
        both = []
        for seed in (1, 2):
            mine = self.render(self.under_glass(), size="32x32", passes="focused", seed=seed, **photons)
            self.assertGreater(self.passes["focused"].sum(), 0.05 * mine.sum())
            paths = {"program": "alder-1", "samples": 2000, "bounces": 12, "seed": seed}
            both.append((mine.mean(), self.render(self.under_glass(), size="32x32", **paths).mean()))
        mine, alder = np.mean(both, axis=0)
        self.assertAlmostEqual(float(mine / alder), 1.0, delta=0.02)

    def test_focused_light_needs_both_its_switches(self):
        few = {"of": self.under_glass(), "size": "24x24", "samples": 2}
        plain = self.render(**few)
        np.testing.assert_array_equal(self.render(**few, focused_light=True), plain)
        np.testing.assert_array_equal(self.render(**few, photons=9000), plain)
        self.assertGreater(self.render(**few, focused_light=True, photons=9000).mean(), 1.02 * plain.mean())


class Sedge(StandinTest):
    program = "sedge"

    def test_a_small_light_gives_the_analytic_irradiance(self):
        made = self.render(floor_lit_by(50.0, [1.2, 0, 1], 0.05), size="32x32", occlusion_rays=0)
        squared = 1.2**2 + 1.0
        expected = 0.8 / np.pi * np.pi * 0.05**2 * 50.0 / squared / np.sqrt(squared)
        self.assertAlmostEqual(float(made[14:18, 14:18].mean()) / expected, 1.0, delta=0.02)

    def test_a_fine_shadow_map_is_nearer_the_truth(self):
        lit = floor_lit_by(50.0, [0.8, 0.5, 2], 0.05)
        ball = {"kind": "sphere", "material": "floor", "centre": [0, 0, 0.4], "radius": 0.15}
        lit["shapes"].append(ball)
        truth = self.render(lit, size="48x48", program="alder", samples=64, bounces=1)
        coarse, fine = (
            float(np.abs(self.render(lit, size="48x48", shadow_resolution=n, shadow_blur=0) - truth).mean())
            for n in (16, 512)
        )
        self.assertLess(fine, 0.6 * coarse)

    def test_it_shows_only_the_sky_in_a_mirror(self):
        wall = scene(
            {"mirror": {"kind": "metal", "reflectance": [1, 1, 1], "roughness": 0.02},
             "ball": {"kind": "matte", "reflectance": [0, 0, 0]}},
            [{"kind": "rectangle", "material": "mirror", "corner": [-9, -9, 0], "edge_a": [18, 0, 0],
              "edge_b": [0, 18, 0]},
             {"kind": "sphere", "material": "ball", "centre": [0, 0, 8], "radius": 3.0}],
            sky=(1, 1, 1),
        )  # fmt: skip
        self.assertAlmostEqual(float(self.render(wall, size="16x16").mean()), 1.0, delta=0.01)
        self.assertLess(float(self.render(wall, size="16x16", program="alder").min()), 0.01)

    def test_screen_bounce_needs_occlusion_rays(self):
        plain = self.render(occlusion_rays=0)
        np.testing.assert_array_equal(self.render(occlusion_rays=0, screen_bounce=True), plain)
        lit = self.render(occlusion_rays=8, screen_bounce=True)
        self.assertFalse(np.array_equal(lit, self.render(occlusion_rays=8)))

    def test_history_makes_a_moving_light_lag(self):
        few = {"of": LANE, "view": "lane", "size": "64x36", "frame": 12, "looks": 1, "occlusion_rays": 0}
        now, lagging = self.render(**few), self.render(**few, history=3)
        before = self.render(**{**few, "frame": 11})
        moved = np.abs(now - before).max(-1) > 0.5 * np.abs(now - before).max()
        self.assertGreater(moved.sum(), 0)
        between = np.abs(lagging - now)[moved].mean() / np.abs(before - now)[moved].mean()
        self.assertTrue(0.2 < between < 1.2, between)
