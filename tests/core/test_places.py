import unittest
from dataclasses import replace

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.light import Light
from matchedpair.measures.noise import TwinNoise, noise_ratio, total_noise_ratio
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.places import LEAST_PLACES, Places, place_ratio, ratio_map
from matchedpair.measures.region import Region

from tests.inner_loop import long
from tests.pictures import everywhere, flat, grainy, noisy, patchy, photograph, textured

SIZE = (320, 240)


def rare(picture, samples, seed, often=2e-5, bright=60):
    """Normal noise, and few paths that are sixty times as bright: at so few samples two seeds share none of them."""
    dice = np.random.default_rng(seed)
    paths = bright * dice.poisson(often * samples, picture.shape[:2]) / samples
    factor = 1 + 0.3 * dice.standard_normal(picture.shape[:2]) / np.sqrt(samples) + paths
    return (picture * factor[..., None]).astype(np.float32)


def lamps(samples, seed):
    """Bright lamps that are nearly without noise over a dark and noisy place."""
    picture = np.full((240, 320), 0.02)
    picture[40:60, 50:90], picture[150:170, 200:240] = 20.0, 30.0
    relative = np.where(picture > 1, 0.02, 1.0) / np.sqrt(samples)
    noise = np.random.default_rng(seed).standard_normal(picture.shape)
    return np.repeat((picture * (1 + relative * noise))[..., None], 3, axis=2).astype(np.float32)


def uneven(picture, relative, seed):
    """Noise that grows twentyfold from left to right."""
    growth = np.geomspace(0.2, 4.0, picture.shape[1])[None, :, None]
    noise = np.random.default_rng(seed).standard_normal((*picture.shape[:2], 1))
    return (picture * (1 + relative * growth * noise)).astype(np.float32)


def figure(pictures):
    return TwinNoise(Light(pictures, everywhere(pictures[0]))).figure(Region(everywhere(pictures[0])))


def ratio(make, control, trial, of=noise_ratio, how=()):
    both = ((control, (1, 2)), (trial, (3, 4)))
    sides = [figure([make(value, seed, *how) for seed in seeds]) for value, seeds in both]
    return of(*sides)


