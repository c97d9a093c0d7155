"""Hashes of a scene's files: read once, kept from one start to the next, and beside where somebody waits."""

import hashlib
import os
import shutil
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from matchedpair.errors import InputError
from matchedpair.scenes import digests, read_scene, read_scenes
from matchedpair.scenes.digests import BeingReadError, digest_of, digests_of

SCENES = Path(__file__).parents[1] / "renderers" / "scenes"


class Digests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.enterContext(mock.patch.object(digests, "_held", {}))
        self.enterContext(mock.patch.object(digests, "_kept_in", []))
        self.addCleanup(digests.read_large_files_beside, False)

    def file(self, name, contents):
        path = self.folder / name
        path.write_bytes(contents)
        return path

    def through(self):
        while digests.being_read():
            time.sleep(0.01)

    def test_a_file_is_read_once_for_each_state_of_it_and_kept(self):
        path = self.file("a.bin", b"one")
        digests.keep_digests_in(self.folder / "kept.sqlite3")
        with mock.patch.object(digests, "file_digest", wraps=digests.file_digest) as reading:
            for _ in range(2):
                self.assertEqual(digest_of(path), hashlib.sha256(b"one").hexdigest())
            digests._held.clear()  # as in another process
            self.assertEqual(digests_of({"a": path}), {"a": hashlib.sha256(b"one").hexdigest()})
            self.assertEqual(reading.call_count, 1)
            self.file("a.bin", b"two!")
            self.assertEqual(digest_of(path), hashlib.sha256(b"two!").hexdigest())
            self.assertEqual(reading.call_count, 2)

    def test_those_that_are_not_there_are_left_out(self):
        there = self.file("a.bin", b"one")
        self.assertEqual(list(digests_of({"a": there, "b": self.folder / "gone"})), ["a"])

    def test_much_is_read_beside_and_the_scene_is_there_once_that_is_through(self):
        shutil.copytree(SCENES, self.folder, dirs_exist_ok=True)
        large = self.folder / "court" / "ripples" / "wave.0001.txt"
        with large.open("ab") as file:
            file.write(b"0.5\n" * 50_000)
        digests.read_large_files_beside()
        with mock.patch.object(digests, "AT_ONCE_BYTES", 100_000):
            with self.assertRaisesRegex(
                BeingReadError, r"court\.scene\.toml: its files are read for the first time, 0\.0"
            ):
                read_scene(self.folder / "court.scene.toml")
            scenes, problems = read_scenes(self.folder)
            self.assertTrue(scenes or "it can be used once they are" in problems[0])
            self.through()
            scene = read_scene(self.folder / "court.scene.toml")
        self.assertEqual(scene.files.digests["ripples/wave.0001.txt"], hashlib.sha256(large.read_bytes()).hexdigest())

    def test_a_file_that_goes_while_it_waits_ends_nothing(self):
        large = [self.file(f"{name}.bin", os.urandom(200_000)) for name in "ab"]
        digests.read_large_files_beside()
        with mock.patch.object(digests, "AT_ONCE_BYTES", 100_000):
            with self.assertRaises(InputError):
                digests_of({path.name: path for path in large})
            large[1].unlink()
            self.through()
            self.assertEqual(list(digests_of({path.name: path for path in large})), ["a.bin"])

    def test_elsewhere_one_waits(self):
        large = self.file("a.bin", os.urandom(200_000))
        with mock.patch.object(digests, "AT_ONCE_BYTES", 100_000):
            self.assertEqual(list(digests_of({"a": large})), ["a"])
