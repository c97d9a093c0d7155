"""A real server: odd requests to every address, and the copy that is asked for on the screen."""

import time
from unittest import TestCase

import requests

from tests import fuzz
from tests.warm import run_python


class RealServer(TestCase):
    def test_odd_requests_are_answered_as_the_schema_says(self):
        self.assertEqual(fuzz.main(["300"]), 0)

    def test_everything_is_copied_from_the_screen(self):
        with fuzz.serving() as (address, home):
            session = requests.Session()
            session.get(f"{address}/api/session/", timeout=60)
            session.headers["X-CSRFToken"] = session.cookies["csrftoken"]
            before = session.get(f"{address}/api/backup/", timeout=60).json()
            self.assertEqual((before["at_work"], before["made_at"], before["on_another_disk"]), (False, None, False))
            begun = session.post(f"{address}/api/backup/", timeout=60)
            self.assertEqual((begun.status_code, begun.json()["problem"]), (202, ""))
            told = self.when_through(session, address)
            self.assertEqual(told["problem"], "")
            self.assertGreater(told["new_files"], 3)
            copy = home / "backups" / "copy"
            verified = run_python(["manage.py", "verify", str(copy)], fuzz.environment_of(home))
            self.assertEqual(verified.returncode, 0, verified.stdout + verified.stderr)
            (home / "copying.json").write_text('{"at_work": true, "done": 1, "of": 9}')
            told = session.get(f"{address}/api/backup/", timeout=60).json()
            self.assertIn("ended before it was through", told["problem"])
            session.post(f"{address}/api/backup/", timeout=60)
            told = self.when_through(session, address)
            self.assertEqual((told["problem"], told["new_files"]), ("", 0))
            stored = next(path for path in (home / "store").glob("*/*") if path.name.endswith(".exr"))
            (copy / "store" / stored.parent.name / stored.name).unlink()
            stored.write_bytes(stored.read_bytes()[:-1])
            session.post(f"{address}/api/backup/", timeout=60)
            told = self.when_through(session, address)
            self.assertIn("is spoiled", told["problem"])
            self.assertIsNotNone(told["made_at"])

    def when_through(self, session, address):
        while True:
            told = session.get(f"{address}/api/backup/", timeout=60).json()
            if not told["at_work"]:
                return told
            time.sleep(0.1)
