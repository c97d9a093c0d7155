"""Pictures on the way, time budgets, and frames a second of the engines that ship."""

import re
import time

import numpy as np
from matchedpair.pictures import read_picture

from tests.standins.base import StandinTest


class OnTheWay(StandinTest):
    program = "alder"

    def test_a_picture_on_the_way_is_that_of_a_render_with_so_many_samples(self):
        plain = {"samples": 8, "light_picking": "estimate", "seed": 3}
        whole = self.render(**plain, on_the_way="2,4")
        said = re.findall(r"picture (\S+) after (\d+), ([\d.]+) s", self.said)
        self.assertEqual(
            [(name, level) for name, level, _ in said], [("on-the-way-2.exr", "2"), ("on-the-way-4.exr", "4")]
        )
        spent = [float(seconds) for *_, seconds in said]
        self.assertTrue(0 < spent[0] < spent[1] < 5)
        ways = {level: read_picture(self.folder / f"on-the-way-{level}.exr").pixels for level in (2, 4)}
        for level, picture in ways.items():
            np.testing.assert_array_equal(picture, self.render(**plain | {"samples": level}))
        np.testing.assert_array_equal(whole, self.render(**plain))
        self.assertIn("samples 8", self.said)

    def test_it_holds_with_the_denoiser_too(self):
        self.render(samples=6, denoise=True, on_the_way="3")
        way = read_picture(self.folder / "on-the-way-3.exr").pixels
        np.testing.assert_array_equal(way, self.render(samples=3, denoise=True))


class TimeBudget(StandinTest):
    def reached(self):
        return int(re.search(r"^samples (\d+)$", self.said, re.MULTILINE)[1])

    def test_rendering_ends_after_it_and_says_how_many_samples_it_got_done(self):
        for program in ("alder", "sorrel"):
            started = time.monotonic()
            picture = self.render(program=program, samples=60000, time_budget=0.7)
            self.assertGreater(time.monotonic() - started, 0.7)  # never early, whatever else the machine does
            self.assertTrue(0 < self.reached() < 60000, program)
            self.assertTrue(np.isfinite(picture).all() and picture.max() > 0)

    def test_the_samples_it_says_are_the_samples_that_are_in_the_picture(self):
        for program in ("alder", "sorrel"):
            early = self.render(program=program, samples=60000, time_budget=0.3, seed=4)
            whole = self.render(program=program, samples=self.reached(), seed=4)
            np.testing.assert_allclose(early, whole, rtol=1e-3, atol=1e-5)

    def test_one_sample_is_always_made_and_the_samples_are_still_the_most(self):
        picture = self.render(program="alder", samples=500, time_budget=0.0001)
        self.assertEqual(self.reached(), 1)
        self.assertTrue(np.isfinite(picture).all() and picture.max() > 0)
        self.render(program="alder", samples=2, time_budget=60)
        self.assertEqual(self.reached(), 2)

    def test_focused_light_does_not_fade_when_a_render_ends_early(self):
        given = {"program": "sorrel", "view": "counter", "focused_light": True, "photons": 200000, "seed": 2}
        early = self.render(**given, samples=60000, time_budget=1.0)
        whole = self.render(**given, samples=max(self.reached(), 1))
        np.testing.assert_allclose(early.mean(), whole.mean(), rtol=0.02)


class FramesASecond(StandinTest):
    program = "sedge"

    def test_a_real_time_engine_says_how_many_frames_in_how_many_seconds(self):
        self.render(history=3)
        frames, seconds = re.search(r"^frames (\d+) in ([\d.]+) s$", self.said, re.MULTILINE).groups()
        self.assertEqual(frames, "4")
        self.assertGreater(float(seconds), 0)
