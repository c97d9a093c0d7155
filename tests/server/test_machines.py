"""Renders on several machines through a scheduler, and every process killed in its turn."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from urllib.request import urlopen

import psutil
from matchedpair.pictures import read_picture

from server.measuring.measuring import measure_outstanding
from server.runs.actions import queue_study
from server.runs.models import Run
from server.store.files import path_of
from server.studies.models import Option
from tests.database import UntransactedTest
from tests.engines import held
from tests.runner import ROOT, RunnerProcess, none_open, running, until
from tests.server.base import WithEngines, factor


class DaskProcess:
    """A scheduler, or a worker that calls itself by a machine's name, on loopback."""

    def __init__(self, *words: str, machine: str = "") -> None:
        environment = {**os.environ, "MATCHEDPAIR_MACHINE": machine, "PYTHONPATH": str(ROOT)}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "dask", *words, "--host", "127.0.0.1", "--dashboard-address", "127.0.0.1:0"],
            cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def kill(self) -> None:
        """As a machine that loses its power."""
        if self.process.poll() is None:
            self.process.kill()
            self.process.wait()


class Served:
    """The server as a process of its own, on the tests' database."""

    def __enter__(self):
        port = free_port()
        self.base = f"http://127.0.0.1:{port}"
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "server.config.settings"}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "gunicorn", "server.config.wsgi", "--bind", f"127.0.0.1:{port}",
             "--no-control-socket", "--log-level", "critical"],
            cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        until(self.answers, "the server")
        return self

    def __exit__(self, *_):
        self.kill()

    def answers(self):
        try:
            with urlopen(f"{self.base}/api/session/", timeout=2):
                return True
        except OSError:
            return False

    def progress(self, study):
        with urlopen(f"{self.base}/api/studies/{study.pk}/progress/", timeout=60) as answer:
            return json.load(answer)

    def kill(self):
        """All of its processes at once, with -9."""
        if self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Killed(WithEngines, UntransactedTest):
    """The same study undisturbed, and with each process killed while it renders; both end alike."""

    def queued(self, **changes):
        study = self.create(kind="range", factors=[factor("samples", 8)], **changes)
        queue_study(study)
        return study

    def pictures(self, study):
        rows = study.runs.filter(warm_up=False).order_by("option__number", "seed")
        return [read_picture(path_of(run.picture, ".exr")).pixels.tobytes() for run in rows]

    def undisturbed(self):
        """The pictures that must come out; after them the engine is warm, so that no warm-up is what is killed."""
        study = self.queued(settings={"samples": 4, "pause": 0.1})
        with RunnerProcess():
            until(none_open, "undisturbed runs")
        return self.pictures(study)

    def disturb(self, kill):
        """Kill once while a run is under way; returns the study when all has ended."""
        expected = self.undisturbed()
        study = self.queued(settings={"samples": 4, "pause": 0.1})
        with RunnerProcess() as runner:
            with held(self.folder / "good.py"):
                run = until(running, "a run under way")
                again = kill(runner, run)
            if not again:
                until(none_open, "the rest")
        if again:
            with RunnerProcess():
                until(none_open, "the rest")
        return study, run, expected

    def engine_of(self, runner, name="good.py"):
        def found():
            return [p for p in runner.family() if name in " ".join(p.cmdline()) and "supervise" not in str(p.cmdline())]

        return until(found, "an engine")[0]

    def test_the_runner(self):
        def kill(runner, run):
            runner.process.send_signal(signal.SIGKILL)
            runner.process.wait()
            return True

        study, run, expected = self.disturb(kill)
        run.refresh_from_db()
        self.assertEqual((run.state, run.attempt), ("finished", 2))
        self.assertEqual(self.pictures(study), expected)
        self.assertEqual(study.runs.count(), 4)

    def test_the_engine_which_fails_its_run_alone_and_is_run_again_by_hand(self):
        def kill(runner, run):
            self.engine_of(runner).kill()
            return False

        study, run, expected = self.disturb(kill)
        run.refresh_from_db()
        self.assertEqual(run.state, "failed")
        self.assertEqual(self.call("POST", f"/api/studies/{study.pk}/bad-again/").json(), {"runs": 1})
        with RunnerProcess():
            until(none_open, "the one again")
        self.assertEqual(self.pictures(study), expected)

    def test_the_process_that_watches_the_engine(self):
        def kill(runner, run):
            engine = self.engine_of(runner)
            psutil.Process(engine.ppid()).kill()
            return False

        study, run, _ = self.disturb(kill)
        run.refresh_from_db()
        self.assertEqual(run.state, "failed")
        self.assertIn("the process that watched it ended", run.reason)
        self.assertEqual(study.runs.filter(state="finished").count(), 3)

    def test_the_server_which_shows_the_same_again_when_it_is_back(self):
        expected = self.undisturbed()
        study = self.queued(settings={"samples": 4, "pause": 0.1})
        with RunnerProcess():
            with held(self.folder / "good.py"):
                with Served() as first:
                    until(lambda: first.progress(study)["state"] == "running", "the server showing it")
                    run = until(running, "a run under way")
                with Served() as second:
                    self.assertEqual(second.progress(study)["state"], "running")
            until(none_open, "the rest")
        with Served() as third:
            self.assertEqual(third.progress(study)["state"], "done")
        run.refresh_from_db()
        self.assertEqual(run.attempt, 1)
        self.assertEqual(self.pictures(study), expected)

    def test_the_runner_between_the_picture_and_the_row(self):
        """Power lost after the picture was stored and before its row said so: made again, kept once."""
        expected = self.undisturbed()
        study = self.queued(settings={"samples": 4, "pause": 0.1})
        code = (
            "import os, django; os.environ['DJANGO_SETTINGS_MODULE'] = 'server.config.settings'; django.setup();"
            "from server.runs import recording; real = recording.keep_file;"
            "recording.keep_file = lambda *given: (real(*given), os.kill(os.getpid(), 9));"
            "from server.processes.cluster import Cluster; from server.processes.runner import Runner;"
            "Runner(Cluster()).run_until(lambda: False)"
        )
        died = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, timeout=600, check=False)
        self.assertEqual(died.returncode, -signal.SIGKILL)
        self.assertEqual(study.runs.filter(state="running").count(), 1)
        self.assertEqual(study.runs.exclude(picture="").count(), 0)
        with RunnerProcess():
            until(none_open, "all")
        self.assertEqual(self.pictures(study), expected)

    def test_the_runner_over_a_picture_twice_and_that_run_is_set_aside(self):
        study = self.queued(settings={"samples": 4, "pause": 0.1})
        bad = study.runs.filter(warm_up=False).order_by("queued_order").first().pk
        code = (
            "import os, django; os.environ['DJANGO_SETTINGS_MODULE'] = 'server.config.settings'; django.setup();"
            "from server.processes import runner; real = runner.record_result;"
            f"runner.record_result = lambda run, given: os.kill(os.getpid(), 9) if run == {bad} else real(run, given);"
            "from server.processes.cluster import Cluster; from server.runs.models import OPEN_STATES, Run;"
            "runner.Runner(Cluster()).run_until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists());"
            "os._exit(0)"
        )
        ends = [
            subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, check=False).returncode
            for _ in range(3)
        ]
        self.assertEqual(ends, [-signal.SIGKILL, -signal.SIGKILL, 0])
        self.assertEqual(study.runs.get(pk=bad).reason[:40], "Its picture ended the runner twice while")
        self.assertEqual(set(study.runs.exclude(pk=bad).values_list("state", flat=True)), {"finished"})


