"""What docs/api.md shows, run as it stands: the core alone, and a study through the API."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import matchedpair
import requests

from tests import fuzz
from tests.pictures import noisy, textured, write

ROOT = Path(__file__).parents[1]
EXAMPLES = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "api.md").read_text(encoding="utf-8"), re.DOTALL)


class Core(unittest.TestCase):
    def test_the_example_runs_as_it_stands(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            names = ("beauty.0001", "twin.0001", "before", "before-2", "after", "after-2")
            for seed, each in enumerate(names):
                write(folder / f"{each}.exr", noisy(textured((160, 120)), 0.1 if "after" in each else 0.2, seed))
            code = EXAMPLES[0] + "\nprint(noise, ratio, needed)"
            done = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        noise, ratio, needed = map(float, done.stdout.split())
        self.assertAlmostEqual(noise, 20.0, delta=1.5)
        self.assertAlmostEqual(ratio, 0.5, delta=0.05)
        self.assertAlmostEqual(needed, 66.0, delta=1.0)

    def test_names_are_there_and_nothing_is_loaded_before_it_is_asked_for(self):
        for name in matchedpair.__all__:
            self.assertTrue(hasattr(matchedpair, name), name)
        code = "import matchedpair, sys; print('numpy' in sys.modules)"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "False")
        with self.assertRaises(AttributeError):
            matchedpair.nothing  # noqa: B018
        with self.assertRaises(matchedpair.InputError):
            matchedpair.measure_render("nothing.exr")


class Api(unittest.TestCase):
    def test_the_example_runs_as_it_stands(self):
        with fuzz.serving() as (address, home):
            environment = fuzz.environment_of(home)
            asked = [sys.executable, "manage.py", "script_token"]
            told = subprocess.run(asked, cwd=ROOT, env=environment, capture_output=True, text=True, check=True)
            token = told.stdout.strip()
            beside = [
                subprocess.Popen([sys.executable, "manage.py", name], cwd=ROOT, env=environment)
                for name in ("runner", "measurer")
            ]
            try:
                done = subprocess.run(
                    [sys.executable, "-c", EXAMPLES[1]], capture_output=True, text=True, check=False, timeout=500,
                    env=os.environ | {"MATCHED_PAIR": address, "TOKEN": token, "ENGINE": "good"},
                )  # fmt: skip
            finally:
                for process in beside:
                    process.terminate()
                for process in beside:
                    process.wait()
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertRegex(done.stdout, r"samples are enough|More than 64")
            self.tokens(address, token)

    def tokens(self, address, token):
        for given, status in ((token, 200), (f"{token}x", 401), ("", 401)):
            asked = requests.get(f"{address}/api/queue/", headers={"Authorization": f"Bearer {given}"}, timeout=60)
            self.assertEqual(asked.status_code, status)
        body = {"on": True}
        without = requests.post(f"{address}/api/queue/pause/", json=body, timeout=60)
        self.assertEqual(without.status_code, 403)
        with_it = requests.post(
            f"{address}/api/queue/pause/", json=body, headers={"Authorization": f"Bearer {token}"}, timeout=60
        )
        self.assertEqual(with_it.status_code, 200)
