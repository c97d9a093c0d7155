"""A renderer unlike the stand-ins, by its definition in the second format: called, understood, and judged."""

import json
import os
import shutil
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from matchedpair.engines import RenderJob, read_definition, render
from matchedpair.errors import DefinitionError, InputError, SettingsError
from matchedpair.measures.drawn_zones import DrawnZone
from matchedpair.pictures import read_picture
from matchedpair.scenes import Setup, read_scene, read_scenes, setup_problems

RENDERERS = Path(__file__).parents[1] / "renderers"
PEBBLE = RENDERERS / "pebble" / "pebble.toml"
SCENES = RENDERERS / "scenes"


class Pebble:
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.pebble = read_definition(PEBBLE)
        self.count = 0

    def render(self, definition=None, on_progress=lambda _: None, **changes):
        self.count += 1
        made = self.folder / f"made-{self.count}"
        made.mkdir()
        job = RenderJob(SCENES / "court" / "court.peb", "cam_gate", 1, 60, 40, 1, 1, {}, 60.0)
        return render(definition or self.pebble, replace(job, **changes), made, on_progress=on_progress)

    def pixels(self, outcome):
        self.assertEqual((outcome.state, outcome.reason), ("finished", ""))
        return read_picture(outcome.picture).pixels

    def changed(self, *changes):
        """Pebble by a definition with some texts replaced, old and new in turn."""
        text = PEBBLE.read_text()
        for old, new in zip(changes[::2], changes[1::2], strict=True):
            self.assertIn(old, text)
            text = text.replace(old, new)
        path = self.folder / "changed.toml"
        path.write_text(text)
        shutil.copytree(PEBBLE.parent, self.folder, dirs_exist_ok=True)
        return read_definition(path)


