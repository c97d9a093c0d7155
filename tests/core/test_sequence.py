"""Sequences of made frames with known flicker, boiling, lag and changes of light."""

from __future__ import annotations

import json
import math
import unittest

import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.region import Region
from matchedpair.measures.response import fit_response
from matchedpair.measures.sequence import Frames, shown_share
from matchedpair.measures.sequence_error import sequence_error
from matchedpair.pictures.filters import gauss
from scipy.ndimage import gaussian_filter

from tests.core.test_cli import Called
from tests.pictures import photograph, write

SHAPE = (96, 128)


def still() -> np.ndarray:
    y, x = np.mgrid[: SHAPE[0], : SHAPE[1]]
    return (0.4 + 0.2 * np.sin(x / 9) * np.cos(y / 7)).astype(np.float32)


def patches(dice: np.random.Generator, sigma: float) -> np.ndarray:
    """Slow patches of unit variance."""
    made = gauss(dice.standard_normal(SHAPE).astype(np.float32), sigma)
    return made / made.std()


def frames(count=16, white=0.0, slow=0.0, sigma=8.0, keep=0.0, light=None, seed=1) -> list[np.ndarray]:
    """Frames with relative white noise and slow patches, a share of both kept from frame to frame."""
    dice = np.random.default_rng(seed)
    base, made, rest = still(), [], None
    for t in range(count):
        fresh = white * dice.standard_normal(SHAPE) + (slow * patches(dice, sigma) if slow else 0.0)
        rest = fresh if rest is None else keep * rest + math.sqrt(1 - keep**2) * fresh
        level = 1.0 if light is None else light(t)
        made.append((base * level * (1 + rest)).astype(np.float32))
    return made


def figure(made: list[np.ndarray]):
    valid = np.ones(SHAPE, dtype=bool)
    return Frames(made, valid).figure(Region(valid))


class Flicker(unittest.TestCase):
    def test_white_noise_is_flicker_and_no_boiling(self):
        found = figure(frames(white=0.1))
        self.assertAlmostEqual(found.flicker_percent, 10.0, delta=0.3)
        self.assertLess(found.boiling_percent, 1.0)
        self.assertAlmostEqual(found.frame_to_frame_percent, 10.0, delta=0.3)
        self.assertIsNone(found.response)

    def test_things_that_move_are_seen_and_neither_grain_patches_nor_light_are_taken_for_them(self):
        rolling = []
        for t, made in enumerate(frames(white=0.1, slow=0.05)):
            y, x = np.mgrid[: SHAPE[0], : SHAPE[1]]
            made[(x - 40 - 2 * t) ** 2 + (y - 50) ** 2 < 15**2] *= np.float32(1.8)
            rolling.append(made)
        self.assertTrue(figure(rolling).moves)
        self.assertFalse(figure(rolling[:4]).moves, "too few frames to tell")
        for still_ in (
            {"white": 0.1}, {"slow": 0.1}, {"white": 0.05, "slow": 0.1, "keep": 0.8},
            {"white": 0.05, "light": lambda t: 1.0 if t < 8 else 1.5},
            {"white": 0.05, "light": lambda t: 1.0 + 0.3 * math.sin(t / 2)},
        ):  # fmt: skip
            self.assertFalse(figure(frames(**still_)).moves, still_)

    def test_slow_patches_are_boiling(self):
        found = figure(frames(count=24, slow=0.05))
        self.assertAlmostEqual(found.boiling_percent, 5.0, delta=0.5)
        self.assertGreater(found.boiling_share, 0.8)

    def test_both_together_are_told_apart(self):
        found = figure(frames(count=24, white=0.1, slow=0.05))
        self.assertAlmostEqual(found.flicker_percent, math.hypot(10, 5), delta=0.6)
        self.assertAlmostEqual(found.boiling_percent, 5.0, delta=0.6)
        self.assertAlmostEqual(found.boiling_share, 25 / 125, delta=0.06)

    def test_frames_that_resemble_each_other_are_corrected(self):
        plain = []
        for seed in range(4):
            found = figure(frames(count=12, slow=0.05, keep=0.7, seed=seed))
            plain.append(found.boiling_percent)
            self.assertGreater(found.correlation, 0.4)
            self.assertLess(found.frame_to_frame_percent, 4.0)
        self.assertAlmostEqual(float(np.mean(plain)), 5.0, delta=0.75)

    def test_what_does_not_change_does_not_flicker(self):
        found = figure([still()] * 5)
        self.assertEqual((found.flicker_percent, found.boiling_percent, found.boiling_share), (0.0, 0.0, 0.0))

    def test_a_change_of_light_is_no_flicker(self):
        found = figure(frames(white=0.05, light=lambda t: 1.5 if t >= 6 else 1.0))
        self.assertEqual(found.response.frame, 6)
        self.assertTrue(found.response.at_once)
        self.assertAlmostEqual(found.flicker_percent, 5.0, delta=0.6)

    def test_one_frame_is_no_sequence(self):
        with self.assertRaisesRegex(RefusedError, "no sequence"):
            Frames([still()], np.ones(SHAPE, dtype=bool))

    def test_the_share_that_is_shown_is_that_of_the_known_process(self):
        dice = np.random.default_rng(5)
        shown = []
        for _ in range(4000):
            row = [dice.standard_normal()]
            for _ in range(7):
                row.append(0.6 * row[-1] + 0.8 * dice.standard_normal())
            shown.append(np.var(row, ddof=1))
        self.assertAlmostEqual(float(np.mean(shown)), shown_share(0.6, 8), delta=0.03)
        self.assertEqual(shown_share(0.0, 8), 1.0)


