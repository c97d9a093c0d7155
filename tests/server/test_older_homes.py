"""A home made by an earlier version: its database migrates, and every screen shows the same of it."""

import json
import math
import os
import shutil
import sqlite3
import tempfile
from pathlib import Path
from unittest import TestCase

from tests.engines import add_engine
from tests.warm import run_python

ROOT = Path(__file__).parents[2]
# made by version 0.1 with searches and verdicts among the findings: a study with twins, a verdict, pins, a blind test
# under way and a search; shown.json is what its screens then read
HOME = ROOT / "tests" / "data" / "home-1"
# what has another name since; and what a cell would have shown, which is told by its own freedom since
RENAMED = (
    ("/findings/", "/answer/"),
    ('"finding":', '"sentence":'),
    ("a change of 2.7 % would", "a change of 4.6 % would"),
    ('"title": "Light"', '"title": "Variant"'),
)
MEASURE = """
import django; django.setup()
from server.measuring.measuring import measure_outstanding
from server.studies.models import Option
assert measure_outstanding(Option.objects.all())
"""
# methods have other versions since, whose figures are nearly the same here but for how places spread and for how far a
# difference stands out; the list has the match rail alone
LET_GO = ("version", "spread", "overall_z", "smallest_seen_percent")
NEAR = 5e-3
GONE = "nothing"
ASK = """
import json, sys
from django.test import Client
print(json.dumps({path: Client(headers={"host": "127.0.0.1"}).get(path).json() for path in sys.argv[1:]}))
"""


def unlike(now, before, where=""):
    """Where there is another value now than before, or none; later versions tell more. Empty where all are alike."""
    if isinstance(before, dict) and isinstance(now, dict):
        rows = [(key, now.get(key, GONE), before[key]) for key in before if key not in LET_GO]
    elif isinstance(before, list) and isinstance(now, list) and len(before) == len(now):
        rows = [(place, *both) for place, both in enumerate(zip(now, before, strict=True))]
    elif isinstance(before, float) and isinstance(now, float):
        return "" if math.isclose(now, before, rel_tol=NEAR) else f"{where}: {now} instead of {before}"
    else:
        return "" if now == before else f"{where}: {now!r} instead of {before!r}"
    return next(filter(None, (unlike(own, then, f"{where}/{key}") for key, own, then in rows)), "")


class OlderHomes(TestCase):
    def test_it_migrates_and_shows_the_same(self):
        with tempfile.TemporaryDirectory() as folder:
            home = Path(folder)
            shutil.copytree(HOME / "store", home / "store")
            database = sqlite3.connect(home / "db.sqlite3")
            database.executescript((HOME / "database.sql").read_text(encoding="utf-8"))
            database.close()
            (home / "engines").mkdir()
            add_engine(home / "engines", "good")
            self.environment = os.environ | {
                "MATCHEDPAIR_HOME": folder, "MATCHEDPAIR_ENGINES": str(home / "engines"),
                "DJANGO_SETTINGS_MODULE": "server.config.settings",
            }  # fmt: skip
            # half-way, as a later version left it, whose database counts what changes
            self.run_python("manage.py", "migrate", "studies", "0006", "--verbosity", "0")
            self.run_python("manage.py", "migrate", "--verbosity", "0")
            # methods have other versions since, so that the figures are measured again first, as a measurer would
            self.run_python("-c", MEASURE)
            told = (HOME / "shown.json").read_text(encoding="utf-8")
            for before, now in RENAMED:
                self.assertIn(before, told)
                told = told.replace(before, now)
            expected = json.loads(told)
            for row in expected["/api/overview/"]["studies"]:
                self.assertEqual(row.pop("match_sheet")["summary"], "Matched but for samples.")
            start = "import django; django.setup()"
            shown = json.loads(self.run_python("-c", f"{start}\n{ASK}", *expected))
            for path, before in expected.items():
                with self.subTest(path):
                    self.assertEqual(unlike(shown[path], before), "")

    def run_python(self, *words):
        done = run_python(words, self.environment)
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout
