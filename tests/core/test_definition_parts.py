"""Builds, presets, effects, quantities and passes of a definition, and what a call carries."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from matchedpair.engines import RenderJob, command_for, engine_version, read_definition, render, unsupported
from matchedpair.engines.definition_file import MOST_BYTES
from matchedpair.errors import DefinitionError, SettingsError

from tests.engines import add_engine

ROOT = Path(__file__).parents[2]
JOB = RenderJob(Path("/s.json"), "counter", 1, 96, 54, 7, 1, {}, 60)
PARTS = """
[[build]]
name = "new"
title = "Good 3"
program = "{python}"

[[build]]
name = "old"
program = "no-such-program"
device = "GPU"

[[preset]]
name = "preview"
values = {{ samples = 2 }}

[[effect]]
effect = "mist"
does = "partly"
needs = {{ samples = 8, extra = true }}
limits = "Once only."

[[quantity]]
quantity = "light"
name = "power"
unit = "W"
scale = 2.5

[[pass]]
name = "depth"
unit = "m"
"""
CHANGES = """
crop = ["--crop", "{x},{y},{width},{height}"]
quantity = ["--set", "{name}={value}"]
brightness = ["--gain", "{value}"]
passes = ["--also", "{passes}"]
"""


class Parts(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = add_engine(self.folder, "good")
        text = self.path.read_text()
        self.python = text.split('render = ["')[1].split('"')[0]
        text = text.replace('"{settings}"]', '"{settings}", "{changes}"]', 1)
        text = text.replace("\n[output]", f"{CHANGES}\n[output]", 1)
        self.path.write_text(text + PARTS.format(python=self.python))
        self.engine = read_definition(self.path)

    def wrong(self, old, new, words):
        text = self.path.read_text()
        self.assertIn(old, text)
        bad = self.folder / "bad.toml"
        bad.write_text(text.replace(old, new, 1))
        with self.assertRaisesRegex(DefinitionError, words):
            read_definition(bad)

    def test_all_of_it_is_read(self):
        engine = self.engine
        self.assertEqual([(b.name, b.device) for b in engine.builds], [("new", "CPU"), ("old", "GPU")])
        self.assertEqual(dict(engine.presets[0].values), {"samples": 2})
        self.assertEqual(engine.presets[0].title, "Preview")
        self.assertEqual((engine.effects[0].does, engine.effects[0].limits), ("partly", "Once only."))
        self.assertEqual((engine.quantities[0].name, engine.quantities[0].scale), ("power", 2.5))
        self.assertEqual((engine.passes[0].file, engine.passes[0].title), ("depth.exr", "Depth"))

    def test_without_builds_there_is_one(self):
        plain = read_definition(add_engine(self.folder, "fails"))
        self.assertEqual(len(plain.builds), 1)
        self.assertEqual(plain.build("").program, plain.render[0])

    def test_misfits_name_the_table_and_the_key(self):
        cases = [
            ('does = "partly"', 'does = "mostly"', r"effect\[0\].does: expected one of yes, partly, no, got 'mostly'"),
            ("samples = 8", "sample = 8", r"effect\[0\].needs: there is no setting 'sample'"),
            ("values = { samples = 2 }", "values = { samples = 0 }", r"preset\[0\].values.samples: must be between 1"),
            ("values = { samples = 2 }", "values = 3", r"preset\[0\].values: expected a table"),
            ("scale = 2.5", "scale = 0", r"quantity\[0\].scale: expected a number above 0, got 0"),
            ("scale = 2.5", 'scale = "twice"', r"quantity\[0\].scale: expected a number, got 'twice'"),
            ('name = "depth"\n', 'name = "depth"\nfile = "../d.exr"\n', r"pass\[0\].file: expected a plain file name"),
            ('name = "old"', 'name = "new"', "build: 'new' stands there twice"),
            ('name = "old"', 'name = "Old One"', r"build\[1\].name: expected small letters"),
            ('program = "no-such-program"\n', "", r"build\[1\].program: expected text, got None"),
            ('device = "GPU"', 'colour = "red"', r"build\[1\].colour: is not known; expected device, name"),
            ('"{x},{y},{width},{height}"', '"{x},{y}"', r"command.crop: expected the placeholder \{width\}"),
            ('["--gain", "{value}"]', '"--gain"', "command.brightness: expected a list of texts"),
            ('"{settings}", "{changes}"]', '"{settings}"]', r"command.render: expected the placeholder \{changes\}"),
            ('name = "samples"', 'name = "light"', "setting 'light'.name: is a reserved word"),
            ("[command]", "[command]\nshell = true", "command.shell: is not known; expected brightness, crop"),
            ("[[pass]]", "[pass]", r"pass: expected \[\[pass\]\] tables"),
        ]
        for old, new, words in cases:
            with self.subTest(words):
                self.wrong(old, new, words)

    def test_a_huge_file_is_no_definition(self):
        (self.folder / "huge.toml").write_text("#" * (MOST_BYTES + 1))
        with self.assertRaisesRegex(DefinitionError, "huge.toml: is larger than 1000000 bytes"):
            read_definition(self.folder / "huge.toml")

    def words(self, **changes):
        return command_for(self.engine, replace(JOB, **changes), self.folder)

    def test_nothing_asked_adds_nothing(self):
        self.assertFalse({"--crop", "--set", "--gain", "--also"} & set(self.words()))

    def test_each_change_is_said_in_the_engine_s_own_way(self):
        words = self.words(
            crop=(1, 2, 30, 20), quantities={"lamp": 0.25, "mist": 2}, brightness=3.14159, passes=("depth",)
        )
        start = words.index("--crop")
        self.assertEqual(words[start:], [
            "--crop", "1,2,30,20", "--set", "lamp=0.25", "--set", "mist=2", "--gain", "3.14159", "--also", "depth",
        ])  # fmt: skip

    def test_a_value_is_never_searched_for_placeholders_itself(self):
        words = self.words(view="{seed}")
        self.assertIn("{seed}", words)

    def test_what_cannot_be_said_is_refused(self):
        plain = read_definition(add_engine(self.folder, "fails"))
        asked = {
            "variant": {"variant": "dusk"}, "frame": {"frame": 3}, "crop": {"crop": (0, 0, 9, 9)},
            "quantity": {"quantities": {"x": 1.0}}, "brightness": {"brightness": 2.0}, "depth": {"depth": "float"},
        }  # fmt: skip
        for part, change in asked.items():
            self.assertEqual(list(unsupported(plain, replace(JOB, **change))), [part])
        self.assertEqual(unsupported(plain, JOB), {})
        self.assertIn(
            "has no pass 'smell'; it has depth", unsupported(self.engine, replace(JOB, passes=("smell",)))["passes"]
        )
        with self.assertRaisesRegex(SettingsError, "no way to ask for it"):
            command_for(plain, replace(JOB, crop=(0, 0, 9, 9)), self.folder)

    def test_a_build_s_program_takes_the_first_word_s_place(self):
        self.assertEqual(self.words(build="new")[0], self.python)
        with self.assertRaisesRegex(SettingsError, "has no build 'third'; it has new, old"):
            self.words(build="third")
        self.assertEqual(engine_version(self.engine, "new"), "2.5")

    def test_a_number_is_reached_and_a_switch_is_equal(self):
        (effect,) = self.engine.effects
        off = self.engine.switched_off
        self.assertEqual(off(effect, {"samples": 4, "extra": False}), {"samples": 8, "extra": True})
        self.assertEqual(off(effect, {"samples": 9, "extra": False}), {"extra": True})
        self.assertEqual(off(effect, {"samples": 8, "extra": True}), {})
        self.assertEqual(off(effect, {}), {"samples": 8, "extra": True})


class Passes(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def rendered(self, script):
        (self.folder / "engine.py").write_text(script)
        python = add_engine(self.folder, "good").read_text().split('render = ["')[1].split('"')[0]
        path = self.folder / "e.toml"
        path.write_text(
            f'format = 1\nname = "e"\ntitle = "E"\n[command]\nrender = ["{python}", "{self.folder}/engine.py",'
            ' "{scene}",'
            ' "{seed}", "{picture}", "{changes}"]\npasses = ["{passes}"]\n[output]\nstructures = "^kept (\\\\d+)"\n'
            '[[pass]]\nname = "depth"\nfile = "z.exr"\n'
        )
        made = self.folder / "made"
        made.mkdir()
        return render(read_definition(path), replace(JOB, passes=("depth",)), made)

    def test_an_asked_pass_and_the_engine_s_own_figure_come_back(self):
        outcome = self.rendered(
            "import sys\nprint('kept 12345')\nopen(sys.argv[3], 'wb').write(b'p')\nopen('z.exr', 'wb').write(b'z')\n"
        )
        self.assertEqual((outcome.state, outcome.structures_bytes), ("finished", 12345))
        self.assertEqual({name: path.read_bytes() for name, path in outcome.passes.items()}, {"depth": b"z"})

    def test_a_pass_that_is_not_written_fails_the_run(self):
        outcome = self.rendered("import sys\nopen(sys.argv[3], 'wb').write(b'p')\n")
        self.assertEqual((outcome.state, outcome.reason), ("failed", "E ended well but wrote no depth pass."))