class Answers(unittest.TestCase):
    def lagging(self, keep: float, first=5, count=20, jitter=0.0, seed=0) -> list[float]:
        """A zone's mean under a history that keeps a share of what was there."""
        dice = np.random.default_rng(seed)
        level, means = 1.0, []
        for t in range(count):
            level = keep * level + (1 - keep) * (2.0 if t >= first else 1.0)
            means.append(level * (1 + jitter * dice.standard_normal()))
        return means

    def test_a_history_that_keeps_a_share_has_the_known_tau(self):
        for keep in (0.3, 0.6, 0.85):
            found = fit_response(self.lagging(keep))
            self.assertEqual(found.frame, 5)
            self.assertAlmostEqual(found.tau, -1 / math.log(keep), delta=0.02)
            self.assertAlmostEqual(found.frames_to_90, math.log(0.1) / math.log(keep), delta=0.05)

    def test_a_sequence_that_ends_before_the_last_level_is_not_cut_short(self):
        found = fit_response(self.lagging(0.9, count=16))
        self.assertAlmostEqual(found.frames_to_90, math.log(0.1) / math.log(0.9), delta=1.0)

    def test_at_once_is_at_once(self):
        found = fit_response(self.lagging(0.0))
        self.assertTrue(found.at_once)
        self.assertEqual((found.frame, found.frames_to_90), (5, 0.0))

    def test_some_unrest_does_not_disturb(self):
        found = fit_response(self.lagging(0.7, jitter=0.004))
        self.assertEqual(found.frame, 5)
        self.assertAlmostEqual(found.tau, -1 / math.log(0.7), delta=0.35)

    def test_unrest_alone_is_no_change_of_light(self):
        dice = np.random.default_rng(3)
        found = [fit_response(1 + 0.03 * dice.standard_normal(12)) for _ in range(60)]
        self.assertLess(sum(each is not None for each in found), 3)
        self.assertIsNone(fit_response([1.0] * 12))
        self.assertIsNone(fit_response([1.0, 2.0]))