class Own(Pebble, unittest.TestCase):
    def test_settings_go_by_a_file_and_the_picture_is_a_layer_found_by_a_pattern(self):
        plain = self.render()
        made = self.pixels(plain)
        self.assertEqual(made.shape, (40, 60, 3))
        self.assertEqual(plain.reached, 7.0)  # 0.5 / √7 is the first below 0.2
        self.assertIn("tint = 1.0 1.0 1.0", (plain.picture.parent / "job.ini").read_text())
        red = self.pixels(self.render(settings={"tint": "2, 1, 0.5"}))
        self.assertAlmostEqual(float((red[..., 0] / made[..., 0]).mean()), 2.0, places=4)

    def test_a_knob_that_goes_down_buys_less_noise(self):
        coarse, fine = (
            [self.pixels(self.render(seed=seed, settings={"threshold": value})) for seed in (1, 2)]
            for value in (0.2, 0.05)
        )
        spread = [float((pair[0] - pair[1]).std()) for pair in (coarse, fine)]
        self.assertAlmostEqual(spread[0] / spread[1], (100 / 7) ** 0.5, delta=0.4)
        self.assertTrue(self.pebble.quality_knob.better_lower)

    def test_frames_that_follow_each_other_are_one_process_and_each_has_its_own_time(self):
        slow = {"threshold": 0.03}  # 278 samples, of which it takes 256
        alone = [self.render(frame=frame, settings=slow, passes=("depth",)) for frame in (1, 2, 3)]
        seen = []
        together = self.render(frames=(1, 2, 3), settings=slow, passes=("depth",), on_progress=seen.append)
        self.assertEqual([made.frame for made in together.frames], [2, 3])
        pictures = [self.pixels(together), *(read_picture(made.path).pixels for made in together.frames)]
        for picture, single in zip(pictures, alone, strict=True):
            self.assertTrue((picture == self.pixels(single)).all())
        depths = {together.passes["depth"], *(made.passes["depth"] for made in together.frames)}
        self.assertEqual(len(depths), 3)
        self.assertEqual({together.reached, *(made.reached for made in together.frames)}, {256.0})
        # every frame sleeps as long; the first alone starts Python
        walls = [together.wall_seconds, *(made.wall_seconds for made in together.frames)]
        self.assertTrue(all(wall > 0.25 for wall in walls), walls)
        computed = [together.cpu_seconds, *(made.cpu_seconds for made in together.frames)]
        self.assertEqual(max(computed), computed[0])
        shares = [each.share for each in seen if each.share is not None]
        self.assertTrue(any(1 / 3 < share < 2 / 3 for share in shares), shares)

    def test_without_a_line_the_files_tell_the_time_of_each_frame(self):
        plain = self.changed("frame_done = '^frame (\\d+) written'\n", "")
        together = self.render(plain, frames=(1, 2, 3), settings={"threshold": 0.03})
        walls = [together.wall_seconds, *(made.wall_seconds for made in together.frames)]
        self.assertTrue(all(wall > 0.25 for wall in walls), walls)
        self.assertEqual([made.cpu_seconds for made in together.frames], [None, None])
        self.assertNotIn("even share", together.log)

    def test_a_frame_that_is_not_there_is_named(self):
        short = self.changed('"--frames", "{first}", "{last}"', '"--frames", "{first}", "2", "--", "{last}"')
        script = self.folder / "pebble.sh"
        script.write_text(script.read_text().replace('"$@"', '$(echo "$@" | sed "s/ -- 3//")'))
        outcome = self.render(short, frames=(1, 2, 3))
        self.assertEqual(outcome.state, "failed")
        self.assertIn("wrote no picture of frame 3", outcome.reason)

    def test_passes_are_layers_of_the_same_file(self):
        outcome = self.render(passes=("depth", "normal"))
        depth = read_picture(outcome.passes["depth"]).pixels
        self.assertEqual(float(depth[0, 0, 0]), 40.0)
        self.assertAlmostEqual(float(read_picture(outcome.passes["normal"]).pixels[3, 3, 2]), 0.2, places=3)
        lacking = self.changed('layer = "depth"', 'layer = "distance"')
        outcome = self.render(lacking, passes=("depth",))
        self.assertEqual(outcome.state, "failed")
        self.assertIn("has no layer 'distance'; it has beauty, depth, normal", outcome.reason)

    def test_waiting_for_a_licence_is_no_render_time(self):
        # long enough that a busy machine hears that it is ready before it is done
        free, crowded = self.render(settings={"threshold": 0.01, "most_samples": 512}), self.render(build="crowded")
        self.assertEqual(crowded.state, "finished")
        self.assertIn("licence: got one", crowded.log)
        held_back = json.loads((crowded.picture.parent / "account.json").read_text())
        self.assertGreater(held_back["ended"] - held_back["began"] - crowded.wall_seconds, 0.4)
        self.assertIsNotNone(free.ready_seconds)

    def test_what_it_prints_tells_success_and_failure_whatever_its_exit_code(self):
        lost = self.render(view="cam_roof")
        self.assertEqual((lost.state, lost.reason), ("failed", "Pebble says that it failed: no camera cam_roof"))
        with mock.patch.dict(os.environ, {"PEBBLE_CODE": "3"}):
            self.pixels(self.render())
            unsure = self.render(self.changed("success = '^all done'\n", ""))
        self.assertEqual(unsure.state, "failed")
        self.assertIn("exit code 3", unsure.reason)
        silent = self.render(self.changed("success = '^all done'", "success = '^never said'"))
        self.assertIn("ended without saying that it was through", silent.reason)

    def test_progress_comes_in_percent(self):
        seen = []
        folder = self.folder / "seen"
        folder.mkdir()
        job = RenderJob(
            SCENES / "court" / "court.peb", "cam_gate", 1, 60, 40, 1, 1, {"threshold": 0.001, "most_samples": 400}, 60.0
        )
        render(self.pebble, job, folder, on_progress=lambda progress: seen.append(progress.share))
        told = [share for share in seen if share is not None]
        self.assertIn(1.0, told)
        self.assertEqual(told, sorted(told))
        self.assertIsNotNone(seen[-1])  # that its only frame is written is the end

    def test_a_wrapper_stands_before_the_program_and_a_build_brings_arguments(self):
        (self.folder / "wrap.sh").write_text('#!/bin/sh\necho "wrapped: $1"\nshift\nexec "$@"\n')
        (self.folder / "wrap.sh").chmod(0o755)
        wrapped = self.changed("[command]", '[command]\nbefore = ["./wrap.sh", "at {width}"]')
        outcome = self.render(wrapped)
        self.assertIn("wrapped: at 60", outcome.log)
        self.assertTrue(outcome.command[0].endswith("wrap.sh"))

    def test_without_a_seed_another_frame_makes_the_twin(self):
        no_seed = ('"--twin", "{seed}", ', "")
        seedless = self.changed(*no_seed, "format = 2", 'format = 2\ntwins = "frame"')
        first, second = (self.pixels(self.render(seedless, seed=seed)) for seed in (1, 2))
        self.assertFalse((first == second).all())
        with self.assertRaisesRegex(DefinitionError, "expected the placeholder {seed}"):
            self.changed(*no_seed)

    def test_two_pictures_that_fit_are_said(self):
        by_star = self.changed(
            "still.####.exr", "*.exr", "frame_done = '^frame (\\d+) written'\n", "",
            'sequence = ["--frames", "{first}", "{last}"]\n', "",
        )  # fmt: skip
        made = self.folder / "made-1" / "frames"
        made.mkdir(parents=True)
        (made / "old.exr").write_bytes(b"x")
        self.count = 0
        job = RenderJob(SCENES / "court" / "court.peb", "cam_gate", 1, 60, 40, 1, 1, {}, 60.0)
        outcome = render(by_star, job, self.folder / "made-1")
        self.assertIn("2 files fit 'frames/*.exr': frames/old.exr, frames/still.0001.exr", outcome.reason)

    def test_a_setting_without_effect_says_what_it_needs(self):
        reach = self.pebble.setting("reach")
        self.assertEqual(reach.without_effect({"smooth": False}, ""), "has no effect while smooth is not on")
        self.assertEqual(reach.without_effect({"smooth": True}, ""), "")

    def test_misspelt_and_misplaced_keys_are_named_with_the_nearest(self):
        for old, new, words in (
            ('quality_knob = true', 'quality_nob = true', "'threshold'.quality_nob: .*did you mean quality_knob"),
            ("percent =", "precent =", r"output.precent: .*did you mean percent\?"),
            ('form = "ini"', 'form = "xml"', "settings_file.form: expected one of toml, json, ini"),
            ("format = 2", "format = 1", "belongs to the second format"),
            ('default = "1, 1, 1"', 'default = "1, 1"', "setting 'tint'.default: must be three numbers"),
            ("needs = { smooth = true }", "needs = { smoth = true }", "'reach'.needs: there is no setting 'smoth'"),
            ("environment = { PEBBLE_THREADS", 'environment = { "A B"', "'A B' is no name of a variable"),
            ("{threads}", "{treads}", "unknown placeholder {treads}"),
        ):  # fmt: skip
            with self.subTest(new), self.assertRaisesRegex(DefinitionError, words):
                self.changed(old, new)