class Machines(WithEngines, UntransactedTest):
    def setUp(self):
        super().setUp()
        self.port = free_port()
        self.address = f"tcp://127.0.0.1:{self.port}"
        self.started = []
        self.addCleanup(lambda: [process.kill() for process in reversed(self.started)])
        self.start("scheduler", "--port", str(self.port))

    def start(self, *words, machine=""):
        self.started.append(DaskProcess(*words, machine=machine))
        return self.started[-1]

    def worker(self, machine):
        return self.start("worker", self.address, "--nthreads", "1", "--no-nanny", machine=machine)

    def runner(self):
        return RunnerProcess(MATCHEDPAIR_SCHEDULER=self.address)

    def test_two_machines_share_a_study_and_its_times_are_compared_on_each(self):
        self.worker("attic")
        self.worker("cellar")
        study = self.create(settings={"samples": 4, "pause": 0.1})
        queue_study(study)
        both = []
        with self.runner():

            def under_way():
                machines = sorted(Run.objects.filter(state="running").values_list("machine_name", flat=True))
                both.append(machines)
                return machines == ["attic", "cellar"]

            with held(self.folder / "good.py"):
                until(under_way, "both at work")
            until(none_open, "all")
        self.assertTrue(all(len(set(machines)) == len(machines) for machines in both), "two at once on one machine")
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"finished"})
        turns = {}
        for run in study.runs.filter(warm_up=False):
            turns.setdefault(run.seed, set()).add(run.machine_name)
        self.assertEqual(sorted(map(len, turns.values())), [1, 1])
        self.assertEqual(set.union(*turns.values()), {"attic", "cellar"})
        warm = study.runs.filter(warm_up=True).values_list("machine_name", flat=True)
        self.assertEqual(sorted(warm), ["attic", "cellar"])
        measure_outstanding(Option.objects.all())
        row = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
        self.assertEqual(row["time_ratio"]["note"], "each of 2 machines compared with itself")
        machine = next(each for each in row["match_sheet"]["conditions"] if each["key"] == "machine")
        self.assertEqual((machine["state"], machine["control"]), ("held", "attic, cellar"))

    def test_a_machine_that_is_lost_gives_its_run_to_another(self):
        attic = self.worker("attic")
        study = self.create(settings={"samples": 4, "pause": 0.1})
        queue_study(study)
        with self.runner():
            with held(self.folder / "good.py"):
                run = until(running, "a run under way")
                self.assertEqual(run.machine_name, "attic")
                self.worker("cellar")
                time.sleep(0.5)
                attic.kill()
            until(none_open, "all")
        run.refresh_from_db()
        self.assertEqual((run.state, run.machine_name), ("finished", "cellar"))
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"finished"})
        self.assertEqual(study.runs.filter(warm_up=False).count(), 4)

    def test_workers_need_no_database_and_leave_nothing_behind(self):
        worker = self.worker("attic")
        study = self.create()
        queue_study(study)
        with self.runner():
            until(none_open, "all")
            opened = [file.path for file in psutil.Process(worker.process.pid).open_files()]
        self.assertFalse([path for path in opened if "sqlite3" in Path(path).name], opened)
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"finished"})
