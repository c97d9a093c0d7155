import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.errors import RefusedError
from matchedpair.measures.region import Region, block_error
from matchedpair.measures.table import Table
from matchedpair.pictures.filters import (
    OCTAVES,
    blur_power,
    blurs,
    coarser_bands,
    filled,
    finest_bands,
    white_power,
    wide_gauss,
)
from matchedpair.pictures.strips import in_strips, maps_in_strips
from scipy.ndimage import gaussian_filter

SHAPES = st.tuples(st.integers(1, 70), st.integers(1, 70))


class Sums(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(shape=SHAPES, seed=st.integers(0, 99), share=st.floats(0.05, 1.0))
    def test_mean_values_and_blocks_agree_with_numpy(self, shape, seed, share):
        dice = np.random.default_rng(seed)
        plane = dice.random(shape, dtype=np.float32)
        mask = dice.random(shape) < share
        mask[dice.integers(shape[0]), dice.integers(shape[1])] = True
        region = Region(mask)
        self.assertAlmostEqual(region.mean(plane), float(plane[mask].mean(dtype=np.float64)), places=6)
        self.assertEqual(region.count, int(mask.sum()))
        np.testing.assert_array_equal(np.sort(region.values(plane)), np.sort(plane[mask]))
        np.testing.assert_array_equal(region.mask, mask)
        sums, counts = region.blocks(plane, 4), region.counts(4)
        self.assertLessEqual(counts.sum(), mask.sum())
        cut = mask[region.top :, region.left :][: 4 * counts.shape[0], : 4 * counts.shape[1]]
        self.assertAlmostEqual(counts.sum(), cut.sum(), places=3)
        inside = np.where(cut, plane[region.top :, region.left :][: cut.shape[0], : cut.shape[1]], 0)
        self.assertAlmostEqual(sums.sum(), float(inside.sum()), places=2)

    @settings(max_examples=20, deadline=None)
    @given(shape=st.tuples(st.integers(40, 90), st.integers(40, 90)), seed=st.integers(0, 99))
    def test_a_union_of_zones_has_the_mean_of_its_parts_by_size(self, shape, seed):
        plane = np.random.default_rng(seed).random(shape, dtype=np.float32)
        whole = np.ones(shape, dtype=bool)
        part = np.zeros(shape, dtype=bool)
        part[: shape[0] // 3, : shape[1] // 2] = True
        parts = [Region(part), Region(whole & ~part)]
        together = sum(each.mean(plane) * each.count for each in parts) / whole.sum()
        self.assertAlmostEqual(Region(whole).mean(plane), together, places=6)

    def test_nothing_inside_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "no valid pixel"):
            Region(np.zeros((4, 4), dtype=bool))

    def test_an_invalid_value_outside_plays_no_part(self):
        plane = np.ones((20, 20), dtype=np.float32)
        plane[3, 3] = np.nan
        mask = np.ones((20, 20), dtype=bool)
        mask[3, 3] = False
        region = Region(mask)
        self.assertEqual((region.mean(plane), region.blocks(plane, 4).sum()), (1.0, 399.0))

    def test_error_of_a_mean_is_that_of_independent_blocks_and_ignores_a_slope(self):
        errors = []
        for seed in range(20):
            plane = np.random.default_rng(seed).standard_normal((320, 320)).astype(np.float32)
            plane += np.linspace(0, 40, 320, dtype=np.float32)[None, :]
            errors.append(block_error(plane, Region(np.ones((320, 320), dtype=bool)), 32))
        slope_in_a_step = 40 / 10 / np.sqrt(2 * 100 * 2)  # what is left of it: one step a block, half of the steps
        self.assertLess(float(np.mean(errors)), 1 / 320 + 1.2 * slope_in_a_step)
        self.assertGreater(float(np.mean(errors)), 1 / 320)

    def test_too_few_blocks_have_no_error(self):
        self.assertIsNone(block_error(np.ones((40, 40), dtype=np.float32), Region(np.ones((40, 40), dtype=bool)), 32))


class Tables(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(width=st.integers(8, 300), height=st.integers(8, 200), side=st.sampled_from([8, 16]))
    def test_cells_cover_every_pixel_once_in_at_most_twelve_by_eight(self, width, height, side):
        if min(width, height) < side:
            return
        found = Table(Region(np.ones((height, width), dtype=bool)), side).cells
        count = np.zeros((height, width), dtype=int)
        for cell in found:
            x, y, wide, high = cell.box
            count[y : y + high, x : x + wide] += 1
            self.assertTrue(cell.column < 12 and cell.row < 8 and wide >= side and high >= side)
        self.assertTrue((count == 1).all())

    @settings(max_examples=30, deadline=None)
    @given(
        width=st.integers(16, 150), height=st.integers(16, 110), left_out=st.integers(0, 60), seed=st.integers(0, 99),
        side=st.sampled_from([8, 16]),
    )  # fmt: skip
    def test_sums_of_all_cells_are_those_of_each(self, width, height, left_out, seed, side):
        dice = np.random.default_rng(seed)
        picture = dice.random((height, width, 3), dtype=np.float32)
        mask = dice.random((height, width)) < 0.97
        mask[:left_out, : width // 2] = False
        mask[-1, -1] = True
        try:
            table = Table(Region(mask), side)
        except RefusedError:
            return
        means = table.means(picture)
        counts, sums = table.counts(rest=False), table.blocks(picture[..., 0], rest=False)
        apart = table.by_cell(sums, counts > 30, rest=False)
        for number, (x, y, wide, high) in enumerate(cell.box for cell in table.cells):
            inside = mask[y : y + high, x : x + wide]
            own = picture[y : y + high, x : x + wide]
            self.assertGreaterEqual(4 * inside.sum(), inside.size // 4 * 4)
            np.testing.assert_allclose(means[number], own[inside].mean(axis=0, dtype=np.float64), rtol=1e-5)
            alone = Region(inside, corner=(y, x), shape=mask.shape)
            wanted = alone.blocks(picture[..., 0], 8)[alone.counts(8) > 30]
            np.testing.assert_allclose(apart[number], wanted, rtol=1e-5)


class Blurs(unittest.TestCase):
    def test_octaves_of_white_noise_have_the_power_that_their_kernels_say(self):
        plane = np.random.default_rng(3).standard_normal((1200, 1600)).astype(np.float32)
        finest, second, halved = finest_bands(plane)
        edges = (0.0, *OCTAVES)
        found = [finest, second, *(band.plane for band in coarser_bands(halved))]
        for number, band in enumerate(found[:5]):
            power = float(np.square(band).mean(dtype=np.float64)) / white_power(edges[number], edges[number + 1])
            self.assertAlmostEqual(power, 1.0, delta=0.05, msg=edges[number])
        for level in blurs(plane, (2.0, 4.0)):
            power = float(np.square(level.plane).mean(dtype=np.float64)) / blur_power(level.sigma)
            self.assertAlmostEqual(power, 1.0, delta=0.06)

    def test_a_wide_blur_is_the_plain_one(self):
        plane = np.random.default_rng(3).random((300, 420), dtype=np.float32)
        plane[100:180, 150:300] += 2.0
        np.testing.assert_allclose(
            wide_gauss(plane, 20.0)[40:-40, 40:-40],
            gaussian_filter(plane, 20.0, mode="reflect")[40:-40, 40:-40],
            atol=0.02,
        )

    def test_holes_are_filled_from_what_is_known_alone(self):
        plane = np.full((60, 80), 2.0, dtype=np.float32)
        plane[:, 40:] = 5.0
        plane[20:30, 60:70] = np.nan
        known = np.isfinite(plane)
        np.testing.assert_allclose(filled(plane, known)[20:30, 60:70], 5.0, rtol=1e-5)
        spoiled = np.where(known, plane, 1e6).astype(np.float32)
        np.testing.assert_array_equal(filled(spoiled, known), filled(plane, known))


class Strips(unittest.TestCase):
    @settings(max_examples=8, deadline=None)
    @given(height=st.integers(257, 700), width=st.integers(16, 60))
    def test_strips_give_what_the_whole_gives(self, height, width):
        plane = np.random.default_rng(height).random((height, width), dtype=np.float32)

        def blur(part):
            return gaussian_filter(part, 2.0, truncate=3, mode="reflect").astype(np.float32)

        np.testing.assert_allclose(in_strips(blur, [plane], 8), blur(plane), atol=1e-6)
        whole, half = maps_in_strips(lambda part: [blur(part), blur(part)[::2, ::2]], [plane], 8)
        np.testing.assert_allclose(half, whole[::2, ::2], atol=1e-6)
