"""Pictures on the way, the value reached, frames a second: read from an engine's output, kept with honest times."""

import tempfile
import time
import unittest
from pathlib import Path

from matchedpair.engines import read_definition, render
from matchedpair.engines.job import RenderJob, command_for
from matchedpair.engines.output import EngineOutput
from matchedpair.errors import DefinitionError, SettingsError
from matchedpair.pictures import read_picture

from tests.engines import add_engine, add_ladder


class OnTheWay(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.definition = read_definition(add_ladder(self.folder))

    def job(self, **changes):
        settings = {"samples": 8, "pause": 0.8}
        return RenderJob(self.folder / "s.json", "v", 1, 40, 30, 3, 1, settings, 30.0, **changes)

    def made(self, **changes):
        made = self.folder / "made"
        made.mkdir()
        seen = []
        return render(self.definition, self.job(**changes), made, on_progress=seen.append), seen

    def test_each_picture_has_its_level_and_the_time_of_a_render_to_there(self):
        began = time.monotonic()
        outcome, seen = self.made(on_the_way=(2.0, 4.0))
        passed = time.monotonic() - began
        self.assertEqual([row.level for row in outcome.on_the_way], [2, 4])
        self.assertEqual({read_picture(row.path).size for row in outcome.on_the_way}, {(40, 30)})
        # from the start, since that it is ready may be heard late
        two, four = (row.wall_seconds for row in outcome.on_the_way)
        self.assertGreater(two, 0.18)
        self.assertGreater(four, two)
        self.assertGreater(outcome.wall_seconds, 0.75)
        self.assertGreater(outcome.wall_seconds, four)
        # what both pictures cost is in none of these: 0.3 s for each
        self.assertGreater(passed - outcome.wall_seconds, 0.55)
        self.assertTrue({2, 4} & {progress.latest.level for progress in seen if progress.latest})

    def test_what_the_quality_knob_reached_and_frames_a_second_are_kept(self):
        outcome, _ = self.made()
        self.assertEqual((outcome.reached, outcome.frames_per_second, outcome.on_the_way), (8.0, 24.0, ()))

    def test_levels_are_asked_only_where_the_definition_has_a_way(self):
        command = command_for(self.definition, self.job(on_the_way=(2.0, 4.0)), self.folder)
        self.assertEqual(command[-2:], ["--on-the-way", "2,4"])
        self.assertTrue(self.definition.writes_on_the_way)
        plain = read_definition(add_engine(self.folder, "good"))
        self.assertFalse(plain.writes_on_the_way)
        with self.assertRaisesRegex(SettingsError, "no way to ask"):
            command_for(plain, self.job(on_the_way=(2.0,)), self.folder)

    def test_a_line_that_only_looks_alike_changes_nothing(self):
        output = EngineOutput(self.definition)
        output.take("reached 12\nreached lots\ndrew 0 frames in 0 s\nwrote x at y, z s\nstep a/b\n")
        found = (output.reached, output.frames_per_second, output.written, output.progress)
        self.assertEqual(found, (12, None, [], None))

    def test_a_picture_named_outside_the_folder_is_not_taken(self):
        output = "say('wrote ../secret.exr at 2, 0.1 s')\ndraw(a.width, a.height)"
        script = self.folder / "ladder.py"
        script.write_text(script.read_text().split("\nlevels = ")[0] + "\n" + output)
        (self.folder / "secret.exr").write_bytes(b"x")
        outcome, _ = self.made(on_the_way=(2.0,))
        self.assertEqual(outcome.on_the_way, ())

    def test_a_definition_that_says_it_by_halves_is_refused(self):
        path = self.folder / "ladder.toml"
        text = path.read_text()
        for old, new, words in (
            ('on_the_way = ["--on-the-way", "{levels}"]', "", "belong together"),
            ("(?P<level>", "(", "expected a group named level"),
            ('"{levels}"]', '"x"]', r"expected the placeholder \{levels\}"),
            ("quality_knob = true", "quality_knob = true\ntime_budget = 3", "expected true or false"),
            ("[output]", "[output]\nspeed = 'x'", "output.speed: is not known"),
        ):  # fmt: skip
            path.write_text(text.replace(old, new, 1))
            with self.assertRaisesRegex(DefinitionError, words):
                read_definition(path)
        twice = text.replace('type = "number"', 'type = "number"\ntime_budget = true', 1)
        path.write_text(twice.replace("quality_knob = true", "quality_knob = true\ntime_budget = true", 1))
        with self.assertRaisesRegex(DefinitionError, "only one setting can be the time budget"):
            read_definition(path)
        path.write_text(twice)
        self.assertEqual(read_definition(path).time_budget.name, "pause")
