import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from matchedpair.engines import command_for, read_definition, read_folder
from matchedpair.engines.job import RenderJob, find_program
from matchedpair.errors import DefinitionError, EngineMissingError, SettingsError

from tests.engines import add_engine

ROOT = Path(__file__).parents[2]
JOB = RenderJob(Path("/s.json"), "counter", 1, 96, 54, 7, 1, {}, 60)


class Definitions(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = add_engine(self.folder, "good")

    def wrong(self, old, new, words):
        text = self.path.read_text()
        self.assertIn(old, text)
        bad = self.folder / "bad.toml"
        bad.write_text(text.replace(old, new, 1))
        with self.assertRaisesRegex(DefinitionError, words) as caught:
            read_definition(bad)
        self.assertEqual(caught.exception.file, "bad.toml")

    def test_the_shipped_definitions_are_good_and_document_every_setting(self):
        engines, bad = read_folder(ROOT / "demo" / "engines")
        self.assertEqual(bad, [])
        self.assertEqual([engine.name for engine in engines], ["alder", "sedge", "sorrel", "tansy"])
        knobs = [engine.quality_knob.name for engine in engines]
        self.assertEqual(knobs, ["samples", "looks", "samples", "gather_rays"])
        for engine in engines:
            for setting in engine.settings:
                told = (setting.about, setting.affects, setting.too_low, setting.too_high)
                self.assertTrue(all(told), f"{engine.name} {setting.name}")
            self.assertEqual([preset.name for preset in engine.presets], ["preview", "everyday", "final"])
            self.assertIn("mist", [effect.effect for effect in engine.effects])

    def test_errors_name_the_key_and_what_was_expected(self):
        cases = [
            ("format = 1", "format = 9", "format: expected 1"),
            ("format = 1", "format = 1\ncolour = 2", "colour: is not known; expected about, build, command"),
            ('name = "good"', 'name = "Good One"', "name: expected small letters"),
            ('title = "Good"', "title = 3", "title: expected text, got 3"),
            ("{scene}", "{scenery}", r"command.render: unknown placeholder \{scenery\}"),
            ('"--seed", "{seed}", ', "", r"command.render: expected the placeholder \{seed\}"),
            (', "{settings}"', "", r"command.render: expected the placeholder \{settings\}"),
            ('"{settings}"', '"x{settings}"', "command.render: {settings} must be an argument of its own"),
            ("'^ready now'", "'^(ready'", "output.ready: expected a regular expression"),
            (r"'^step (\d+)/(\d+)'", "'^step'", r"output.progress: expected at least 2 group"),
            ('type = "integer"', 'type = "whole"', "setting 'samples'.type: expected one of integer, number"),
            ("default = 4\n", "default = 5000\n", "setting 'samples'.default: must be between 1 and 4096, got 5000"),
            ("default = 4\n", "\n", "setting 'samples'.default: must be a number, got None"),
            ('["--samples", "{value}"]', '["--samples"]', r"setting 'samples'.argument: expected \{value\}"),
            ("minimum = 1\n", 'minimum = "one"\n', "setting 'samples'.minimum: expected a number"),
            ('choices = ["low", "high"]', "", "setting 'level'.choices: expected a list of texts"),
            ('name = "pause"', 'name = "samples"', "setting: 'samples' stands there twice"),
            ("quality_knob = true", "quality_knob = 1", "setting 'samples'.quality_knob: expected true or false"),
            ("[output]", '[output]\npicture = "../p.exr"', "output.picture: expected a plain file name"),
            ("format = 1", "format = = 1", "is not TOML"),
        ]
        for old, new, words in cases:
            with self.subTest(new):
                self.wrong(old, new, words)

    def test_one_bad_file_spoils_no_other(self):
        (self.folder / "bad.toml").write_text("format = 1\n")
        (self.folder / "twice.toml").write_text(self.path.read_text())
        good, bad = read_folder(self.folder)
        self.assertEqual([each.name for each in good], ["good"])
        self.assertEqual([error.file for error in bad], ["bad.toml", "twice.toml"])

    def test_a_missing_folder_holds_nothing(self):
        self.assertEqual(read_folder(self.folder / "none"), ([], []))


class Settings(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.definition = read_definition(add_engine(self.folder, "good"))

    def test_defaults_fill_what_is_not_given(self):
        complete = self.definition.complete({"samples": 9.0})
        self.assertEqual(complete, {"samples": 9, "pause": 0.0, "level": "low", "extra": False})
        self.assertIsInstance(complete["samples"], int)

    def test_every_misfit_is_named(self):
        with self.assertRaises(SettingsError) as caught:
            self.definition.complete({"samples": 0, "pause": "long", "level": "middle", "extra": 1, "colour": 2})
        self.assertEqual(
            caught.exception.problems,
            {
                "samples": "must be between 1 and 4096, got 0",
                "pause": "must be a number, got 'long'",
                "level": "must be one of low, high, got 'middle'",
                "extra": "must be true or false, got 1",
                "colour": "Good has no such setting",
            },
        )

    def test_not_a_number_and_infinity_never_fit(self):
        for value in (float("nan"), float("inf"), True, None, [4]):
            with self.assertRaises(SettingsError):
                self.definition.complete({"samples": value})

    def test_the_command_holds_every_value_as_an_argument_of_its_own(self):
        job = RenderJob(Path("/s.json"), "counter; rm -rf /", 1, 96, 54, 7, 1, {"samples": 2, "extra": True}, 60)
        command = command_for(self.definition, job, self.folder)
        self.assertIn("counter; rm -rf /", command)
        self.assertEqual(command[-7:], ["--samples", "2", "--pause", "0", "--level", "low", "--extra"])
        self.assertIn(str(self.folder / "picture.exr"), command)

    def test_an_engine_that_is_not_there_is_said(self):
        path = self.folder / "gone.toml"
        path.write_text(
            (self.folder / "good.toml")
            .read_text()
            .replace("render = [", 'render = ["no-such-renderer", ')
            .replace('name = "good"', 'name = "gone"')
        )
        with self.assertRaisesRegex(EngineMissingError, "the program 'no-such-renderer' is not on this machine"):
            command_for(read_definition(path), JOB, self.folder)

    def test_a_program_on_a_relative_path_is_named_in_full_since_it_starts_elsewhere(self):
        programs = tempfile.TemporaryDirectory(dir=".")
        self.addCleanup(programs.cleanup)
        program = Path(programs.name) / "mine"
        program.write_text("#!/bin/sh\n")
        program.chmod(0o755)
        with mock.patch.dict(os.environ, {"PATH": os.path.relpath(programs.name)}):
            found = find_program("mine", self.definition)
        self.assertEqual(found, str(program.resolve()))

    def test_a_relative_program_is_sought_beside_its_definition(self):
        program = self.folder / "bin" / "mine"
        program.parent.mkdir()
        program.write_text("#!/bin/sh\n")
        program.chmod(0o755)
        path = self.folder / "mine.toml"
        path.write_text(
            'format = 1\nname = "mine"\ntitle = "Mine"\n[command]\n'
            'render = ["bin/mine", "{scene}", "{seed}", "{picture}"]\n'
        )
        self.assertEqual(command_for(read_definition(path), JOB, self.folder)[0], str(program))
