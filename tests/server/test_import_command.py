"""`matchedpair import`: what it hands over, what is taken in of it, and what it refuses."""

import errno
import json
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import TestCase

from server.imports import actions
from server.imports.inbox import take_in_one
from server.imports.models import ImportedRender, ImportSet
from tests.inner_loop import long
from tests.pictures import noisy, textured, write
from tests.server.base import WithEngines

COMMAND = str(Path(sys.executable).parent / "matchedpair")


class Command(WithEngines, TestCase):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder_of_renders = Path(folder.name)
        for seed in (1, 2):
            write(self.folder_of_renders / f"stall_top_s{seed}.exr", noisy(textured((64, 48)), 0.1, seed))
        (self.folder_of_renders / "bad.exr").write_bytes(b"x")

    def command(self, *words, code=0):
        called = [COMMAND, "import", *map(str, words), "--home", str(settings.HOME)]
        done = subprocess.run(called, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, code, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stdout + done.stderr

    def test_what_the_command_hands_over_the_runner_takes_in(self):
        said = self.command(
            self.folder_of_renders,
            "--pattern",
            "{scene}_{view}_s{seed}",
            "--set",
            "engine=Glint",
            "--title",
            "From the farm",
        )
        self.assertIn("2 taken, 1 not.", said)
        self.assertIn("bad.exr", said)
        self.assertTrue(take_in_one())
        self.assertFalse(take_in_one())
        made = ImportSet.objects.get()
        self.assertEqual((made.title, made.source), ("From the farm", "command"))
        rows = made.renders.all()
        self.assertEqual([row.facts().fields["seed"] for row in rows], [1, 2])
        self.assertEqual([row.missing() for row in rows], [[], []])

    def test_a_dry_run_hands_nothing_over_and_says_what_is_not_known(self):
        body = json.loads(self.command(self.folder_of_renders, "--dry-run", "--json"))
        self.assertEqual((len(body["taken"]), len(body["bad"]), body["handed_over"]), (2, 1, False))
        self.assertEqual(body["taken"][0]["missing"], ["engine", "scene", "view"])
        self.assertEqual(body["proposed"], "{scene}_{view}_s{seed}")
        self.assertIn("--pattern '{scene}_{view}_s{seed}'", self.command(self.folder_of_renders, "--dry-run"))
        said = self.command(self.folder_of_renders, "--dry-run", "--pattern", "{scene}_{view}_s{seed}")
        self.assertNotIn("--pattern", said)
        self.assertFalse(take_in_one())

    @long
    def test_bad_input_is_one_clear_line(self):
        empty = self.folder_of_renders / "empty"
        empty.mkdir()
        cases = [
            ([self.folder_of_renders / "none"], "no such file or folder"), ([empty], "there are no pictures"),
            ([self.folder_of_renders / "bad.exr"], "none of 1 files can be taken"),
            ([self.folder_of_renders, "--pattern", "x"], "has no place"),
            ([self.folder_of_renders, "--set", "engine"], "expected NAME=VALUE"),
            ([self.folder_of_renders, "--table", empty / "t.csv"], "cannot be read"),
        ]  # fmt: skip
        for words, said in cases:
            lines = self.command(*words, code=2).strip().splitlines()
            self.assertEqual(len(lines), 1, lines)
            self.assertIn(said, lines[0])

    def test_a_spoiled_folder_in_the_inbox_is_put_aside_and_stops_nothing(self):
        inbox = Path(settings.HOME) / "inbox"
        (inbox / "00-spoiled").mkdir(parents=True)
        (inbox / "00-spoiled" / "import.json").write_text('{"format": 1, "title": "x"}')
        self.command(self.folder_of_renders)
        with self.assertLogs("server.inbox", "WARNING"):
            self.assertTrue(take_in_one())
        self.assertEqual(ImportSet.objects.count(), 0)
        self.assertTrue(take_in_one())
        self.assertEqual(ImportSet.objects.count(), 1)
        shutil.rmtree(inbox)

    def test_ended_half_way_it_goes_on_into_the_same_set(self):
        self.command(self.folder_of_renders)
        real, seen = actions.keep_file, []

        def full_after_one(path, ending):
            seen.append(path)
            if len(seen) > 1:
                raise OSError(errno.ENOSPC, "No space left on device")
            return real(path, ending)

        with mock.patch("server.imports.actions.keep_file", full_after_one), self.assertRaises(OSError):
            take_in_one()
        self.assertEqual(ImportedRender.objects.count(), 1)
        first = ImportedRender.objects.get()
        self.assertTrue(take_in_one())
        self.assertEqual(ImportSet.objects.count(), 1)
        self.assertIn(first, ImportedRender.objects.all())
        self.assertGreater(ImportedRender.objects.count(), 1)
        self.assertFalse(ImportedRender.objects.filter(problem__contains="space").exists())
        self.assertFalse(take_in_one())
