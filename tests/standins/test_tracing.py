"""The compiled building blocks that all stand-ins share, each against what it must do."""

import unittest
from pathlib import Path

import numpy as np

from standins.kernel_cache import use_kernel_cache

use_kernel_cache()

from standins.sedge.kernels import map_direction, map_place  # noqa: E402 - numba reads its cache folder at first import
from standins.tracing.denoise import denoised  # noqa: E402
from standins.tracing.geometry import build_geometry, camera_rays  # noqa: E402
from standins.tracing.kernels import FAR, nearest_hit, stream_of, uniform  # noqa: E402
from standins.tracing.light_kernels import clamped, mist_span, passed_mist, pick_light  # noqa: E402
from standins.tracing.path_kernels import early_numbers, filtered, matte_direction, refracted  # noqa: E402
from standins.tracing.point_grid import build_grid  # noqa: E402
from standins.tracing.scene_file import SceneError, SceneFile, View, checked  # noqa: E402

DICE = np.random.default_rng(7)


def directions(count):
    made = DICE.normal(size=(count, 3))
    return made / np.linalg.norm(made, axis=1, keepdims=True)


def scene_file(shapes, materials=None):
    return SceneFile(
        "t", {"v": View((0.0, 0.0, 5.0), (0.0, 0.0, 0.0), 30.0)}, (0.0, 0.0, 0.0), (0.0, 0.0, 0.0),
        materials or {"m": {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]}}, shapes,
    )  # fmt: skip


class Numbers(unittest.TestCase):
    def test_a_stream_is_even_and_its_own_for_each_pixel_and_sample(self):
        values, seen = [], set()
        for pixel in range(40):
            for sample in range(25):
                state = np.uint64(stream_of(3, pixel, sample))
                seen.add(int(state))
                for _ in range(4):
                    state, value = uniform(np.uint64(state))
                    values.append(value)
        self.assertEqual(len(seen), 1000)
        counts = np.histogram(values, 10, (0, 1))[0]
        self.assertLess(np.abs(counts - 400).max(), 90)

    def test_even_numbers_fill_the_unit_better_than_independent_ones(self):
        worst = {}
        for even in (True, False):
            early = np.empty(7)
            gaps = []
            for pixel in range(20):
                places = []
                for sample in range(32):
                    early_numbers(early, 1, pixel, sample, even)
                    places.append(early[0])
                gaps.append(np.diff(np.sort(places)).max())
            worst[even] = np.mean(gaps)
        self.assertLess(worst[True], 0.5 * worst[False])

    def test_another_seed_starts_elsewhere(self):
        one, two = np.empty(7), np.empty(7)
        early_numbers(one, 1, 5, 0, True)
        early_numbers(two, 2, 5, 0, True)
        self.assertGreater(np.abs(one - two).max(), 0.01)

    def test_the_tent_filter_has_the_width_it_says_and_keeps_the_middle(self):
        places = np.array([filtered(u, 4.0) for u in np.linspace(0.0005, 0.9995, 1000)])
        self.assertAlmostEqual(places.mean(), 0.5, places=6)
        self.assertAlmostEqual(places.min(), -1.5, delta=0.1)
        self.assertAlmostEqual(places.std(), 4.0 / np.sqrt(24), delta=0.01)
        self.assertEqual(filtered(0.3, 0.0), 0.3)


class Directions(unittest.TestCase):
    def test_matte_directions_are_dense_as_the_cosine(self):
        normal = np.array([0.6, 0.0, 0.8])
        made = np.array([matte_direction(*normal, *DICE.random(2))[:3] for _ in range(4000)])
        np.testing.assert_allclose(np.linalg.norm(made, axis=1), 1.0, atol=1e-9)
        cosines = made @ normal
        self.assertGreater(cosines.min(), -1e-9)
        self.assertAlmostEqual(cosines.mean(), 2 / 3, delta=0.02)

    def test_glass_bends_by_snell_s_law_and_reflects_beyond_the_limit(self):
        angle = np.radians(40.0)
        into = np.array([np.sin(angle), 0.0, -np.cos(angle)])
        out = np.array(refracted(1.5, -np.cos(angle), 0.0, 0.0, 1.0, *into, 0.999))
        self.assertAlmostEqual(out[0], np.sin(angle) / 1.5, places=9)
        self.assertLess(out[2], 0.0)
        steep = np.radians(60.0)
        inside = np.array([np.sin(steep), 0.0, np.cos(steep)])
        back = np.array(refracted(1.5, np.cos(steep), 0.0, 0.0, 1.0, *inside, 0.999))
        np.testing.assert_allclose(back, [np.sin(steep), 0.0, -np.cos(steep)], atol=1e-9)

    def test_a_direction_survives_the_unfolded_square(self):
        for direction in directions(500):
            back = np.array(map_direction(*map_place(*direction)))
            np.testing.assert_allclose(back, direction, atol=1e-9)


