"""Two stand-ins that read light in other units, brought together by the whole chain: definition, command, measure."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
from matchedpair.engines import RenderJob, read_definition, render
from matchedpair.measures.brightness import brightness_match
from matchedpair.pictures import luminance, read_picture

ROOT = Path(__file__).parents[1]
SETTINGS = {"alder": {"samples": 64, "light_picking": "estimate"}, "tansy": {"gather_rays": 256, "bounces": 6}}


class BroughtTogether(unittest.TestCase):
    def rendered(self, name, seed, brightness=1.0):
        definition = read_definition(ROOT / "demo" / "engines" / f"{name}.toml")
        scene = ROOT / "demo" / "scenes" / "cloth-corner.json"
        job = RenderJob(scene, "counter", 1, 96, 54, seed, 1, SETTINGS[name], 120, brightness=brightness)
        with tempfile.TemporaryDirectory() as folder:
            made = render(definition, job, Path(folder))
            self.assertEqual(made.state, "finished", made.reason)
            return read_picture(made.picture).pixels

    def brightness(self, pictures):
        """Mean luminance of all seeds without the peaks of the lamp, which a few pixels show."""
        y = np.stack([luminance(picture) for picture in pictures])
        return float(np.minimum(y, np.quantile(y, 0.999)).mean())

    def test_after_it_alder_and_tansy_agree_within_two_percent(self):
        whole = np.ones((54, 96), dtype=bool)
        alder, tansy = ([self.rendered(name, seed) for seed in (1, 2)] for name in ("alder", "tansy"))
        self.assertAlmostEqual(self.brightness(alder) / self.brightness(tansy), np.pi, delta=0.1)
        found = brightness_match(alder, tansy, whole)
        again = [self.rendered("tansy", seed, found.factor) for seed in (3, 4)]
        fresh = [self.rendered("alder", seed) for seed in (3, 4)]
        self.assertAlmostEqual(self.brightness(again) / self.brightness(fresh), 1.0, delta=0.02)
        wall = np.s_[4:14, 36:80]
        on_the_wall = [np.mean([luminance(p)[wall].mean() for p in side]) for side in (again, fresh)]
        self.assertAlmostEqual(float(on_the_wall[0] / on_the_wall[1]), 1.0, delta=0.02)