class AgainstAReference(unittest.TestCase):
    """A pattern that is carried across the picture, so that every pixel shows something else in every frame."""

    def moving(self, noise=0.0, seed=1, lag=0, off=0.0, count=10, size=160):
        dice = np.random.default_rng(seed)
        x, y = np.meshgrid(np.arange(size), np.arange(size))
        made = []
        for t in range(count):
            at = max(t - lag, 0)
            light = 0.5 + 0.3 * np.sin((x - 3 * at) / 4.0) * np.cos(y / 7.0)
            light = light * (1 + off) * (1 + noise * dice.standard_normal(light.shape))
            made.append(light.astype(np.float32))
        return made

    def error(self, frames_, references, **more):
        valid = np.ones(frames_[0].shape, bool)
        return sequence_error(frames_, references, valid, [valid] * len(frames_), **more)

    def test_what_moves_as_the_reference_does_is_no_error(self):
        found = self.error(self.moving(), self.moving())
        self.assertEqual((found.error_percent, found.frame_to_frame_percent), (0.0, 0.0))
        still = Frames(self.moving(), np.ones((160, 160), bool)).figure(Region(np.ones((160, 160), bool)))
        self.assertGreater(still.flicker_percent, 20.0)

    def test_what_moves_over_nothing_is_judged_in_each_frame_where_it_is(self):
        down, right = np.mgrid[:160, :160]
        masks = [(down - 80) ** 2 + (right - 20 - 25 * t) ** 2 < 18**2 for t in range(6)]
        masks[5] = np.zeros((160, 160), bool)  # it has left the picture
        frames_, reference, twin = (
            self.moving(count=6, noise=noise, seed=seed) for noise, seed in ((0.08, 1), (0.02, 2), (0.02, 3))
        )
        for side in (frames_, reference, twin):
            for frame, mask in zip(side, masks, strict=True):
                frame[~mask] = np.nan
        everywhere = np.ones((160, 160), bool)
        found = sequence_error(frames_, reference, everywhere, masks, reference_twins=twin)
        self.assertAlmostEqual(found.error_percent, 8.0, delta=0.4)
        np.testing.assert_allclose(found.by_frame[:5], 8.0, atol=0.7)
        self.assertEqual(found.by_frame[5], 0.0)
        self.assertAlmostEqual(found.frame_to_frame_percent, 8.0, delta=0.6)
        apart = [(down - 80) ** 2 + (right - 20 - 60 * t) ** 2 < 18**2 for t in range(3)]
        with self.assertRaisesRegex(RefusedError, "one after the other"):
            sequence_error(self.moving(count=3, noise=0.08), self.moving(count=3), everywhere, apart)
        with self.assertRaisesRegex(RefusedError, "no valid pixel"):
            sequence_error(frames_, reference, np.zeros((160, 160), bool), masks)

    def test_noise_is_all_from_frame_to_frame_and_a_steady_shift_is_not(self):
        found = self.error(self.moving(noise=0.08), self.moving())
        self.assertAlmostEqual(found.error_percent, 8.0, delta=0.15)
        self.assertAlmostEqual(found.frame_to_frame_percent, 8.0, delta=0.15)
        found = self.error(self.moving(off=0.05), self.moving())
        self.assertAlmostEqual(found.error_percent, 5.0, delta=0.05)
        self.assertLess(found.frame_to_frame_percent, 0.1)

    def test_a_twin_takes_the_references_noise_out(self):
        frames_, reference, twin = (self.moving(noise=n, seed=s) for n, s in ((0.05, 1), (0.05, 2), (0.05, 3)))
        raw = self.error(frames_, reference)
        self.assertAlmostEqual(raw.error_percent, 5.0 * math.sqrt(2), delta=0.2)
        found = self.error(frames_, reference, reference_twins=twin)
        self.assertTrue(found.twin)
        self.assertAlmostEqual(found.error_percent, 5.0, delta=0.15)
        self.assertAlmostEqual(found.frame_to_frame_percent, 5.0, delta=0.2)

    def test_what_lags_behind_is_seen_though_every_frame_looks_good_by_itself(self):
        found = self.error(self.moving(lag=1), self.moving())
        self.assertGreater(found.error_percent, 10.0)

    def test_frames_that_lie_beside_the_reference_or_are_softer_are_refused(self):
        dice = np.random.default_rng(1)
        base = photograph()[60:316, 100:356, 1]
        noisy = [(base * (1 + 0.01 * dice.standard_normal(base.shape))).astype(np.float32) for _ in range(9)]
        self.assertLess(self.error(noisy[:3], noisy[3:6], reference_twins=noisy[6:]).error_percent, 1.2)
        for changed, words in (
            ([np.roll(frame, 2, axis=1) for frame in noisy[:3]], "pixels apart"),
            ([gaussian_filter(frame, 0.6) for frame in noisy[:3]], "sharpness"),
        ):
            with self.subTest(words), self.assertRaisesRegex(RefusedError, words):
                self.error(changed, noisy[3:6], reference_twins=noisy[6:])

    def test_each_frame_has_its_own_error(self):
        frames_ = self.moving()
        frames_[4] = frames_[4] * np.float32(1.3)
        found = self.error(frames_, self.moving())
        self.assertAlmostEqual(found.by_frame[4], 30.0, delta=0.3)
        self.assertEqual(found.by_frame[3], 0.0)

    def test_a_lamp_that_glows_on_where_it_is_out_is_no_more_than_its_pixels(self):
        """Four pixels of 25,600 at a thousand times the light: fully wrong, and not all that is told."""
        frames_ = self.moving(noise=0.05)
        for frame in frames_[5:]:
            frame[80:82, 80:82] = 500.0
        found = self.error(frames_, self.moving())
        self.assertAlmostEqual(found.error_percent, 100 * math.sqrt(0.05**2 + 0.5 * 4 / 160**2), delta=0.2)
        self.assertGreater(found.by_frame[6], found.by_frame[3])

    def test_it_needs_a_reference_for_each_frame(self):
        with self.assertRaisesRegex(RefusedError, "10 frames need as many of the reference"):
            self.error(self.moving(), self.moving(count=9))
        with self.assertRaisesRegex(RefusedError, "no sequence"):
            self.error(self.moving(count=1), self.moving(count=1))


