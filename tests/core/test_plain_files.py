import os
import tempfile
import unittest
from pathlib import Path

from matchedpair.choose import read_recipe
from matchedpair.curves.table import read_table
from matchedpair.engines.definition_file import read_folder
from matchedpair.errors import InputError
from matchedpair.plain_files import as_text, parsed_json, parsed_toml, read_plain
from matchedpair.scenes import read_scenes, read_stresses

DEEP = 5000


class PlainFiles(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def refused(self, words, call, *given):
        with self.assertRaisesRegex(InputError, words):
            call(*given)

    def test_what_is_no_plain_file_is_refused_at_once(self):
        endless, pipe = self.folder / "endless", self.folder / "pipe"
        endless.symlink_to("/dev/zero")
        os.mkfifo(pipe)
        for path in (endless, pipe):
            self.refused(f"{path.name}: cannot be read: it is no plain file", read_plain, path, 100)
        self.refused("gone: cannot be read: No such file", read_plain, self.folder / "gone", 100)
        self.refused("it is no plain file", read_plain, self.folder, 100)
        self.refused("cannot be read: embedded null byte", read_plain, Path(f"{self.folder}/a\0b"), 100)

    def test_what_is_too_large_is_refused(self):
        path = self.folder / "large"
        path.write_bytes(b"x" * 101)
        self.refused("large: is larger than 100 bytes", read_plain, path, 100)
        self.assertEqual(len(read_plain(path, 101)), 101)

    def test_what_is_nested_too_deeply_or_no_text_is_refused(self):
        self.refused("t: is not JSON: it is nested too deeply", parsed_json, "[" * 200_000, "t")
        self.refused("t: is not TOML: it is nested too deeply", parsed_toml, "a=" + "[" * DEEP, "t")
        self.refused("t: is not JSON: NaN is no number", parsed_json, "[NaN]", "t")
        self.refused("t: is no text", as_text, b"\xff", "t")
        self.assertEqual(as_text("\ufeffä".encode(), "t"), "ä")

    def test_one_bad_engine_scene_or_list_of_stresses_stops_no_other(self):
        for name, contents in (("deep", "a=" + "[" * DEEP), ("bytes", "\udcff")):
            (self.folder / f"{name}.toml").write_bytes(contents.encode("utf-8", "surrogateescape"))
            (self.folder / f"{name}.json").write_bytes(contents.encode("utf-8", "surrogateescape"))
        (self.folder / "endless.toml").symlink_to("/dev/zero")
        (self.folder / "endless.json").symlink_to("/dev/zero")
        good, bad = read_folder(self.folder)
        self.assertEqual((good, sorted(error.file for error in bad)), ([], ["bytes.toml", "deep.toml", "endless.toml"]))
        scenes, problems = read_scenes(self.folder)
        self.assertEqual((scenes, len(problems)), ([], 3))
        (self.folder / "stresses.toml").symlink_to("/dev/zero")
        self.assertTrue(read_stresses(self.folder)[0])

    def test_recipes_and_tables_too(self):
        self.refused("nested too deeply", read_recipe, b"a=" + b"[" * DEEP)
        self.refused("nested too deeply", read_recipe, b'{"a":' * 100_000)
        (self.folder / "t.csv").symlink_to("/dev/zero")
        self.refused("no plain file", read_table, self.folder / "t.csv")