class Light(unittest.TestCase):
    def test_lights_are_picked_as_often_as_they_weigh(self):
        places, powers = np.zeros((3, 4)), np.array([1.0, 2.0, 5.0])
        picked = np.zeros(3)
        for choice in (np.arange(8000) + 0.5) / 8000:
            light, chance, _ = pick_light(places, powers, 1, choice, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0)
            picked[light] += 1
            self.assertAlmostEqual(chance, powers[light] / 8.0)
        np.testing.assert_allclose(picked / 8000, powers / 8.0, atol=1e-3)

    def test_a_clamp_keeps_the_hue(self):
        r, g, b = clamped(10.0, 5.0, 1.0, 2.0)
        self.assertAlmostEqual(0.2126 * r + 0.7152 * g + 0.0722 * b, 2.0)
        self.assertAlmostEqual(r / g, 2.0)
        self.assertEqual(clamped(10.0, 5.0, 1.0, 0.0), (10.0, 5.0, 1.0))

    def test_mist_counts_only_inside_its_box(self):
        mist = np.array([0.5, 1.0, -1.0, -1.0, -1.0, 1.0, 1.0, 1.0])
        self.assertEqual(mist_span(mist, -5.0, 0.0, 0.0, 1.0, 0.0, 0.0, 100.0), (4.0, 6.0))
        self.assertEqual(mist_span(mist, -5.0, 0.0, 0.0, 1.0, 0.0, 0.0, 5.0), (4.0, 5.0))
        self.assertEqual(mist_span(mist, -5.0, 3.0, 0.0, 1.0, 0.0, 0.0, 100.0), (0.0, 0.0))
        self.assertEqual(mist_span(mist, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 100.0), (0.0, 1.0))
        self.assertAlmostEqual(passed_mist(mist, -5.0, 0.0, 0.0, 1.0, 0.0, 0.0, 100.0), np.exp(-1.0))


class Shapes(unittest.TestCase):
    def test_the_tree_finds_what_trying_every_shape_finds(self):
        spheres = [
            {"kind": "sphere", "material": "m", "centre": [float(v) for v in DICE.uniform(-2, 2, 3)], "radius": 0.2}
            for _ in range(60)
        ]
        geometry = build_geometry(scene_file(spheres))
        alone = [build_geometry(scene_file([sphere])) for sphere in spheres]
        stack = np.empty(64, np.int64)
        for direction in directions(60):
            ray = (0.0, 0.0, 5.0, *(direction * [1, 1, -1] if direction[2] > 0 else direction))
            found, _ = nearest_hit(geometry, *ray, FAR, False, stack)
            every = min(nearest_hit(each, *ray, FAR, False, stack)[0] for each in alone)
            self.assertEqual(found, every)

    def test_a_box_is_closed_and_looks_outward(self):
        box = {"kind": "box", "material": "m", "centre": [0, 0, 0], "size": [1, 2, 3], "turn_degrees": 30.0}
        geometry = build_geometry(scene_file([box]))
        stack = np.empty(64, np.int64)
        for direction in directions(100):
            t, shape = nearest_hit(geometry, 0.0, 0.0, 0.0, *direction, FAR, False, stack)
            self.assertLess(t, 2.0)
            self.assertGreater(geometry.shape_data[shape, 9:12] @ direction, 0.0)

    def test_the_camera_sees_its_field_of_view(self):
        camera = camera_rays(View((0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 40.0), 160, 90)
        self.assertAlmostEqual(np.linalg.norm(camera[3]), np.tan(np.radians(20.0)))
        self.assertAlmostEqual(np.linalg.norm(camera[2]) / np.linalg.norm(camera[3]), 16 / 9)
        with self.assertRaisesRegex(SceneError, "must look at a place other than its own"):
            camera_rays(View((0.0, 0.0, 4.0), (0.0, 0.0, 4.0), 40.0), 16, 9)

    def test_bad_mist_is_said(self):
        raw = {
            "views": {"v": {"position": [0, 0, 1], "look_at": [0, 0, 0], "field_of_view_degrees": 30}},
            "sky": {"horizon": [0, 0, 0], "zenith": [0, 0, 0]}, "shapes": [{"kind": "sphere", "material": "m"}],
            "materials": {"m": {"kind": "matte"}},
        }  # fmt: skip
        for mist, words in (
            (3, '"mist" must be an object'),
            ({"density_per_metre": "thick"}, "must be a finite number"),
        ):
            with self.assertRaisesRegex(SceneError, words):
                checked({**raw, "mist": mist}, Path())


class Structures(unittest.TestCase):
    def test_the_grid_lists_every_point_once_in_its_own_cell(self):
        points = DICE.uniform(-3, 3, (500, 3))
        grid = build_grid(points, 0.7)
        self.assertEqual(sorted(grid.order), list(range(500)))
        self.assertEqual(grid.starts[-1], 500)
        for cell in range(len(grid.starts) - 1):
            for point in grid.order[grid.starts[cell] : grid.starts[cell + 1]]:
                at = ((points[point] - grid.low) / grid.cell).astype(int)
                self.assertEqual((at[0] * grid.dims[1] + at[1]) * grid.dims[2] + at[2], cell)

    def test_a_grid_of_nothing_and_one_of_far_points_stay_small(self):
        self.assertEqual(len(build_grid(np.zeros((0, 3)), 0.1).order), 0)
        far = build_grid(np.array([[0.0, 0.0, 0.0], [1e4, 1e4, 1e4]]), 0.01)
        self.assertLess(len(far.starts), 2_100_000)
        self.assertEqual(len(far.order), 2)

    def test_the_denoiser_keeps_an_edge_that_a_guide_shows(self):
        light = np.full((32, 32, 3), 0.4)
        albedo = np.full((32, 32, 3), 0.8)
        albedo[:, 16:] = 0.2
        light[:, 16:] = 0.1
        rough = light * (1 + 0.3 * DICE.normal(size=(32, 32, 1)))
        normal = np.broadcast_to([0.0, 0.0, 1.0], (32, 32, 3))
        smooth = denoised(rough, normal, albedo, 1.0)
        self.assertLess(smooth[:, 2:14].std(), 0.4 * rough[:, 2:14].std())
        self.assertGreater(smooth[:, 15].mean() - smooth[:, 16].mean(), 0.25)
