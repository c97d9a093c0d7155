"""A description proposed for a folder that has none."""

import shutil
import tempfile
import tomllib
import unittest
from pathlib import Path

from matchedpair.scenes import read_scene, read_scenes
from matchedpair.scenes.proposed import description_name, description_of, places_without

SCENES = Path(__file__).parents[1] / "renderers" / "scenes"
DEMO = Path(__file__).parents[2] / "demo" / "scenes"


class Proposed(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def made(self, name, *files):
        for file in files:
            path = self.folder / name / file
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(file)
        return tomllib.loads(description_of(self.folder / name))

    def test_what_is_proposed_describes_the_scene_that_was_described_by_hand(self):
        shutil.copytree(SCENES / "court", self.folder / "court")
        self.assertEqual(places_without(self.folder, []), ["court"])
        (self.folder / "court.scene.toml").write_text(description_of(self.folder / "court"))
        scene = read_scene(self.folder / "court.scene.toml")
        by_hand = read_scene(SCENES / "court.scene.toml")
        self.assertEqual(scene.files.digests, by_hand.files.digests)
        self.assertEqual((scene.first_frame, scene.last_frame, scene.title), (1, 3, "Court"))
        self.assertEqual(scene.files.file_for("pebble", "night"), "court_night.peb")
        self.assertEqual(places_without(self.folder, [scene]), [])

    def test_the_likeliest_file_is_the_scene_and_all_else_belongs_to_it(self):
        made = self.made(
            "old_mill", "readme.md", "tex/wood.png", "geo/mill.abc", "geo/wheel.abc", "old_mill.scn",
            "old_mill-dusk.scn", "notes.scn.bak",
            "cache/water.0010.vdb", "cache/water.0011.vdb", "cache/water.0012.vdb",
        )  # fmt: skip
        self.assertEqual((made["file"], made["title"], made["frames"]), ("old_mill.scn", "Old mill", [10, 12]))
        self.assertEqual(made["variants"]["dusk"]["file"], "old_mill-dusk.scn")
        self.assertEqual(made["depends"], ["cache/water.####.vdb", "geo", "notes.scn.bak", "readme.md", "tex"])

    def test_a_description_in_the_folder_is_no_part_of_it(self):
        made = self.made("mill", "mill.scn", "mill.scene.toml", "wood.oso")
        self.assertEqual((made["file"], made["depends"]), ("mill.scn", ["wood.oso"]))

    def test_a_gap_or_series_of_other_numbers_are_no_frames(self):
        made = self.made("gap", "gap.scn", "a.1.vdb", "a.2.vdb", "b.7.vdb", "b.8.vdb")
        self.assertNotIn("frames", made)
        self.assertEqual(made["depends"], ["a.1.vdb", "a.2.vdb", "b.7.vdb", "b.8.vdb"])

    def test_a_folder_of_pictures_is_no_scene(self):
        (self.folder / "maps").mkdir()
        (self.folder / "maps" / "wood.png").write_text("x")
        self.assertEqual((description_of(self.folder / "maps"), places_without(self.folder, [])), ("", []))

    def test_a_file_on_its_own_is_a_scene_with_the_cameras_that_it_names(self):
        lines = ["ball 1 2 3", "camera main 0 1 2", 'Camera: "low_left"', "camera position 3", "camera low_left again"]
        (self.folder / "yard.pl").write_text("\n".join(lines))
        for other in ("notes.txt", "maps.png", "run.0001.pl", "run.0002.pl"):
            (self.folder / other).write_text("x")
        self.assertEqual(places_without(self.folder, []), ["yard.pl"])
        target = self.folder / description_name(self.folder / "yard.pl")
        target.write_text(description_of(self.folder / "yard.pl"))
        scene = read_scene(target)
        self.assertEqual((scene.name, list(scene.files.digests)), ("yard", ["yard.pl"]))
        self.assertEqual(
            {view.name: scene.handed_over(view.name, "")["view.camera"] for view in scene.views},
            {"main": "main", "low-left": "low_left"},
        )
        self.assertEqual(places_without(self.folder, [scene]), [])

    def test_a_file_that_is_no_text_has_one_view_to_be_filled_in(self):
        (self.folder / "yard.bin").write_bytes(b"camera \xff\xfe main")
        self.assertEqual(tomllib.loads(description_of(self.folder / "yard.bin"))["views"], {"main": {"title": "Main"}})

    def test_folders_that_scenes_use_are_not_asked_about(self):
        for place in (DEMO, SCENES):
            scenes, _ = read_scenes(place)
            self.assertEqual(places_without(place, scenes), [], place)


if __name__ == "__main__":
    unittest.main()