class SequenceCommand(Called):
    def put(self, made: list[np.ndarray], name="frame.{:04d}.exr") -> list:
        return [
            write(self.folder / name.format(n + 1), np.repeat(frame[..., None], 3, axis=2), "float")
            for n, frame in enumerate(made)
        ]

    def report(self, *words):
        code, out, err = self.call("sequence", *words, "--json")
        self.assertEqual((code, err), (0, ""))
        return json.loads(out)

    def test_all_keys_are_there(self):
        report = self.report(*self.put(frames(count=10, white=0.05, light=lambda t: 1.4 if t >= 4 else 1.0)))
        for key in ("flicker_percent", "boiling_percent", "boiling_share", "frame_to_frame_percent"):
            self.assertIsInstance(report[key], float)
        self.assertEqual(report["response"]["frame"], 4)
        self.assertLessEqual({"frame", "tau", "frames_to_90"}, set(report["response"]))
        self.assertEqual(len(report["frames"]), 10)
        self.assertIn("still view", report["note"])

    def test_a_zone_is_measured_on_its_own(self):
        made = frames(count=6, white=0.02)
        for frame in made:
            frame[:40, :40] *= 1 + 0.2 * np.random.default_rng(int(frame[0, 0] * 1e6)).standard_normal((40, 40))
        report = self.report(*self.put(made), "--zone", "corner=0,0,40,40")
        self.assertEqual(report["zone"], "corner")
        self.assertGreater(report["flicker_percent"], 15)
        self.assertLess(report["zones"]["whole"]["flicker_percent"], report["flicker_percent"])

    def test_gaps_order_and_copies_are_said(self):
        paths = self.put(frames(count=6, white=0.02))
        report = self.report(*paths[:2], *paths[4:])
        self.assertEqual([row["code"] for row in report["checks"]], ["gap"])
        report = self.report(paths[1], paths[0], paths[0])
        self.assertEqual(sorted(row["code"] for row in report["checks"]), ["identical", "order"])

    def test_a_reference_sequence_is_held_against_each_frame(self):
        paths = self.put(frames(count=4, white=0.04))
        references = self.put(frames(count=4, white=0.002, seed=2), "reference.{:04d}.exr")
        report = self.report(*paths, "--reference", *references)
        self.assertAlmostEqual(report["reference"]["error_percent"], 4.0, delta=0.3)
        self.assertFalse(report["reference"]["noise_taken_out"])
        twins = self.put(frames(count=4, white=0.002, seed=3), "twin.{:04d}.exr")
        report = self.report(*paths, "--reference", *references, "--reference-twin", *twins)
        self.assertTrue(report["reference"]["noise_taken_out"])
        self.assertIsNone(self.report(*paths)["reference"])
        _, out, _ = self.call("sequence", *paths, "--reference", *references)
        self.assertIn("against the reference", out)
        for words, said in (
            ((*paths, "--reference", *references[:3]), "the reference has 3 frames"),
            ((*paths, "--reference-twin", *twins), "needs the reference"),
            ((*paths, "--reference", references[0]), "1 reference is no sequence"),
        ):
            code, out, err = self.call("sequence", *words)
            self.assertEqual((code, out), (2, ""))
            self.assertIn(said, err)

    def test_bad_input_is_one_clear_line(self):
        paths = self.put(frames(count=3, white=0.02))
        small = write(self.folder / "small.exr", np.zeros((20, 30, 3), np.float32) + 0.3, "float")
        broken = self.folder / "broken.exr"
        broken.write_bytes(b"no picture")
        for words, said in (
            (paths[:1], "1 frame is no sequence"), ((*paths, small), "a sequence has one size"),
            ((*paths, broken), "broken.exr"), ((*paths, "--zone", "far=500,0,10,10"), "reaches outside"),
        ):  # fmt: skip
            code, out, err = self.call("sequence", *words)
            self.assertEqual((code, out), (2, ""), said)
            self.assertIn(said, err)
            self.assertEqual(err.count("\n"), 1)

    def test_plain_text_says_what_was_found(self):
        code, out, _ = self.call("sequence", *self.put(frames(count=10, light=lambda t: 1.4 if t >= 4 else 1.0)))
        self.assertEqual(code, 0)
        self.assertIn("the light changes from frame 4 on", out)
        self.assertIn("at once", out)
