"""Copies of a home, back again, spoiled files, files that nothing names, and databases of other versions."""

import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
from contextlib import closing
from pathlib import Path

from django.conf import settings
from django.core.management import CommandError, call_command
from matchedpair.errors import InputError

from server.processes.backup import back_up, check, restore, sweep
from server.processes.heartbeat import RUNNER, lock_file
from server.store.database import copy_database, integrity_problem
from server.store.files import keep, path_of
from server.studies.models import Study
from tests.database import UntransactedTest
from tests.runner import ROOT
from tests.server.base import WithEngines, finish_all
from tests.warm import run_python

OLD_HOME = ROOT / "tests" / "data" / "home-1"


class Copies(WithEngines, UntransactedTest):
    def setUp(self):
        super().setUp()
        shutil.rmtree(settings.HOME / "store", ignore_errors=True)
        self.study = self.create()
        finish_all(self.study)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.copy = Path(folder.name) / "copy"

    def picture(self):
        return path_of(self.study.runs.exclude(picture="").first().picture, ".exr")

    def test_all_is_copied_and_a_second_copy_takes_only_what_is_new(self):
        first, size = back_up(self.copy)
        self.assertGreater(first, 4)
        self.assertGreater(size, 1000)
        self.assertEqual(back_up(self.copy), (0, 0))
        keep(b"another", ".exr")
        self.assertEqual(back_up(self.copy), (1, 7))
        found = check(self.copy)
        self.assertTrue(found.good, found.words())
        self.assertEqual(found.files, first + 1)

    def test_it_comes_back_into_an_empty_home_and_shows_the_same(self):
        shown = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()
        back_up(self.copy)
        with tempfile.TemporaryDirectory() as home:
            environment = os.environ | {"MATCHEDPAIR_HOME": home, "DJANGO_SETTINGS_MODULE": "server.config.settings",
                                        "MATCHEDPAIR_ENGINES": str(self.folder)}  # fmt: skip
            ask = (
                "import django; django.setup(); from django.test import Client; import json;"
                "asked = Client(headers={'host': '127.0.0.1'});"
                f"print(json.dumps(asked.get('/api/studies/{self.study.pk}/answer/').json()))"
            )
            for words in (["manage.py", "restore", str(self.copy)], ["manage.py", "verify"], ["-c", ask]):
                done = run_python(words, environment)
                self.assertEqual(done.returncode, 0, done.stderr)
            self.assertEqual(json.loads(done.stdout), shown)

    def test_a_copy_made_while_others_write_is_whole(self):
        over = threading.Event()

        def write():
            with closing(sqlite3.connect(settings.DATABASES["default"]["NAME"], timeout=30)) as other:
                while not over.is_set():
                    other.execute("UPDATE studies_study SET question = question || 'x' WHERE length(question) < 250")
                    other.commit()

        writer = threading.Thread(target=write)
        writer.start()
        try:
            for _ in range(5):
                back_up(self.copy)
                self.assertEqual(integrity_problem(self.copy / "db.sqlite3"), "")
        finally:
            over.set()
            writer.join()

    def test_a_flipped_byte_is_found_named_and_never_copied(self):
        path = self.picture()
        contents = bytearray(path.read_bytes())
        contents[-1] ^= 1
        path.write_bytes(contents)
        found = check(settings.HOME)
        self.assertEqual((found.spoiled, found.good), ([path.name], False))
        with self.assertRaisesRegex(InputError, f"{path.name} is spoiled"):
            back_up(self.copy)
        self.assertFalse((self.copy / "store" / path.parent.name / path.name).exists())
        with self.assertRaises(SystemExit) as ended:
            call_command("verify", stdout=io.StringIO())
        self.assertEqual(ended.exception.code, 1)

    def test_what_the_database_names_and_is_gone_is_missing(self):
        digest = self.picture().name[:64]
        self.picture().unlink()
        self.assertEqual(check(settings.HOME).missing, [digest])

    def test_a_copy_that_is_not_whole_is_not_restored(self):
        back_up(self.copy)
        path = next((self.copy / "store").glob("*/*.exr"))
        path.write_bytes(b"spoiled")
        with self.assertRaisesRegex(InputError, "not whole, so nothing was restored"):
            restore(self.copy)
        (self.copy / "about.json").unlink()
        with self.assertRaisesRegex(InputError, "holds no copy"):
            restore(self.copy)
        with self.assertRaisesRegex(InputError, "holds something else"):
            back_up(self.copy)

    def test_nothing_is_restored_under_a_runner(self):
        back_up(self.copy)
        code = (
            "import sys; from filelock import FileLock; lock = FileLock(sys.argv[1]); lock.acquire();"
            "print('held', flush=True); input()"
        )
        holder = subprocess.Popen([sys.executable, "-c", code, str(lock_file(RUNNER))], stdin=subprocess.PIPE,
                                  stdout=subprocess.PIPE, text=True)  # fmt: skip
        self.assertEqual(holder.stdout.readline(), "held\n")
        with self.assertRaisesRegex(CommandError, "at work here; stop it"):
            call_command("restore", str(self.copy))
        holder.communicate("\n")
        self.assertEqual(Study.objects.count(), 1)

    def test_files_that_nothing_names_go_after_a_day_and_a_dry_run_only_names_them(self):
        young, old = (path_of(keep(contents, ".exr"), ".exr") for contents in (b"young", b"old"))
        os.utime(old, (1, 1))
        os.utime(self.picture(), (1, 1))
        self.assertEqual(sweep(dry=True), [old.name])
        self.assertTrue(old.exists())
        said = io.StringIO()
        call_command("sweep_store", stdout=said)
        self.assertIn("1 files were removed", said.getvalue())
        self.assertFalse(old.exists())
        self.assertTrue(young.exists() and self.picture().exists())