class KnownRatios(unittest.TestCase):
    """Half the noise on each: the truth is 0.5."""

    def cases(self):
        return {
            "white": lambda n, seed: noisy(textured(SIZE), 1 / np.sqrt(n), seed),
            "skewed": lambda n, seed: grainy(textured(SIZE), 1 / np.sqrt(n), seed),
            "rare bright paths": lambda n, seed: rare(textured(SIZE), n, seed),
            "lamps in the dark": lamps,
            "uneven": lambda n, seed: uneven(textured(SIZE), 0.5 / np.sqrt(n), seed),
        }

    def test_half_the_noise_reads_as_half_whatever_rules_the_mean(self):
        for name, make in self.cases().items():
            found = ratio(make, 64, 256)
            self.assertAlmostEqual(found.value, 0.5, delta=0.025, msg=name)
            self.assertFalse(found.tie, name)
            self.assertEqual(found.method, "places")
            self.assertLess(found.spread.noisier, 0.02, name)

    @long
    def test_bright_paths_in_most_places_spoil_no_ratio(self):
        """At four times the samples each place has a path or three, where one in four had one: leaving out only the
        highest pixel, or nothing, the side with more samples would read as the noisier one."""
        for often, bright in ((2e-5, 60), (6e-5, 60), (6e-5, 300), (2e-4, 60), (2e-4, 300)):
            found = ratio(lambda n, seed, *how: rare(textured(SIZE), n, seed, *how), 64, 256, how=(often, bright))
            self.assertAlmostEqual(found.value, 0.5, delta=0.03, msg=(often, bright))
            self.assertTrue(found.interval[0] <= 0.5 <= found.interval[1], (often, bright, found))
            equal = ratio(lambda n, seed, *how: rare(textured(SIZE), n, seed, *how), 64, 64, how=(often, bright))
            self.assertTrue(equal.interval[0] <= 1.0 <= equal.interval[1], (often, bright, equal))
            four = [
                figure([rare(textured(SIZE), n, seed, often, bright) for seed in range(first, first + 4)])
                for n, first in ((64, 1), (256, 5))
            ]
            found = noise_ratio(*four)
            self.assertAlmostEqual(found.value, 0.5, delta=0.03, msg=(often, bright))
            self.assertTrue(found.interval[0] <= 0.5 <= found.interval[1], (often, bright, found))

    def test_paths_that_alone_became_fewer_count(self):
        """The trial has a quarter of the bright paths and all of the grain: both readings are within the interval."""
        found = [
            figure([rare(textured(SIZE), 64, seed, often, 60) for seed in seeds])
            for often, seeds in ((1e-4, (1, 2)), (2.5e-5, (3, 4)))
        ]
        ratio_of_both = noise_ratio(*found)
        self.assertLess(ratio_of_both.value, 0.8)
        self.assertTrue(ratio_of_both.interval[0] < 0.75 and ratio_of_both.interval[1] > 1.0, ratio_of_both)

    def test_places_are_kept_with_all_their_readings_and_older_ones_without(self):
        places = figure([rare(textured(SIZE), 64, seed, 6e-5, 60) for seed in (1, 2)]).places
        again = Places.unpack(places.pack())
        self.assertGreater(float(places.apart.max()), 0.5)
        for name in ("apart", "whole"):
            self.assertLess(float(np.abs(getattr(again, name) - getattr(places, name)).max()), 0.011, name)
        for name in ("standing", "standing_error", "standing_share"):
            self.assertAlmostEqual(getattr(again, name), getattr(places, name), places=5, msg=name)
        self.assertEqual((again.side, again.logs.shape), (places.side, places.logs.shape))
        plain = Places.unpack(replace(places, apart=None).pack())
        self.assertIsNone(plain.apart)
        self.assertTrue(np.array_equal(plain.logs, again.logs))
        for end in (29, -1):
            with self.assertRaises(ValueError):
                Places.unpack(places.pack()[:end])
        with_one_more = (
            np.array([-8, 0, 0, 2], "<i4").tobytes()
            + np.array([0.1, 1, 0], "<f4").tobytes()
            + bytes(np.array([0.5, 1.0, 1.5, 2.0], "<f2").tobytes() + bytes([0, 50, 100, 150]))
        )
        older = Places.unpack(with_one_more)
        self.assertEqual((older.side, older.apart.tolist(), older.whole), (8, [[0, 1], [2, 3]], None))
        with self.assertRaises(ValueError):
            Places.unpack(with_one_more[:-1])

    def test_what_stands_out_less_is_within_the_interval_and_equal_samples_stay_narrow(self):
        weak = (6e-5, 20)
        found = ratio(lambda n, seed, *how: rare(textured(SIZE), n, seed, *how), 64, 256, how=weak)
        self.assertTrue(found.interval[0] <= 0.5 <= found.interval[1], found)
        equal = ratio(lambda n, seed, *how: rare(textured(SIZE), n, seed, *how), 64, 64, how=weak)
        self.assertTrue(equal.tie, equal)
        self.assertLess(equal.interval[1] - equal.interval[0], 0.1)

    def test_noise_that_is_made_of_seldom_hits_is_no_rare_path(self):
        def seldom(samples, seed):
            hits = np.random.default_rng(seed).binomial(samples, 0.03, (SIZE[1], SIZE[0])) / (0.03 * samples)
            return np.repeat(hits[..., None], 3, axis=2).astype(np.float32)

        self.assertAlmostEqual(ratio(seldom, 16, 64).value, 0.5, delta=0.02)

    def test_equal_noise_is_a_tie(self):
        for name, make in self.cases().items():
            found = ratio(make, 64, 64)
            self.assertTrue(found.tie, (name, found))
            self.assertLess(max(found.spread.noisier, found.spread.cleaner), 0.05, name)

    def test_patches_widen_the_interval_that_single_pixels_would_have(self):
        grain = ratio(lambda n, seed: noisy(flat(0.5, SIZE), 1 / np.sqrt(n), seed), 400, 1600)
        patches = ratio(lambda n, seed: patchy(flat(0.5, SIZE), 1 / np.sqrt(n), 6, seed), 400, 1600)
        width = [found.interval[1] - found.interval[0] for found in (grain, patches)]
        self.assertGreater(width[1], 3 * width[0])
        self.assertTrue(patches.interval[0] < 0.5 < patches.interval[1])

    def test_where_it_is_noisier_is_told(self):
        control = [noisy(flat(0.5, SIZE), 0.1, seed) for seed in (1, 2)]
        trial = [noisy(flat(0.5, SIZE), 0.05, seed) for seed in (3, 4)]
        for seed, picture in enumerate(trial):
            picture[:60] = noisy(flat(0.5, (320, 60)), 0.3, 10 + seed)
        found = noise_ratio(figure(control), figure(trial))
        self.assertAlmostEqual(found.value, 0.52, delta=0.04)
        self.assertAlmostEqual(found.spread.noisier, 0.25, delta=0.02)
        self.assertAlmostEqual(found.spread.ninetieth, 3.0, delta=0.5)
        shown = PairMeasures.of(control, trial, everywhere(control[0])).layer("cleaner")
        self.assertAlmostEqual(float(np.median(shown[:56])), np.log2(3.0), delta=0.15)
        self.assertAlmostEqual(float(np.median(shown[64:])), -1.0, delta=0.15)


