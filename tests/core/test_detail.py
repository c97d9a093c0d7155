import unittest

import numpy as np
from matchedpair.measures.detail import Detail
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region
from matchedpair.measures.zones import Zone

from tests.pictures import blurred, everywhere, flat, noisy, photograph


def octaves(renders, references, zone=None):
    valid = everywhere(renders[0])
    detail = Detail(Light(renders, valid), Light(references, valid))
    return detail.octaves(Region(valid if zone is None else zone))


def kept(renders, references, zone=None):
    return [octave.kept.value for octave in octaves(renders, references, zone)]


class Known(unittest.TestCase):
    def setUp(self):
        self.truth = photograph()
        self.references = [noisy(self.truth, 0.02, seed) for seed in (5, 6)]

    def test_an_unchanged_picture_keeps_all_whatever_its_noise(self):
        for noise, off in ((0.001, 0.01), (0.05, 0.01), (0.3, 0.03)):
            shares = kept([noisy(self.truth, noise, seed) for seed in (1, 2)], self.references)
            np.testing.assert_allclose(shares, 1.0, atol=off)

    def test_a_blur_keeps_what_its_own_answer_says(self):
        """Without any noise the answer is the same ratio of sums, computed at full size."""
        for sigma in (0.6, 1.5):
            soft = blurred(self.truth, sigma)
            truth = kept([soft], [self.truth])
            for noise, off in ((0.05, 0.03), (0.3, 0.1)):
                shares = kept([noisy(soft, noise, seed) for seed in (1, 2)], self.references)
                np.testing.assert_allclose(shares, truth, atol=off)
            self.assertTrue(np.all(np.diff(truth) > 0), "a blur takes the finest first")

    def test_a_sine_of_known_frequency_is_kept_as_the_gaussian_s_response_says(self):
        x = np.arange(512)
        wave = 0.5 + 0.2 * np.sin(2 * np.pi * x / 8)
        truth = np.repeat(np.repeat(wave[None, :, None], 256, axis=0), 3, axis=2).astype(np.float32)
        soft = blurred(truth, 1.0)
        response = np.exp(-0.5 * (2 * np.pi / 8) ** 2)
        inner = Zone("inner", 32, 32, 448, 192).mask((512, 256))
        self.assertAlmostEqual(octaves([soft], [truth], inner)[2].kept.value, response, delta=0.01)

    def test_sharpening_reads_above_one(self):
        sharp = self.truth + 0.5 * (self.truth - blurred(self.truth, 1.0))
        self.assertGreater(kept([sharp.astype(np.float32)], [self.truth])[0], 1.2)

    def test_a_smeared_zone_shows_in_the_zone_and_hides_in_the_whole(self):
        smeared = self.truth.copy()
        smeared[100:200, 100:250] = blurred(self.truth, 2.0)[100:200, 100:250]
        zone = Zone("smeared", 110, 110, 130, 80).mask((600, 400))
        self.assertLess(kept([smeared], [self.truth], zone)[0], 0.2)
        self.assertGreater(kept([smeared], [self.truth])[0], 0.8)

    def test_dark_places_count_as_much_as_bright_ones(self):
        halves = self.truth.copy()
        halves[:, 300:] *= 0.05
        soft = halves.copy()
        soft[:, 300:] = blurred(halves, 2.0)[:, 300:]
        self.assertLess(kept([soft], [halves])[0], 0.75, "smearing the dark half loses much of all detail")

    def test_the_reference_s_own_noise_counts_only_without_its_twin(self):
        references = [noisy(self.truth, 0.1, seed) for seed in (5, 6)]
        self.assertAlmostEqual(kept([self.truth], references)[0], 1.0, delta=0.05)
        self.assertLess(kept([self.truth], references[:1])[0], 0.9)

    def test_noise_that_the_same_seeds_share_is_no_detail(self):
        for noise in (0.1, 0.3):
            one = [noisy(self.truth, noise, seed) for seed in (1, 2)]
            other = [(picture * np.float32(1.001)).astype(np.float32) for picture in one]
            np.testing.assert_allclose(kept(other, one), 1.0, atol=0.05)
            longer = [(picture + 2 * self.truth) / 3 for picture in one]  # the same samples, and others
            np.testing.assert_allclose(kept(one, longer), 1.0, atol=0.05)
            np.testing.assert_allclose(kept(one[:1], longer), 1.0, atol=0.05)
            more = [*one, *(noisy(self.truth, noise, seed) for seed in (3, 4))]
            np.testing.assert_allclose(kept(more, longer), 1.0, atol=0.05)

    def test_the_interval_holds_the_truth(self):
        held = 0
        for seed in range(20):
            finest = octaves([noisy(self.truth, 0.2, seed)], self.references)[0].kept
            held += finest.interval[0] <= 1.0 <= finest.interval[1]
        self.assertGreaterEqual(held, 17)

    def test_where_one_lamp_holds_nearly_all_the_detail_the_interval_knows(self):
        lit = blurred(self.truth, 1.0)[:180, :320].copy()
        rows, columns = np.mgrid[:180, :320]
        lit[np.hypot(rows - 90, columns - 60) < 5] = 30.0
        told = held = 0
        for seed in range(30):
            renders, references = ([noisy(lit, 0.2, 8 * seed + each) for each in pair] for pair in ((0, 1), (2, 3)))
            for octave in octaves(renders, references)[:4]:
                if octave.kept is not None and octave.kept.interval is not None:
                    told += 1
                    held += octave.kept.interval[0] <= 1.0 <= octave.kept.interval[1]
        self.assertGreater(told, 60)
        self.assertGreaterEqual(held, 0.93 * told)

    def test_where_the_reference_has_no_detail_nothing_is_said(self):
        plain = flat(0.5, (320, 240))
        for octave in octaves([noisy(plain, 0.1, 1)], [plain]):
            self.assertIsNone(octave.kept)
