import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import psutil
from matchedpair.engines import engine_version, read_definition, render
from matchedpair.engines.job import RenderJob
from matchedpair.engines.process import SUPERVISE
from matchedpair.pictures import read_picture

from tests.engines import add_engine


class Rendering(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def render(self, kind, limit=30.0, pause=0.0, **watch):
        definition = read_definition(add_engine(self.folder, kind, pause=pause))
        made = self.folder / "made"
        made.mkdir()
        job = RenderJob(self.folder / "s.json", "v", 1, 40, 30, 3, 1, {}, limit)
        return render(definition, job, made, **watch)

    def test_a_good_render_is_accounted_for(self):
        seen = []
        outcome = self.render("good", pause=0.8, on_progress=seen.append)
        self.assertEqual((outcome.state, outcome.reason, outcome.exit_code), ("finished", "", 0))
        self.assertEqual(read_picture(outcome.picture).size, (40, 30))
        self.assertGreaterEqual(outcome.ready_seconds, 0.4)
        self.assertGreaterEqual(outcome.wall_seconds, 1.2)
        self.assertLess(outcome.ready_seconds, outcome.wall_seconds - 0.4)  # heard late where the machine is busy
        self.assertGreater(outcome.peak_memory_bytes, 5e6)
        shares = [progress.share for progress in seen if progress.share is not None]
        self.assertEqual(shares, sorted(shares))
        self.assertGreater(len(set(shares)), 3)
        self.assertIn("step 10/10", outcome.log)

    def test_an_engine_that_does_not_flush_its_lines_is_heard_when_it_writes_them(self):
        outcome = self.render("unflushed")
        self.assertGreaterEqual(outcome.wall_seconds - outcome.ready_seconds, 0.3)

    def test_ready_that_is_told_only_at_the_end_is_no_getting_ready(self):
        outcome = self.render("late")
        self.assertEqual(outcome.state, "finished")
        self.assertIsNone(outcome.ready_seconds)
        self.assertIsNone(outcome.cpu_ready_seconds)

    def test_cpu_and_memory_are_the_engine_s_own(self):
        outcome = self.render("busy")
        self.assertGreater(outcome.cpu_seconds, 0.6)
        self.assertLess(outcome.cpu_ready_seconds, outcome.cpu_seconds - 0.3)
        self.assertGreater(outcome.peak_memory_bytes, 150e6)

    def test_memory_of_whoever_started_it_is_not_counted(self):
        ballast = bytearray(400_000_000)
        ballast[::4096] = b"x" * len(ballast[::4096])
        outcome = self.render("no-picture")
        self.assertLess(outcome.peak_memory_bytes, 100e6)
        self.assertEqual(len(ballast), 400_000_000)

    def test_a_failing_engine_is_quoted(self):
        outcome = self.render("fails")
        self.assertEqual(outcome.state, "failed")
        self.assertEqual(outcome.reason, "Fails failed (exit code 3): out of texture memory")
        self.assertIn("out of texture memory", outcome.log)

    def test_a_crash_names_the_signal(self):
        self.assertRegex(self.render("crashes").reason, r"Crashes failed \(signal SIGSEGV\)")

    def test_an_engine_without_picture_failed(self):
        outcome = self.render("no-picture")
        self.assertEqual(outcome.reason, "No-picture ended well but wrote no picture (picture.exr was expected).")

    def test_a_hanging_engine_ends_at_its_time_limit(self):
        outcome = self.render("hangs", limit=0.7)
        self.assertEqual((outcome.state, outcome.reason), ("failed", "Hangs was ended at its time limit of 0.7 s."))

    def test_a_stubborn_engine_and_its_children_are_ended(self):
        began = time.monotonic()
        outcome = self.render("stubborn", should_stop=lambda: time.monotonic() - began > 0.8)
        self.assertEqual((outcome.state, outcome.reason), ("stopped", "Stopped by hand."))
        script = str(self.folder / "stubborn.py")
        self.assertEqual([p for p in psutil.process_iter() if script in _command(p)], [])

    def test_a_chatty_engine_keeps_a_bounded_log(self):
        outcome = self.render("chatty")
        self.assertEqual(outcome.state, "finished")
        self.assertLess(len(outcome.log), 300_000)
        self.assertRegex(outcome.log, r"… \d+ lines left out …")

    def test_carriage_returns_are_progress_too(self):
        seen = []
        self.render("chatty", on_progress=seen.append)
        self.assertEqual(seen[-1].share, 1.0)

    def test_the_version_is_asked_and_read(self):
        self.assertEqual(engine_version(read_definition(add_engine(self.folder, "good"))), "2.5")


class Supervision(unittest.TestCase):
    WRAPPED = "sleep 601 & (setsid sleep 602 &) ; sleep 603; echo over"

    def started(self, folder):
        """The guard of an engine that is a shell script with children, one of them in a session of its own."""
        account = Path(folder) / "account.json"
        words = [sys.executable, "-I", "-S", str(SUPERVISE), str(account), "/bin/sh", "-c", self.WRAPPED]
        guard = subprocess.Popen(words)
        self.addCleanup(guard.kill)
        family = []
        while sum("sleep" in _command(each)[:1] for each in family) < 3:
            time.sleep(0.02)
            family = psutil.Process(guard.pid).children(recursive=True)
        return guard, family

    def ends(self, family):
        _, alive = psutil.wait_procs(family, timeout=60)
        self.assertEqual([_command(each) for each in alive], [])

    def test_whoever_of_them_is_killed_nothing_goes_on_alone(self):
        for whom in ("guard", "watcher", "engine"):
            with self.subTest(whom), tempfile.TemporaryDirectory() as folder:
                guard, family = self.started(folder)
                watcher = next(each for each in family if each.ppid() == guard.pid)
                engine = next(each for each in family if each.ppid() == watcher.pid and "-c" in _command(each))
                os.kill({"guard": guard.pid, "watcher": watcher.pid, "engine": engine.pid}[whom], signal.SIGKILL)
                guard.wait()
                self.ends(family)

    def test_told_to_end_it_ends_all_and_its_account_is_written(self):
        with tempfile.TemporaryDirectory() as folder:
            guard, family = self.started(folder)
            guard.terminate()
            self.assertEqual(guard.wait(), 0)
            self.ends(family)
            self.assertIn('"ended"', (Path(folder) / "account.json").read_text())

    def test_when_its_caller_is_killed_nothing_goes_on_alone(self):
        with tempfile.TemporaryDirectory() as folder:
            account = Path(folder) / "account.json"
            words = [sys.executable, "-I", "-S", str(SUPERVISE), str(account), "/bin/sh", "-c", self.WRAPPED]
            code = f"import subprocess; subprocess.Popen({words!r}).wait()"
            caller = subprocess.Popen([sys.executable, "-c", code])
            family = []
            while sum("sleep" in _command(each)[:1] for each in family) < 3:
                time.sleep(0.02)
                family = psutil.Process(caller.pid).children(recursive=True)
            caller.kill()
            caller.wait()
            self.ends(family)

    def test_what_an_engine_leaves_behind_when_it_ends_well_is_ended(self):
        with tempfile.TemporaryDirectory() as folder:
            account = Path(folder) / "account.json"
            left = "setsid sleep 611 & sleep 612 & exit 0"
            words = [sys.executable, "-I", "-S", str(SUPERVISE), str(account), "/bin/sh", "-c", left]
            self.assertEqual(subprocess.run(words, check=False).returncode, 0)
            self.assertIn('"exit_code": 0', account.read_text())
            self.assertEqual([c for p in psutil.process_iter() if (c := _command(p)) and c[-1] in ("611", "612")], [])

    def test_a_program_that_cannot_start_is_an_outcome(self):
        with tempfile.TemporaryDirectory() as folder:
            account = Path(folder) / "account.json"
            done = subprocess.run(
                [sys.executable, "-I", "-S", str(SUPERVISE), str(account), "/no/such/program"],
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertIn("cannot start /no/such/program: No such file", done.stderr)
            self.assertIn('"exit_code": 127', account.read_text())


def _command(process):
    try:
        return process.cmdline()
    except psutil.Error:
        return []
