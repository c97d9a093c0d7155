import random
import subprocess
import sys
import time

import psutil
from matchedpair.pictures import read_picture

from server.measuring.models import Measure
from server.processes.heartbeat import RUNNER, ProcessState, process_state
from server.processes.runner import work_folder
from server.runs.actions import queue_study, stop_runs
from server.runs.models import Run
from server.store.files import path_of
from tests.database import UntransactedTest
from tests.engines import add_engine
from tests.runner import ROOT, Processes, RunnerProcess, none_open, running, until
from tests.server.base import WithEngines


class Running(WithEngines, UntransactedTest):
    def queued(self, **changes):
        study = self.create(**changes)
        queue_study(study)
        return study

    def pictures(self, study):
        """Pixels by place in the plan; the files differ in the date that they carry."""
        return [
            read_picture(path_of(digest, ".exr")).pixels.tobytes()
            for digest in study.runs.filter(warm_up=False).order_by("position").values_list("picture", flat=True)
        ]

    def test_killed_at_any_moment_nothing_finished_is_lost_or_repeated(self):
        undisturbed = self.queued(settings={"samples": 4, "pause": 0.2})
        with RunnerProcess():
            until(none_open, "undisturbed runs")
        self.assertEqual(set(undisturbed.runs.values_list("state", "attempt")), {("finished", 1)})

        disturbed = self.queued(settings={"samples": 4, "pause": 0.8})
        dice = random.Random(4)
        kept = {}
        for _ in range(4):
            with RunnerProcess():
                until(running, "a run under way")
                time.sleep(dice.random() * 1.5)
            self.assertLessEqual(disturbed.runs.filter(state="running").count(), 1)
            for run in disturbed.runs.filter(state="finished"):
                self.assertEqual(kept.setdefault(run.pk, (run.attempt, run.ended_at)), (run.attempt, run.ended_at))
        with RunnerProcess():
            until(none_open, "the rest")
        self.assertEqual(set(disturbed.runs.values_list("state", flat=True)), {"finished"})
        for run in disturbed.runs.filter(pk__in=kept):
            self.assertEqual(kept[run.pk], (run.attempt, run.ended_at))
        self.assertGreater(max(disturbed.runs.values_list("attempt", flat=True)), 1)
        self.assertEqual(self.pictures(disturbed), self.pictures(undisturbed))

    def test_a_first_study_planned_beside_a_resting_runner_is_rendered(self):
        with RunnerProcess():
            time.sleep(0.5)  # it has looked at an empty installation
            study = self.create()
            time.sleep(0.5)  # and at a pair of which nothing has ended
            queue_study(study)
            until(none_open, "the first renders")
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"finished"})

    def test_a_killed_runner_leaves_no_engine_behind(self):
        self.queued(settings={"samples": 4, "pause": 30})
        with RunnerProcess() as runner:
            until(running, "a run under way")
            engines = [process for process in runner.family() if "good.py" in " ".join(process.cmdline())]
            self.assertTrue(engines)
        _, alive = psutil.wait_procs(engines, timeout=60)
        self.assertEqual(alive, [])

    def test_a_runner_told_to_stop_puts_its_run_back(self):
        study = self.queued(settings={"samples": 4, "pause": 30})
        with RunnerProcess.cold() as runner:
            until(running, "a run under way")
            runner.process.terminate()
            self.assertEqual(runner.process.wait(timeout=120), 0)
            self.assertEqual(set(study.runs.values_list("state", flat=True)), {"queued"})

    def test_a_killed_engine_fails_alone(self):
        study = self.queued(settings={"samples": 4, "pause": 1})
        with RunnerProcess() as runner:
            run = until(running, "a run under way")
            engine = until(
                lambda: [
                    p
                    for p in runner.family()
                    if "good.py" in " ".join(p.cmdline()) and "supervise" not in str(p.cmdline())
                ],
                "an engine",
            )[0]
            engine.kill()
            until(none_open, "the rest")
        run.refresh_from_db()
        self.assertEqual(run.state, "failed")
        self.assertIn("signal SIGKILL", run.reason)
        self.assertEqual(study.runs.filter(state="finished").count(), 4)

    def test_stopping_one_leaves_the_others(self):
        study = self.queued(settings={"samples": 4, "pause": 2})
        with RunnerProcess():
            run = until(running, "a run under way")
            stop_runs(Run.objects.filter(pk=run.pk))
            until(none_open, "the rest")
        run.refresh_from_db()
        self.assertEqual((run.state, run.reason), ("stopped", "Stopped by hand."))
        self.assertEqual(study.runs.filter(state="finished").count(), 4)

    def test_stopping_all_ends_the_one_under_way_within_seconds(self):
        study = self.queued(settings={"samples": 4, "pause": 50})
        with RunnerProcess():
            until(running, "a run under way")
            stop_runs(study.runs.all())
            until(none_open, "all stopped")
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"stopped"})

    def test_each_bad_engine_is_a_failed_run_with_a_plain_reason_and_nothing_else_stops(self):
        reasons = {
            "fails": "Fails failed (exit code 3): out of texture memory",
            "no-picture": "wrote no picture",
            "wrong-size": "The picture is 24×36 pixels; 48×36 was asked for.",
            "not-finite": "864 pixels are not finite",
            "black": "all black",
            "garbage": "The picture cannot be read",
            "hangs": "ended at its time limit of 1 s",
        }
        studies = {}
        for kind in reasons:
            add_engine(self.folder, kind)
            studies[kind] = self.queued(engine=kind, time_limit_seconds=60 if kind != "hangs" else 1)
        good = self.queued()
        gone = self.queued(question="Engine taken away")
        with RunnerProcess():
            until(none_open, "all")
        for kind, reason in reasons.items():
            for run in studies[kind].runs.all():
                self.assertEqual(run.state, "failed", kind)
                self.assertIn(reason, run.reason)
        self.assertIn("out of texture memory", studies["fails"].runs.first().log)
        for study in (good, gone):
            self.assertEqual(set(study.runs.values_list("state", flat=True)), {"finished"})

    def test_an_engine_whose_definition_is_gone_is_said(self):
        study = self.queued()
        (self.folder / "good.toml").unlink()
        with RunnerProcess():
            until(none_open, "all")
        self.assertEqual(
            set(study.runs.values_list("reason", flat=True)),
            {"Could not be started: there is no engine 'good'; there are: none"},
        )

    def test_all_that_is_known_of_a_real_render_is_kept(self):
        study = self.queued(settings={"samples": 4, "pause": 0.6})
        with Processes():
            until(none_open, "all")
            until(lambda: Measure.objects.filter(name="noise").count() == 2, "both sides measured")
            self.assertIs(process_state(RUNNER), ProcessState.ALIVE)
        run = study.runs.last()
        self.assertGreaterEqual(run.wall_seconds - run.ready_seconds, 0.3)
        self.assertGreater(run.cpu_seconds, 0.0)
        self.assertGreater(run.peak_memory_bytes, 10e6)
        self.assertEqual((run.engine_version, run.exit_code), ("2.5", 0))
        self.assertEqual(run.machine["cores"], psutil.cpu_count())
        self.assertIn("step 10/10", run.log)
        self.assertNotIn(str(work_folder()), " ".join(run.command))
        self.assertEqual(run.command[0], "python")
        self.assertEqual(study.options.first().measures.get(name="noise").method, "twin")
        self.assertEqual(list(work_folder().iterdir()), [])

    def test_only_one_runner_may_be_at_work_and_it_listens_to_this_machine_alone(self):
        with RunnerProcess.cold() as runner:
            for connection in psutil.Process(runner.process.pid).net_connections():
                if connection.status == psutil.CONN_LISTEN:
                    self.assertIn(connection.laddr.ip, ("127.0.0.1", "::1"))
            code = (
                "import os, django; os.environ['DJANGO_SETTINGS_MODULE'] = 'server.config.settings'; django.setup();"
                "from filelock import FileLock; from server.processes import heartbeat;"
                "FileLock(heartbeat.lock_file(heartbeat.RUNNER)).acquire(timeout=0.2)"
            )
            second = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=False)
            self.assertIn("Timeout", second.stderr)