class OtherVersions(UntransactedTest):
    """Databases of an earlier and a later version, and broken ones, in a home of their own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)
        self.database = self.home / "db.sqlite3"
        self.environment = os.environ | {
            "MATCHEDPAIR_HOME": str(self.home), "DJANGO_SETTINGS_MODULE": "server.config.settings",
        }  # fmt: skip

    def run_python(self, *words):
        return run_python(words, self.environment)

    def served(self):
        """Status and text of the page that the server's entry gives; `none` where it serves as ever."""
        code = (
            "from server.config import wsgi; said = [];"
            "text = b''.join(wsgi.application({}, lambda *head: said.append(head[0]))) if wsgi.problem else b'';"
            "print(*said or ['none'], text.decode())"
        )
        return self.run_python("-c", code).stdout

    def test_an_earlier_one_is_refused_by_all_and_brought_up_with_a_copy_kept(self):
        with closing(sqlite3.connect(self.database)) as made:
            made.executescript((OLD_HOME / "database.sql").read_text(encoding="utf-8"))
        for name in ("runner", "measurer"):
            self.assertIn("The database is of an earlier version", self.run_python("manage.py", name).stderr)
        self.assertRegex(self.served(), "^503 .*earlier version")
        prepared = self.run_python("manage.py", "prepare")
        self.assertIn("A copy of the database from before", prepared.stdout, prepared.stderr)
        [kept] = (self.home / "backups").iterdir()
        with closing(sqlite3.connect(kept)) as before:
            self.assertEqual(before.execute("SELECT count(*) FROM findings_verdict").fetchone(), (1,))
        self.assertRegex(self.served(), "^none")
        self.assertEqual(self.run_python("manage.py", "prepare").stdout, "")

    def test_where_there_is_none_yet_it_is_said_and_one_begun_is_made(self):
        self.assertIn("There is no database here yet: run make demo", self.run_python("manage.py", "runner").stderr)
        with closing(sqlite3.connect(self.database)) as made:
            made.execute("CREATE TABLE django_migrations (id integer PRIMARY KEY, app text, name text, applied text)")
        self.assertEqual(self.run_python("manage.py", "prepare").stderr, "")
        with closing(sqlite3.connect(self.database)) as made:
            self.assertEqual(made.execute("SELECT count(*) FROM studies_study").fetchone(), (0,))

    def test_a_later_or_broken_one_is_refused_with_what_to_do(self):
        copy_database(self.database)
        with closing(sqlite3.connect(self.database)) as made:
            made.execute(
                "INSERT INTO django_migrations (app, name, applied) VALUES ('studies', '9999_later', '2040-01-01')"
            )
            made.commit()
        for words in (("manage.py", "prepare"), ("manage.py", "runner")):
            self.assertIn("later version (studies 9999_later)", self.run_python(*words).stderr.lower())
        self.assertRegex(self.served(), "^503 .*later version")
        self.database.write_bytes(b"this is no database at all" * 100)
        self.assertIn("make restore", self.run_python("manage.py", "prepare").stderr)
        self.assertRegex(self.served(), "^503 .*make restore")
