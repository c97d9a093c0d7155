import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.errors import RefusedError
from matchedpair.measures import TwinNoise, Zone, noise_ratio
from matchedpair.measures.figure import Figure
from matchedpair.measures.light import Light
from matchedpair.measures.noise import VERSION, NoiseFigure
from matchedpair.measures.region import Region

from tests.inner_loop import long
from tests.pictures import everywhere, flat, noisy, textured


def measured(picture, relative, seeds=(1, 2)):
    return whole([noisy(picture, relative, seed) for seed in seeds])


def twins(pictures, valid=None):
    return TwinNoise(Light(pictures, everywhere(pictures[0]) if valid is None else valid))


def of(figure):
    """A noise figure without places."""
    return NoiseFigure(figure, figure, figure, None, 0.0, None)


def whole(pictures, valid=None):
    valid = everywhere(pictures[0]) if valid is None else valid
    return twins(pictures, valid).figure(Region(valid))


class KnownNoise(unittest.TestCase):
    def test_noise_of_a_flat_picture_is_within_three_percent(self):
        for relative in (0.02, 0.1, 0.3):
            figure = measured(flat(size=(320, 240)), relative)
            self.assertAlmostEqual(figure.noise.value / (100 * relative), 1.0, delta=0.03, msg=relative)

    def test_twin_noise_ignores_texture(self):
        figure = measured(textured(), 0.1)
        self.assertAlmostEqual(figure.noise.value, 10.0, delta=0.3)

    def test_half_the_noise_reads_as_half(self):
        control, trial = measured(textured(), 0.16), measured(textured(), 0.08, seeds=(3, 4))
        self.assertAlmostEqual(noise_ratio(control, trial).value, 0.5, delta=0.02)

    def test_more_seeds_give_the_same_figure(self):
        self.assertAlmostEqual(measured(textured(), 0.1, seeds=(1, 2, 3, 4)).noise.value, 10.0, delta=0.25)

    def test_every_seed_that_is_there_makes_it_surer(self):
        few, many = (measured(textured((160, 120)), 0.1, seeds=range(count)).total_error for count in (3, 9))
        self.assertLess(sum(many), 0.65 * sum(few))
        self.assertAlmostEqual(measured(textured(), 0.1, seeds=range(9)).total.value, 10.0, delta=0.15)

    def test_the_figure_says_how_it_was_got(self):
        noise = measured(flat(), 0.1).noise
        self.assertEqual((noise.unit, noise.method, noise.version), ("%", "twin", VERSION))

    @long
    def test_nine_of_ten_intervals_hold_the_truth(self):
        held = 0
        for seed in range(40):
            low, high = measured(textured(), 0.1, seeds=(2 * seed, 2 * seed + 1)).noise.interval
            held += low <= 10.0 <= high
        self.assertGreaterEqual(held, 36)

    @long
    def test_equal_noise_is_a_tie_in_nine_of_ten_cases(self):
        ties = 0
        for seed in range(40):
            control = measured(textured(), 0.1, seeds=(4 * seed, 4 * seed + 1))
            trial = measured(textured(), 0.1, seeds=(4 * seed + 2, 4 * seed + 3))
            ties += noise_ratio(control, trial).tie
        self.assertGreaterEqual(ties, 36)

    def test_a_clear_difference_is_no_tie(self):
        self.assertFalse(noise_ratio(measured(textured(), 0.1), measured(textured(), 0.08, seeds=(5, 6))).tie)

    def test_share_of_the_noisiest_pixels_finds_rare_bright_paths(self):
        first, second = noisy(flat(size=(320, 240)), 0.05, 1), noisy(flat(size=(320, 240)), 0.05, 2)
        self.assertLess(whole([first, second]).top_share, 0.02)
        first[100, 100] = 40.0
        self.assertGreater(whole([first, second]).top_share, 0.3)