class Forms(Pebble, unittest.TestCase):
    """The same settings in each form of a file."""

    def file(self, form, **more):
        text = PEBBLE.read_text()
        lines = "".join(f"{key} = {value}\n" for key, value in more.items())
        old = 'name = "job.ini"\nform = "ini"\nsection = "pebble"\n'
        self.assertIn(old, text)
        path = self.folder / "form.toml"
        path.write_text(text.replace(old, f'name = "job"\nform = "{form}"\n{lines}'))
        shutil.copytree(PEBBLE.parent, self.folder, dirs_exist_ok=True)
        definition = read_definition(path)
        outcome = self.render(definition, settings={"tint": "2, 1, 0.5", "smooth": True})
        return (self.folder / f"made-{self.count}" / "job").read_text(), outcome

    def test_toml_and_json_keep_their_types(self):
        text, _ = self.file("toml", section='"a.b"')
        self.assertIn("[a.b]\nthreshold = 0.2\nmost_samples = 256\nsmooth = true\n", text)
        text, _ = self.file("json")
        self.assertEqual(
            json.loads(text),
            {"threshold": 0.2, "most_samples": 256, "smooth": True, "reach": 1, "tint": [2.0, 1.0, 0.5]},
        )

    def test_lines_and_a_text_of_the_engine_s_own(self):
        text, _ = self.file("lines")
        self.assertIn("threshold 0.2\nmost_samples 256\nsmooth true\n", text)
        own = "[pebble]\nthreshold={threshold}\nmost_samples={most_samples}\ntint=1 1 1\n; {frame:04d}  of {view} {{}}"
        text, outcome = self.file("template", text=json.dumps(own))
        self.assertIn("threshold=0.2\nmost_samples=256\ntint=1 1 1\n; 0001  of cam_gate {{}}", text)
        self.assertEqual(outcome.state, "finished")


