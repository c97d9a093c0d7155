"""Variants, frames and quantities of a scene, before any engine draws it."""

import json
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

from standins.tracing.geometry import build_geometry
from standins.tracing.scene_changes import read_scene
from standins.tracing.scene_file import SceneError
from tests.standins.base import ROOT, scene

LANE = ROOT / "demo" / "scenes" / "mist-lane.json"
STALL = ROOT / "demo" / "scenes" / "marble-stall.json"


class SceneChanges(unittest.TestCase):
    def test_one_neutral_material_leaves_the_lights_alone(self):
        changed = read_scene(STALL, "neutral")
        kinds = {changed.materials[shape["material"]]["kind"] for shape in changed.shapes}
        self.assertEqual(kinds, {"matte", "glow"})
        greys = [s for s in changed.shapes if changed.materials[s["material"]]["kind"] == "matte"]
        self.assertEqual({s["material"] for s in greys}, {"neutral-grey"})

    def test_lanterns_only_darkens_bulbs_and_sky(self):
        changed = read_scene(STALL, "lanterns-only")
        self.assertEqual(len(build_geometry(changed).light_power), 3)
        self.assertEqual((changed.sky_horizon, changed.sky_zenith), ((0, 0, 0), (0, 0, 0)))

    def test_dusk_only_leaves_the_sky_and_no_lamp(self):
        changed = read_scene(STALL, "dusk-only")
        self.assertEqual(len(build_geometry(changed).light_power), 0)
        self.assertGreater(changed.sky_horizon[2], 0.1)

    def test_hidden_groups_are_gone(self):
        full, less = read_scene(STALL), read_scene(STALL, "no-marbles")
        self.assertEqual(len(full.shapes) - len(less.shapes), 33)
        self.assertEqual(read_scene(LANE, "clear-air").mist.density, 0.0)

    def test_a_quantity_reaches_every_place_that_it_names(self):
        changed = read_scene(STALL, quantities={"bulb_radius": 0.03, "tray_roughness": 0.9})
        bulbs = [shape["radius"] for shape in changed.shapes if shape.get("group") == "bulbs"]
        self.assertEqual(bulbs, [0.03] * 40)
        self.assertEqual(changed.materials["brass"]["roughness"], 0.9)
        self.assertEqual(read_scene(LANE, quantities={"mist_density": 0.2}).mist.density, 0.2)

    def test_one_coordinate_can_be_a_quantity(self):
        changed = read_scene(ROOT / "demo" / "scenes" / "glass-cabinet.json", quantities={"lamp_height": 3.0})
        lamp = next(shape for shape in changed.shapes if shape.get("group") == "lamp")
        self.assertEqual(lamp["centre"], [-0.2, 3.0, 1.2])

    def carried(self, frame):
        return next(s["centre"] for s in read_scene(LANE, frame=frame).shapes if s.get("group") == "carried")

    def test_a_moving_light_goes_in_straight_lines_between_its_stops(self):
        first, middle, stop = self.carried(1), self.carried(6), self.carried(12)
        for axis in range(3):
            self.assertAlmostEqual(middle[axis], first[axis] + (stop[axis] - first[axis]) * 5 / 11)
        self.assertEqual(self.carried(99), self.carried(24))

    def test_light_scale_multiplies_lamps_and_sky_but_no_surface(self):
        plain, double = build_geometry(read_scene(STALL)), build_geometry(read_scene(STALL), 2.0)
        self.assertAlmostEqual(double.light_power.sum() / plain.light_power.sum(), 2.0)
        self.assertAlmostEqual(double.sky.sum() / plain.sky.sum(), 2.0)
        self.assertAlmostEqual(double.material_colour[0, 0], plain.material_colour[0, 0])

    def test_what_the_scene_does_not_have_is_said(self):
        cases = [
            ({"variant": "upside-down"}, "no variant 'upside-down'; it has as-is, dusk-only, lanterns-only"),
            ({"quantities": {"weight": 1.0}}, "no quantity 'weight'; it has bulb_radius, tray_roughness"),
        ]
        for change, words in cases:
            with self.assertRaisesRegex(SceneError, words):
                read_scene(STALL, **change)

    def test_a_quantity_that_names_nothing_is_said(self):
        grey = {"m": {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]}}
        ball = {"kind": "sphere", "material": "m", "centre": [0, 0, 0], "radius": 1}
        for place in (
            {"group": "none", "key": "radius"},
            {"material": "m", "key": "gloss"},
            {"mist": True, "key": "x"},
        ):
            row = scene(grey, [ball]) | {"quantities": {"q": {"sets": [place]}}}
            with TemporaryDirectory() as folder, self.subTest(place):
                path = Path(folder) / "s.json"
                path.write_text(json.dumps(row))
                with self.assertRaisesRegex(SceneError, "names nothing in the scene"):
                    read_scene(path, quantities={"q": 1.0})
