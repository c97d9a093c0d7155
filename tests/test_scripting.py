"""What docs/api.md shows, run as it stands: the core alone, and a study through the API."""

import json
import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import matchedpair
import requests

from tests import fuzz
from tests.pictures import noisy, textured, write
from tests.warm import run_python

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
            token = self.own_token(environment)
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

    def test_a_farm_sends_its_renders_as_they_are_made(self):
        with fuzz.serving() as (address, home):
            environment = fuzz.environment_of(home)
            environment["MATCHEDPAIR_TOKEN"] = self.own_token(environment)
            picture = write(home / "cup_16_s1.exr", noisy(textured((64, 48)), 0.2, 1))
            late = home / "cup_16_s2.exr"
            words = [str(Path(sys.executable).parent / "matchedpair"), "send", "--to", address, "--set", "Night 12"]
            more = ["--pattern", "{scene}_{samples}_s{seed}", "--value", "engine=Glint", "--value", "mode=fast"]
            sending = subprocess.Popen([*words, *more, "--wait", "--json", str(picture), str(late)], env=environment,
                                       stdout=subprocess.PIPE, text=True)  # fmt: skip
            made = write(home / "made.exr", noisy(textured((64, 48)), 0.2, 2)).read_bytes()
            with late.open("wb") as file:  # as a renderer writes, in pieces
                for start in range(0, len(made), 2000):
                    file.write(made[start : start + 2000])
                    file.flush()
                    time.sleep(0.05)
            out, _ = sending.communicate(timeout=200)
            self.assertEqual(sending.returncode, 0)
            self.assertEqual([row["problem"] for row in json.loads(out)["renders"]], ["", ""])
            headers = {"Authorization": f"Bearer {environment['MATCHEDPAIR_TOKEN']}"}
            (row,) = requests.get(f"{address}/api/imports/", headers=headers, timeout=60).json()
            self.assertEqual((row["title"], row["taken"]), ("Night 12", 2))
            known = requests.get(f"{address}/api/imports/{row['id']}/", headers=headers, timeout=60).json()["renders"][
                1
            ]
            self.assertEqual(
                (known["fields_known"]["engine"], known["fields_known"]["seed"], known["settings"]),
                ("Glint", 2, {"samples": 16, "mode": "fast"}),
            )
            (home / "bad.exr").write_text("nothing")
            for extra, said in (
                (["bad.exr"], "1 of 1 could not be imported: bad.exr"), (["gone.exr"], "gone.exr: no such file"),
                (["bad.exr", "--token", "x"], "the server refuses: This token is not that of this home"),
                (["bad.exr", "--to", "ftp://x"], "expected an address that begins with http"),
                (["bad.exr", "--to", "http://127.0.0.1:9"], "cannot be asked"),
            ):  # fmt: skip
                done = subprocess.run([*words, *extra], env=environment, cwd=home, capture_output=True, text=True,
                                      check=False)  # fmt: skip
                self.assertEqual(done.returncode, 2, extra)
                self.assertIn(said, done.stderr)

    def own_token(self, environment):
        told = run_python(["manage.py", "script_token"], environment)
        told.check_returncode()
        return told.stdout.strip()

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
