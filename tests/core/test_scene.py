import json
import tempfile
import unittest
from importlib.machinery import SourceFileLoader
from pathlib import Path

from matchedpair.errors import InputError
from matchedpair.trials import read_scene, read_scenes

ROOT = Path(__file__).parents[2]


class Scenes(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_marble_stall_has_two_views_and_says_what_it_stresses(self):
        scene = read_scene(ROOT / "demo" / "scenes" / "marble-stall.json")
        self.assertEqual([view.name for view in scene.views], ["counter", "shelf"])
        self.assertIn("light focused through glass", scene.stresses)

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

    def test_the_shipped_scene_is_what_its_script_writes(self):
        make_scenes = SourceFileLoader("make_scenes", str(ROOT / "demo" / "make_scenes.py")).load_module()
        shipped = (ROOT / "demo" / "scenes" / "marble-stall.json").read_text()
        self.assertEqual(shipped, make_scenes.as_json(make_scenes.marble_stall()))
        self.assertGreaterEqual(len(json.loads(shipped)["shapes"]), 90)
