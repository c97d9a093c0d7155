import json
import tempfile
import unittest
from pathlib import Path

from matchedpair.conditions import match_sheet
from matchedpair.errors import InputError
from matchedpair.scenes import Setup, parse_scene, read_scene, read_stresses, setup_problems

ROOT = Path(__file__).parents[2]
LANE = read_scene(ROOT / "demo" / "scenes" / "mist-lane.json")


def setup(**changes):
    return Setup(
        **{"scene": "Mist lane", "revision": LANE.revision, "view": "lane", "width": 96, "height": 54} | changes
    )


class Setups(unittest.TestCase):
    def test_a_setup_that_fits_has_no_problems(self):
        fitting = setup(variant="clear-air", frame=24, crop=(10, 10, 20, 20), quantities={"mist_density": 0.2})
        self.assertEqual(setup_problems(fitting, LANE), {})

    def test_each_misfit_is_named_by_its_part(self):
        cases = {
            "view": ({"view": "roof"}, "has no view 'roof'; it has lane, weathercock"),
            "variant": ({"variant": "snow"}, "has no variant 'snow'; it has as-is, neutral"),
            "frame": ({"frame": 25}, "has frames 1 to 24, got 25"),
            "crop": ({"crop": (90, 0, 20, 20)}, "20 × 20 at 90, 0 reaches outside the picture of 96 × 54"),
            "quantities.mist_density": ({"quantities": {"mist_density": 9.0}}, "must be between 0 and 0.5 1/m, got 9"),
            "quantities.weight": ({"quantities": {"weight": 1.0}}, "does not declare it; it has mist_density"),
            "output_format": ({"output_format": "gif"}, "must be one of exr-half, exr-float"),
        }
        for part, (change, words) in cases.items():
            problems = setup_problems(setup(**change), LANE)
            self.assertEqual(list(problems), [part])
            self.assertIn(words, problems[part])

    def test_the_picture_is_as_large_as_its_crop(self):
        self.assertEqual(setup().picture_size, (96, 54))
        self.assertEqual(setup(crop=(1, 2, 30, 20)).picture_size, (30, 20))

    def test_conditions_tell_setups_apart_by_what_differs(self):
        plain = setup().conditions()
        for change, key in (
            ({"variant": "clear-air"}, "light"), ({"crop": (0, 0, 9, 9)}, "crop"), ({"frame": 3}, "frame"),
            ({"quantities": {"mist_density": 0.1}}, "quantities"), ({"output_format": "exr-float"}, "format"),
            ({"view_transform": "a / b"}, "view_transform"),
        ):  # fmt: skip
            other = setup(**change).conditions()
            self.assertEqual([name for name in plain if plain[name] != other[name]], [key])


class SheetsOfEngines(unittest.TestCase):
    def side(self, **changes):
        base = setup().conditions() | {
            "engine": "Alder", "version": "2.0", "device": "CPU", "settings": {"samples": 16},
            "quality_knob": "samples", "threads": 1, "seeds": "1, 2", "warm_up": "thrown away",
            "machine": "bench", "load": "quiet",
        }  # fmt: skip
        return base | changes

    def states(self, sheet):
        return {row.key: row.state for row in sheet.conditions}

    def test_with_the_engine_under_test_its_version_and_settings_belong_to_it(self):
        other = {"engine": "Tansy", "version": "1.3", "settings": {"gather_rays": 64}, "quality_knob": "gather_rays"}
        sheet = match_sheet(self.side(), self.side(**other), ["engine"])
        states = self.states(sheet)
        for key in ("engine", "version", "settings"):
            self.assertEqual(states[key], "under_test", key)
        self.assertEqual((states["quality"], states["brightness"]), ("unknown", "unknown"))
        self.assertEqual(sheet.summary, "Matched but for engine. Not known yet: brightness factor and samples.")

    def test_brightness_brought_together_is_held_and_says_on_what(self):
        factor = {"factor": 3.1416, "evidence": "brought together on Back wall of Cloth corner, counter"}
        sheet = match_sheet(self.side(), self.side(engine="Tansy", brightness=factor), ["engine"])
        row = next(each for each in sheet.conditions if each.key == "brightness")
        self.assertEqual(row.state, "held")
        self.assertEqual(row.trial, "× 1 and × 3.142, brought together on Back wall of Cloth corner, counter")

    def test_another_factor_on_the_same_engine_spoils_noise_and_look(self):
        sheet = match_sheet(self.side(), self.side(brightness={"factor": 2.0, "evidence": "x"}), ["bounces"])
        row = next(each for each in sheet.conditions if each.key == "brightness")
        self.assertEqual((row.state, sorted(row.spoils)), ("differs", ["look", "noise"]))

    def test_variant_version_and_quantities_can_each_be_under_test(self):
        cases = {
            "light": {"light": "clear-air"}, "version": {"version": "1.0"},
            "quantities": {"quantities": "mist density 0.2"}, "settings": {"settings": {"samples": 16, "bounces": 3}},
        }  # fmt: skip
        for tested, change in cases.items():
            sheet = match_sheet(self.side(), self.side(**change), [tested])
            self.assertEqual(self.states(sheet)[tested], "under_test", tested)
            self.assertTrue(sheet.fair, tested)
            self.assertFalse(match_sheet(self.side(), self.side(**change), ["samples"]).fair, tested)


class SceneFiles(unittest.TestCase):
    def wrong(self, words, **changes):
        raw = {"format": 1, "name": "s", "views": {"a": {}}} | changes
        with self.assertRaisesRegex(InputError, words):
            parse_scene(raw, json.dumps(raw).encode(), "s.json")

    def test_wrong_types_are_named(self):
        self.wrong('expected "views", an object of objects', views=["a"])
        self.wrong('expected "variants", an object of objects', variants={"a": 3})
        self.wrong('expected "stresses" to be a list of texts', stresses=[1])
        self.wrong(r'expected "frames" to be first and last, such as \[1, 24\], got \[5, 1\]', frames=[5, 1])
        self.wrong('expected "frames"', frames=[True, 2])
        self.wrong("quantities.q: 'minimum' must be a number", quantities={"q": {"minimum": "low"}})
        self.wrong(
            "quantities.q: 'default' must be between 0 and 1, got 3",
            quantities={"q": {"minimum": 0, "maximum": 1, "default": 3}},
        )
        self.wrong('"name": expected letters', name="../up")

    def test_a_studio_adds_to_the_list_of_stresses(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            self.assertEqual(read_stresses(folder)[1], [])
            own = folder / "stresses.toml"
            own.write_text('[[stress]]\nname = "fur"\ntitle = "Fur"\nabout = "Thin hair."\n')
            stresses, problems = read_stresses(folder)
            self.assertEqual((stresses[-1].title, problems), ("Fur", []))
            for text, words in (
                ("[[stress]]\nname = 'Big Fur'\ntitle = 'x'", r"stress\[0\].name: expected small letters"),
                ("[[stress]]\nname = 'fur'", "expected texts for title"),
                ("stress = 3", r"expected \[\[stress\]\] tables"), ("= =", "is not TOML"),
            ):  # fmt: skip
                own.write_text(text)
                stresses, (problem,) = read_stresses(folder)
                self.assertRegex(problem, words)
                self.assertEqual(len(stresses), 15)