class Invariance(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(scale=st.floats(min_value=1e-3, max_value=1e3))
    def test_brightness_does_not_change_relative_noise(self, scale):
        pair = [noisy(textured((96, 64)), 0.1, seed) for seed in (1, 2)]
        plain = whole(pair).noise.value
        scaled = whole([np.float32(scale) * each for each in pair]).noise.value
        self.assertAlmostEqual(scaled / plain, 1.0, delta=1e-3)

    @settings(max_examples=10, deadline=None)
    @given(
        width=st.integers(min_value=8, max_value=90), height=st.integers(min_value=8, max_value=90),
        flip=st.sampled_from([(slice(None, None, -1), slice(None)), (slice(None), slice(None, None, -1))]),
    )  # fmt: skip
    def test_flips_of_any_shape_leave_the_total_alone(self, width, height, flip):
        pair = [noisy(textured((width, height)), 0.1, seed) for seed in (1, 2)]
        plain = whole(pair)
        flipped = whole([np.ascontiguousarray(each[flip]) for each in pair])
        self.assertAlmostEqual(flipped.total.value / plain.total.value, 1.0, delta=1e-6)
        self.assertAlmostEqual(flipped.noise.value / plain.noise.value, 1.0, delta=0.1)

    def test_order_of_the_twins_does_not_matter(self):
        first, second = (noisy(textured(), 0.1, seed) for seed in (1, 2))
        one = whole([first, second]).noise.value
        self.assertAlmostEqual(one, whole([second, first]).noise.value, places=9)


class Zones(unittest.TestCase):
    def setUp(self):
        self.pair = []
        for seed in (1, 2):
            picture = noisy(flat(size=(320, 240)), 0.05, seed)
            picture[:, 160:] = noisy(flat(size=(160, 240)), 0.2, seed + 10)
            self.pair.append(picture)
        self.valid = np.ones((240, 320), dtype=bool)

    def test_each_zone_has_its_own_noise(self):
        noise = twins(self.pair, self.valid)
        calm = noise.figure(Region(Zone("calm", 10, 10, 130, 220).mask((320, 240))))
        rough = noise.figure(Region(Zone("rough", 180, 10, 130, 220).mask((320, 240))))
        self.assertAlmostEqual(calm.noise.value, 5.0, delta=0.25)
        self.assertAlmostEqual(rough.noise.value, 20.0, delta=0.9)

    def test_variance_of_the_whole_is_the_mean_of_its_halves(self):
        noise = twins(self.pair, self.valid)
        halves = [noise.total(Region(Zone("z", x, 0, 160, 240).mask((320, 240)))).value ** 2 for x in (0, 160)]
        self.assertAlmostEqual(noise.total(Region(self.valid)).value ** 2, sum(halves) / 2, places=6)

    def test_left_out_and_invalid_pixels_count_nowhere(self):
        valid = self.valid.copy()
        valid[:, 160:] = False
        self.pair[0][50, 200] = np.nan
        self.pair[1][:, 300:] = np.inf
        self.assertAlmostEqual(twins(self.pair, valid).figure(Region(self.valid & valid)).noise.value, 5.0, delta=0.25)

    def test_a_tiny_zone_has_no_places_and_gives_its_total_with_an_interval_as_wide_as_its_few_pixels(self):
        figure = twins(self.pair, self.valid).figure(Region(Zone("tiny", 5, 5, 12, 12).mask((320, 240))))
        self.assertIsNone(figure.places)
        self.assertEqual(figure.noise, figure.total)
        low, high = figure.noise.interval
        self.assertGreater((high - low) / figure.noise.value, 0.2)
        self.assertTrue(low < 5.0 < high)

    def test_a_zone_without_valid_pixels_is_refused(self):
        valid = self.valid.copy()
        valid[:50, :50] = False
        with self.assertRaisesRegex(RefusedError, "no valid pixel lies in this zone"):
            Region(Zone("gone", 0, 0, 40, 40).mask((320, 240)) & valid)


class Refusals(unittest.TestCase):
    def refused(self, pictures, words, valid=None):
        if valid is None:
            valid = np.ones(pictures[0].shape[:2], dtype=bool)
        with self.assertRaisesRegex(RefusedError, words):
            twins(pictures, valid)

    def test_bit_equal_twins_are_never_noise_zero(self):
        self.refused([noisy(flat(), 0.1, 1)] * 2, "same seed, noise unknown")

    def test_bit_equal_among_several_seeds_is_found(self):
        self.refused([noisy(flat(), 0.1, seed) for seed in (1, 2, 1)], "same seed, noise unknown")

    def test_one_picture_has_no_twin(self):
        self.refused([flat()], "another seed")

    def test_twins_of_other_sizes(self):
        self.refused([flat(), flat(size=(80, 60))], "160×120 and 80×60")

    def test_black_pictures(self):
        other = flat(0.0)
        other[3, 3] = -1e-4
        self.refused([flat(0.0), other], "black")

    def test_no_valid_pixel(self):
        self.refused([flat(0.1), flat(0.2)], "no valid pixel", np.zeros((120, 160), dtype=bool))

    def test_figures_of_other_methods_are_not_compared(self):
        control = measured(flat(), 0.1)
        single = of(Figure(10.0, "%", None, "single", VERSION))
        with self.assertRaisesRegex(RefusedError, "the trial has one seed alone"):
            noise_ratio(control, single)
        with self.assertRaisesRegex(RefusedError, "the control has one seed alone"):
            noise_ratio(single, control)
        with self.assertRaisesRegex(RefusedError, "got by twin, the trial's by reference"):
            noise_ratio(control, of(Figure(10.0, "%", None, "reference", VERSION)))

    def test_figures_of_other_versions_are_not_compared(self):
        control = measured(flat(), 0.1)
        older = of(Figure(10.0, "%", None, "twin", VERSION - 1))
        with self.assertRaisesRegex(RefusedError, "different versions"):
            noise_ratio(control, older)

    def test_a_ratio_without_interval_is_a_tie(self):
        control = of(Figure(10.0, "%", None, "twin", VERSION))
        trial = of(Figure(5.0, "%", None, "twin", VERSION))
        self.assertTrue(noise_ratio(control, trial).tie)
