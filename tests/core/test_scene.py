import tempfile
import unittest
from pathlib import Path

from matchedpair.errors import InputError
from matchedpair.scenes import read_scene, read_scenes
from matchedpair.scenes.stresses import STRESSES

from demo.lantern_street.shapes import as_json
from demo.make_scenes import SCENES

ROOT = Path(__file__).parents[2]


class Scenes(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_marble_stall_has_two_views_and_says_what_it_stresses(self):
        scene = read_scene(ROOT / "demo" / "scenes" / "marble-stall.json")
        self.assertEqual([view.name for view in scene.views], ["counter", "shelf"])
        self.assertIn("focused-by-glass", scene.stresses)

    def test_any_change_is_another_revision(self):
        path = self.folder / "s.json"
        path.write_text('{"format": 1, "views": {"a": {}}}')
        first = read_scene(path).revision
        path.write_text('{"format": 1, "views": {"a": {}} }')
        self.assertNotEqual(read_scene(path).revision, first)

    def test_bad_files_are_named_and_spoil_no_other(self):
        (self.folder / "good.json").write_text('{"format": 1, "name": "good", "views": {"a": {"title": "A"}}}')
        bad = {"broken.json": "{", "list.json": "[]", "old.json": '{"format": 0}', "blind.json": '{"format": 1}'}
        for name, text in bad.items():
            (self.folder / name).write_text(text)
        scenes, problems = read_scenes(self.folder)
        self.assertEqual([scene.name for scene in scenes], ["good"])
        self.assertEqual([problem.split(":")[0] for problem in problems], sorted(bad))

    def test_a_missing_file_is_said(self):
        with self.assertRaisesRegex(InputError, "none.json: cannot be read: No such file"):
            read_scene(self.folder / "none.json")

    def test_the_shipped_scenes_are_what_their_script_writes(self):
        for make in SCENES:
            scene = make()
            shipped = (ROOT / "demo" / "scenes" / f"{scene['name']}.json").read_text()
            self.assertEqual(shipped, as_json(scene), scene["name"])

    def test_the_shipped_scenes_stress_everything_between_them(self):
        scenes, problems = read_scenes(ROOT / "demo" / "scenes")
        self.assertEqual(problems, [])
        stressed = {name for scene in scenes for name in scene.stresses}
        self.assertEqual(stressed, {stress.name for stress in STRESSES})
        for scene in scenes:
            self.assertGreaterEqual(len(scene.views), 2, scene.name)
            if scene.name == "test-ball":
                continue  # not of the film: it stresses nothing, its true picture is known
            self.assertGreaterEqual(len(scene.quantities), 2, scene.name)
            names = [variant.name for variant in scene.variants if not variant.textures]
            self.assertEqual(names[:4], ["as-is", "neutral", "lanterns-only", "dusk-only"], scene.name)
            self.assertEqual(len(names), 5, scene.name)
        self.assertTrue(any(scene.last_frame > scene.first_frame for scene in scenes))
