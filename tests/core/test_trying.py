"""An engine on trial: each promise that it breaks is found, with what it costs and what would mend it."""

import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from matchedpair.cli import main
from matchedpair.engines import read_definition
from matchedpair.scenes import read_scene
from matchedpair.trying import Trial, promises_in_words
from matchedpair.trying.first_definition import first_definition, options_in

RENDERERS = Path(__file__).parents[1] / "renderers"
PEBBLE = RENDERERS / "pebble"
COURT = RENDERERS / "scenes" / "court.scene.toml"
HELP = """glint 2.1, a renderer
Usage: glint [options] scene
  -o, --output <file>     where the picture goes
  -s, --seed <n>   seed of the dice (default: 0)
  -r --res W H     size
  --spp N          samples per pixel (default 64)
  --gamma <g>      of the preview, default=2.2
  --fast           no caustics
  --mode {path,light,both}
                   how light is followed
  --window X Y W H part of the picture
  -v, --verbose    say more
"""


class Trying(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        shutil.copytree(PEBBLE, self.folder, dirs_exist_ok=True)

    def tried(self, *changes, program=()):
        """What is found of Pebble with texts of its definition or its program replaced, old and new in turn."""
        for name, pairs in (("pebble.toml", changes), ("pebble.py", program)):
            path = self.folder / name
            text = path.read_text()
            for old, new in zip(pairs[::2], pairs[1::2], strict=True):
                self.assertIn(old, text)
                text = text.replace(old, new)
            path.write_text(text)
        found = Trial(read_definition(self.folder / "pebble.toml"), read_scene(COURT), "gate").carry_out()
        return {each.name: each for each in found}

    def test_one_that_holds_all_it_promises(self):
        found = self.tried()
        self.assertEqual({each.state for each in found.values()}, {"holds"})
        self.assertEqual(len(found), 12)
        self.assertIn("All that was tried holds.", promises_in_words(list(found.values())))

    def test_a_program_that_is_not_there(self):
        found = self.tried('"./pebble.sh", "{scene}"', '"./gone.sh", "{scene}"')
        self.assertEqual([each.state for each in found.values()], ["broken"])
        self.assertIn("gone.sh' is not on this machine", found["starts"].found)

    def test_one_that_fails_is_quoted_with_its_command(self):
        found = self.tried(program=("scene = read_scene(asked.scene)", 'raise SystemExit("cannot open the door")'))
        self.assertEqual(list(found), ["starts"])
        self.assertIn("cannot open the door", found["starts"].mend)
        self.assertIn("--job", found["starts"].mend)

    def test_a_picture_of_another_size_or_for_the_screen(self):
        found = self.tried(program=("width, height = asked.size", "width, height = asked.size[0] // 2, asked.size[1]"))
        self.assertIn("The picture is 32", found["picture"].found)
        self.assertNotIn("seeds", found)

    def test_dice_that_no_seed_moves(self):
        found = self.tried(program=("1000 * asked.twin + frame", "7"))
        self.assertEqual((found["repeats"].state, found["seeds"].state), ("holds", "broken"))
        self.assertIn('twins = "frame"', found["seeds"].mend)
        self.assertNotIn("quality", found)

    def test_dice_that_fall_anew_each_time(self):
        found = self.tried(program=("1000 * asked.twin + frame", ""))
        self.assertEqual((found["repeats"].state, found["seeds"].state), ("broken", "holds"))

    def test_a_knob_the_wrong_way_round(self):
        found = self.tried('better = "lower"\n', "")
        self.assertEqual(found["quality"].state, "broken")
        self.assertIn('better = "lower"', found["quality"].mend)

    def test_a_crop_of_another_place(self):
        found = self.tried(program=("left, top, wide, high = asked.part", "top, left, wide, high = asked.part"))
        self.assertEqual(found["crop"].state, "broken")

    def test_frames_by_one_process_that_are_other_frames(self):
        found = self.tried(program=("draw(asked, settings, scene, frame)", "draw(asked, settings, scene, first)"))
        self.assertEqual(found["sequence"].state, "broken")
        self.assertIn("wrote no picture of frame 2", found["sequence"].found)
        shutil.copytree(PEBBLE, self.folder, dirs_exist_ok=True)
        found = self.tried(program=("light = light * (1.0", "light = asked.frame**4 * light * (1.0"))
        self.assertEqual(found["sequence"].found, "the second is not what it is alone")

    def test_lines_that_never_come_and_a_pass_that_is_not_there(self):
        found = self.tried(
            "'^scene read'", "'^ready'", 'layer = "depth"', 'layer = "far"', r"'^(\d+) %'", r"'^(\d+) per'"
        )
        self.assertEqual([found[name].state for name in ("ready", "progress", "passes")], ["broken"] * 3)
        self.assertIn("no line fits ^ready", found["ready"].found)
        self.assertIn("has no layer 'far'", found["passes"].found)

    def test_one_that_leaves_something_running(self):
        """It is ended all the same, so that nothing is left."""
        marked = f"321{os.getpid()}"
        begun = f"import subprocess\nsubprocess.Popen(['sleep', '{marked}'], start_new_session=True)\n"
        found = self.tried(program=("import numpy as np\n", f"import numpy as np\n{begun}"))
        self.assertEqual(found["ends"].state, "holds")
        running = subprocess.run(["pgrep", "-f", f"sleep {marked}"], capture_output=True, check=False)
        self.assertEqual(running.stdout, b"")


class Command(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def run_main(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(word) for word in words])
        return code, out.getvalue(), err.getvalue()

    def test_try_prints_every_promise_and_ends_with_2_where_one_is_broken(self):
        code, out, err = self.run_main("engine", PEBBLE / "pebble.toml", "--try", COURT)
        self.assertEqual(code, 0)
        self.assertIn("All that was tried holds.", out)
        self.assertIn("… another seed gives another picture: holds", err)
        shutil.copytree(PEBBLE, self.folder, dirs_exist_ok=True)
        broken = self.folder / "pebble.toml"
        broken.write_text(broken.read_text().replace("'^scene read'", "'^never'"))
        code, out, err = self.run_main("engine", broken, "--try", COURT, "--json")
        self.assertEqual(code, 2)
        self.assertEqual({row["name"]: row["state"] for row in json.loads(out)}["ready"], "broken")
        self.assertIn("1 of its promises does not hold", err)
        code, _, err = self.run_main("engine", PEBBLE / "pebble.toml", "--try", COURT, "--view", "roof")
        self.assertEqual((code, err), (2, "matchedpair: Court has no view 'roof'; it has gate, well\n"))

    def test_a_first_definition_is_proposed_and_can_be_read(self):
        (self.folder / "help.txt").write_text(HELP)
        target = self.folder / "glint.toml"
        words = ("engine", target, "--new", "glint", "--help-text", self.folder / "help.txt")
        code, out, err = self.run_main(*words)
        self.assertEqual((code, err), (0, ""))
        definition = read_definition(target)
        self.assertEqual(definition.quality_knob.name, "spp")
        self.assertEqual(definition.defaults(), {"spp": 64, "gamma": 2.2, "fast": False, "mode": "path", "window": ""})
        self.assertEqual(
            definition.render[1:],
            ("--output", "{picture}", "--seed", "{seed}", "--res", "{width}", "{height}", "{settings}", "{scene}"),
        )
        self.assertIn("--try SCENE", out)
        code, _, err = self.run_main(*words)
        self.assertEqual(code, 2)
        self.assertEqual(err, "matchedpair: glint.toml is there already; name another file, or move it away\n")

    def test_a_program_is_asked_itself_and_one_without_options_is_said(self):
        target = self.folder / "python.toml"
        code, _, err = self.run_main("engine", target, "--new", str(self.folder / "gone"))
        self.assertEqual(code, 2)
        self.assertIn("give --help-text FILE", err)
        code, _, _ = self.run_main("engine", target, "--new", sys.executable)
        self.assertEqual(code, 0)

    def test_options_whose_names_say_nothing_are_known_by_how_they_are_explained(self):
        (self.folder / "help.txt").write_text(
            "  --into FILE        picture to write, EXR\n  --rays N           rays for each pixel (default 16)\n"
            "  --random N         start of the random numbers\n  --eye NAME         camera of the scene\n"
            "  --w N              width\n  --h N              height\n  --lamps N          lamps to look at\n"
            "  --note FILE        write a text beside the picture\n"
        )
        target = self.folder / "plume.toml"
        self.assertEqual(
            self.run_main("engine", target, "--new", "plume", "--help-text", self.folder / "help.txt")[0], 0
        )
        definition = read_definition(target)
        # two options write something with the picture: which of them is the picture is for a person to say
        self.assertEqual(
            definition.render[1:],
            ("--eye", "{view}", "--w", "{width}", "--h", "{height}", "--random", "{seed}", "{settings}", "{scene}"),
        )
        self.assertEqual((definition.quality_knob.name, definition.quality_knob.minimum), ("rays", 1))
        self.assertEqual(definition.defaults(), {"into": "", "rays": 16, "lamps": 0, "note": ""})
        one = first_definition("plume", "  --into FILE  picture to write, EXR\n", {})
        self.assertIn('"--into", "{picture}"', one)

    def test_the_least_and_the_most_are_read_from_the_explanations(self):
        (self.folder / "help.txt").write_text(
            "  --out FILE      picture\n  --rays N         rays per pixel (1-1024, default 16)\n"
            "  --mix X          between 0 and 1 (default 0.5)\n  --depth N        steps [2..64], default: 8\n"
            "  --odd N          from 4 to 9 (default 2)\n  --part N         tile 3-4 of the picture (default 1)\n"
        )
        target = self.folder / "brume.toml"
        self.run_main("engine", target, "--new", "brume", "--help-text", self.folder / "help.txt")
        found = {each.name: (each.minimum, each.maximum) for each in read_definition(target).settings}
        self.assertEqual(
            found, {"rays": (1, 1024), "mix": (0, 1), "depth": (2, 64), "odd": (None, None), "part": (None, None)}
        )

    def test_options_of_many_shapes(self):
        found = {each.name: (each.values, each.default) for each in options_in(HELP)}
        self.assertEqual(found["output"], (1, ""))
        self.assertEqual((found["res"], found["window"]), ((2, ""), (4, "")))
        self.assertEqual((found["spp"], found["gamma"], found["fast"]), ((1, "64"), (1, "2.2"), (0, "")))
        self.assertIn('twins = "frame"', first_definition("x", "  --out FILE  there\n", {}))


if __name__ == "__main__":
    unittest.main()