class Levels(unittest.TestCase):
    def test_a_typical_place_reads_its_own_noise_in_grain_and_in_patches(self):
        for name, make, off in (
            ("white", lambda seed: noisy(textured(SIZE), 0.1, seed), 0.3),
            ("patches", lambda seed: patchy(flat(0.5, SIZE), 0.1, 4, seed), 1.0),
        ):
            self.assertAlmostEqual(figure([make(seed) for seed in (1, 2, 3, 4)]).noise.value, 10.0, delta=off, msg=name)

    def test_the_worst_tenth_is_where_it_is_noisiest_and_that_of_even_noise_is_no_more_than_the_typical(self):
        even = figure([noisy(flat(0.5, SIZE), 0.1, seed) for seed in (1, 2)])
        self.assertAlmostEqual(even.worst.value / even.noise.value, 1.0, delta=0.06)
        rough = figure([uneven(flat(0.5, SIZE), 0.1, seed) for seed in (1, 2)])
        self.assertAlmostEqual(rough.noise.value, 100 * 0.1 * np.sqrt(0.2 * 4.0), delta=0.9)
        self.assertAlmostEqual(rough.worst.value, 100 * 0.1 * 0.2 * 20**0.9, delta=3.0)

    def test_rare_bright_paths_are_in_the_total_alone(self):
        calm = figure([noisy(flat(0.5, SIZE), 0.3 / 8, seed) for seed in (1, 2)])
        spiked = figure([rare(flat(0.5, SIZE), 64, seed) for seed in (1, 2)])
        self.assertAlmostEqual(spiked.noise.value / calm.noise.value, 1.0, delta=0.05)
        self.assertGreater(spiked.total.value, 1.2 * calm.total.value)
        self.assertGreater(total_noise_ratio(calm, spiked).interval[0], 1.0)

    @long
    def test_the_total_s_interval_holds_under_patches_and_uneven_noise(self):
        for name, make in (
            ("patches", lambda seed: patchy(flat(0.5, SIZE), 0.05, 6, seed)),
            ("uneven", lambda seed: uneven(flat(0.5, SIZE), 0.05, seed)),
        ):
            totals = [figure([make(2 * seed), make(2 * seed + 1)]).total for seed in range(12)]
            truth = np.sqrt(np.mean([each.value**2 for each in totals]))
            held = sum(each.interval[0] <= truth <= each.interval[1] for each in totals)
            self.assertGreaterEqual(held, 10, name)
            width = np.mean([each.interval[1] - each.interval[0] for each in totals]) / truth / 2
            self.assertLess(width, 6 * np.std([each.value for each in totals]) / truth + 0.03, name)


