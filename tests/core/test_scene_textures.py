"""Textures of a scene: its revisions, its variants, and the command."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
from matchedpair.errors import InputError
from matchedpair.scenes import read_scene
from matchedpair.textures import find_maps, plan_maps, read_maps, write_copies

from tests.core.test_textures import TextureTest
from tests.inner_loop import long

SCENES = Path(__file__).parents[2] / "demo" / "scenes"


class InScenes(TextureTest):
    def setUp(self):
        super().setUp()
        shutil.copytree(SCENES / "textures", self.folder / "textures", ignore=shutil.ignore_patterns("reduced-*"))
        shutil.copy(SCENES / "shutter-wall.json", self.folder)
        self.path = self.folder / "shutter-wall.json"

    def test_a_scene_without_textures_keeps_its_own_bytes(self):
        path = SCENES / "marble-stall.json"
        self.assertEqual(read_scene(path).contents, path.read_bytes())

    def test_a_changed_texture_is_another_revision_and_copies_are_not(self):
        first = read_scene(self.path)
        base = self.folder / "textures"
        copies = write_copies(base, plan_maps(read_maps(base, find_maps(base))[0]))
        second = read_scene(self.path)
        self.assertEqual(second.revision, first.revision)
        variant = second.variants[-1]
        self.assertEqual(variant.name, copies.name)
        self.assertEqual(second.drawn_as(variant.name), "as-is")
        replaced = variant.textures["textures/flags_relief.png"]
        self.assertEqual(replaced.file, f"textures/{copies.name}/flags_relief.png")
        self.assertTrue((self.folder / replaced.file).is_file())
        self.assertNotIn("textures/shutter_colour.png", variant.textures)
        cv2.imwrite(str(base / "post_mask.png"), np.ones((1024, 1024), np.uint8))
        third = read_scene(self.path)
        self.assertNotEqual(third.revision, first.revision)
        self.assertNotIn(copies.name, [each.name for each in third.variants])

    def test_a_texture_that_is_missing_or_outside_is_told_with_the_scene(self):
        (self.folder / "textures" / "post_mask.png").unlink()
        with self.assertRaisesRegex(InputError, "shutter-wall.json: texture 'post_mask': post_mask.png: no such file"):
            read_scene(self.path)
        raw = json.loads(self.path.read_text())
        raw["textures"]["post_mask"]["file"] = "../x.png"
        self.path.write_text(json.dumps(raw))
        with self.assertRaisesRegex(InputError, "below the scene's own folder"):
            read_scene(self.path)


class Command(InScenes):
    def call(self, *words):
        command = [str(Path(sys.executable).parent / "matchedpair"), "textures", *map(str, words)]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    @long
    def test_a_scene_is_planned_with_its_use_written_and_undone(self):
        use = self.folder / "use.json"
        use.write_text(json.dumps([{"texture": "flags_relief", "shown_percent": 40, "pixels_across": 200}]))
        done = self.call(self.path, "--use", use, "--role", "plate_roughness.png=mask", "--write", "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        report = json.loads(done.stdout)
        rows = {row["file"]: row for row in report["maps"]}
        self.assertEqual((rows["flags_relief.png"]["pixels_across"], rows["flags_relief.png"]["divide_by"]), (200, 4))
        self.assertEqual(rows["plate_roughness.png"]["role_reason"], "stated")
        self.assertLess(report["after_bytes"], report["before_bytes"])
        name = report["copies"][0]["name"]
        self.assertTrue((self.folder / "textures" / name / "manifest.json").is_file())
        done = self.call(self.path, "--delete", name)
        self.assertIn("shutter_colour.png", done.stdout)
        self.assertFalse((self.folder / "textures" / name).exists())

    @long
    def test_bad_input_is_one_line_and_code_2(self):
        for words, expected in (
            ([self.folder / "none"], "no such folder"),
            ([self.folder, "--role", "x"], "expected FILE=VALUE"),
            ([self.folder, "--role", "textures/post_mask.png=shine"], "a role is colour"),
            ([self.folder, "--divide", "textures/post_mask.png=half"], "a whole number"),
            ([SCENES / "marble-stall.json"], "the scene has no textures"),
            ([self.folder, "--delete", "../.."], "no reduced copies"),
        ):
            done = self.call(*words)
            with self.subTest(expected):
                self.assertEqual((done.returncode, len(done.stderr.splitlines())), (2, 1), done.stderr)
                self.assertIn(expected, done.stderr)