class Described(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        shutil.copytree(SCENES, self.folder, dirs_exist_ok=True)
        self.path = self.folder / "court.scene.toml"

    def test_files_views_variants_and_frames_are_known(self):
        scene = read_scene(self.path)
        self.assertEqual((scene.name, scene.first_frame, scene.last_frame), ("court", 1, 3))
        self.assertEqual([view.title for view in scene.views], ["From the gate", "well"])
        self.assertEqual(scene.files.file_for("pebble", "as-is"), "court.peb")
        self.assertEqual(scene.files.file_for("pebble", "night"), "court_night.peb")
        self.assertEqual(scene.drawn_as("night"), "as-is")
        self.assertEqual(scene.files.handed_over("well", "as-is"), {"view.camera": "cam_well", "view.lens": "35"})
        self.assertEqual(len(scene.files.digests), 5)
        steps = DrawnZone("Steps", "measure", "rectangle", ((0.1, 0.6), (0.5, 0.95)))
        self.assertEqual([view.zones for view in scene.views], [(steps,), ()])
        self.assertEqual(scene.problem_for("pebble", "as-is"), "")
        self.assertIn("has no file for alder", scene.problem_for("alder", "as-is"))
        self.assertEqual(setup_problems(Setup("Court", scene.revision, "gate", 60, 40), scene), {})

    def test_any_file_that_belongs_to_it_makes_another_revision(self):
        first = read_scene(self.path).revision
        self.assertEqual(read_scene(self.path).revision, first)
        wave = self.folder / "court" / "ripples" / "wave.0003.txt"
        wave.write_text("9\n9\n")
        self.assertNotEqual(read_scene(self.path).revision, first)

    def test_what_is_missing_is_listed_frame_by_frame(self):
        for frame in (2, 3):
            (self.folder / "court" / "ripples" / f"wave.000{frame}.txt").unlink()
        scene = read_scene(self.path)
        self.assertEqual(scene.files.missing, ("ripples/wave.0002.txt", "ripples/wave.0003.txt"))
        self.assertIn("2 of its files are not there: ripples/wave.0002.txt", scene.problem_for("pebble", "as-is"))

    def test_patterns_and_folders_bring_what_is_below_them(self):
        text = self.path.read_text()
        for depends in ('["ripples"]', '["ripples/*.txt"]', '["**/wave.000?.txt"]'):
            self.path.write_text(text.replace('["ripples/wave.####.txt"]', depends))
            self.assertEqual(len(read_scene(self.path).files.digests), 5, depends)

    def test_misfits_are_named(self):
        text = self.path.read_text()
        for old, new, words in (
            ("depends =", "dependz =", r"dependz is not known; did you mean depends\?"),
            ('files = { pebble = "court.peb" }\ndepends', "depends", 'expected "file"'),
            ('"ripples/wave.####.txt"', '"../../secret"', 'must lie below "root"'),
            ("lens = 35", "lens = [1]", 'views.well: expected "values"'),
            ("[0.5, 0.95]", "[0.5, 1.95]", "views.gate: zones.Steps: zone 'Steps' reaches outside"),
            ("[1, 3]", "[3, 1]", 'expected "frames"'),
        ):
            self.path.write_text(text.replace(old, new))
            with self.subTest(new), self.assertRaisesRegex(InputError, words):
                read_scene(self.path)
        _, problems = read_scenes(self.folder)
        self.assertEqual(len(problems), 1)

    def test_what_it_asks_and_an_engine_cannot_be_told_is_refused(self):
        pebble = read_definition(PEBBLE)
        job = RenderJob(self.folder / "court" / "court.peb", "cam_gate", 1, 60, 40, 1, 1, {}, 60.0, variant="night")
        with self.assertRaises(SettingsError):
            render(pebble, job, self.folder)


if __name__ == "__main__":
    unittest.main()