class Refused(unittest.TestCase):
    def test_places_survive_packing(self):
        found = figure([noisy(flat(0.5, SIZE), 0.1, seed) for seed in (1, 2)]).places
        again = Places.unpack(found.pack())
        self.assertEqual((again.side, again.top, again.left, again.logs.shape), (8, 0, 0, (30, 40)))
        self.assertLess(float(np.abs(again.logs - found.logs).max()), 0.002)

    def test_too_few_places_that_show_noise_are_refused(self):
        quiet = Places(8, 0, 0, np.full((10, 10), -np.inf, dtype=np.float32))
        with self.assertRaisesRegex(RefusedError, "neither side shows any noise"):
            place_ratio(quiet, quiet, 1)
        some = quiet.logs.copy()
        some[:6] = np.log(0.1)
        with_noise = Places(8, 0, 0, some, 0.1)
        self.assertEqual(place_ratio(with_noise, with_noise, 1, least=1e-3).spread.quiet, 100 - LEAST_PLACES)

    def test_places_of_other_sizes_are_not_compared(self):
        logs = np.zeros((10, 10), dtype=np.float32)
        with self.assertRaisesRegex(RefusedError, "places of other sizes"):
            place_ratio(Places(8, 0, 0, logs), Places(4, 0, 0, logs), 1)


class Eyes(unittest.TestCase):
    def test_patches_of_the_same_noise_are_seen_more_than_grain(self):
        control = [noisy(photograph(), 0.05, seed) for seed in (1, 2)]
        trial = [patchy(photograph(), 0.05, 4, seed) for seed in (3, 4)]
        zone = PairMeasures.of(control, trial, everywhere(control[0])).zone(everywhere(control[0]))
        self.assertAlmostEqual(zone.noise_ratio.value, 1.0, delta=0.12)
        self.assertGreater(zone.visible_noise_ratio.interval[0], 1.5)


class WhichReading(unittest.TestCase):
    """Two readings of each place: −0.5 with nothing left out, −0.4 without what stands out, as logarithms."""

    def side(self, log, whole, apart, standing, share, error=0.05):
        planes = [np.full((10, 10), value, np.float32) for value in (log, apart, whole)]
        return Places(8, 0, 0, planes[0], 0.1, 1.0, 0.0, *planes[1:], standing, error, share)

    def setUp(self):
        self.control = self.side(0.0, 0.4, 0.1, 0.0, 0.3)

    def trial(self, standing=-0.4, share=0.5, error=0.05):
        return self.side(-0.2, 0.1, 0.3, standing, share, error)

    def value(self, *sides):
        return float(np.log(place_ratio(*sides, 1).value))

    def test_what_stands_out_is_left_out_where_it_fell_as_the_rest_did_and_is_in_more_places(self):
        self.assertAlmostEqual(self.value(self.control, self.trial()), -0.4, places=5)
        self.assertAlmostEqual(self.value(self.trial(), self.control), 0.4, places=5)
        found = place_ratio(self.control, self.trial(), 1)
        self.assertLess(found.interval[1], np.exp(-0.3))
        less = self.trial(standing=0.0)  # what stands out fell less, as far as it may
        self.assertAlmostEqual(self.value(self.control, less), -0.4, places=5)
        self.assertAlmostEqual(self.value(less, self.control), 0.4, places=5)

    def test_else_nothing_is_and_the_interval_holds_both(self):
        cases = {
            "it fell far more than the rest": self.trial(standing=-1.2),
            "it fell far less": self.trial(standing=0.4),
            "it is in no more places": self.trial(share=0.3),
            "how much it fell is not known": self.trial(error=0.3),
            "nothing stands out": self.trial(standing=float("nan"), error=float("nan"), share=0.0),
        }
        for name, trial in cases.items():
            with self.subTest(name):
                found = place_ratio(self.control, trial, 1)
                self.assertAlmostEqual(float(np.log(found.value)), -0.5, places=5)
                self.assertTrue(found.interval[0] < np.exp(-0.5) and found.interval[1] > np.exp(-0.4), found)
                self.assertAlmostEqual(self.value(trial, self.control), 0.5, places=5)

    def test_the_map_shows_the_same_reading(self):
        for trial, log in ((self.trial(), -0.4), (self.trial(standing=-1.2), -0.5)):
            shown = ratio_map(self.control, trial)
            self.assertAlmostEqual(float(np.median(shown.logs)), log / np.log(2), places=5)

    def test_sides_measured_earlier_are_read_as_they_were(self):
        earlier = replace(self.trial(), whole=None)
        self.assertAlmostEqual(self.value(self.control, earlier), -0.2, places=5)
