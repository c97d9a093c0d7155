"""What a worker does, without Django and without Dask; and a runner that meets trouble of its own."""

import pickle
import tempfile
import threading
import time
import unittest
from concurrent.futures import Future
from pathlib import Path
from unittest import mock
from unittest.mock import patch

from distributed.client import FutureCancelledError
from django.conf import settings
from django.db import DatabaseError
from django.test import TestCase
from matchedpair.engines import lay_out, read_definition

from server.processes import heartbeat
from server.processes.runner import Runner
from server.processes.task import ask_stop, render_task
from server.runs import actions
from server.runs.models import OPEN_STATES, Run
from tests.engines import add_engine
from tests.inner_loop import long
from tests.server.base import PreparedTest, result_of


class Task(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.work = self.folder / "work"
        self.work.mkdir()

    def description(self, **changes):
        return {
            "key": "run-1", "scene": b"{}", "view": "v", "frame": 1, "width": 20, "height": 10, "seed": 1, "threads": 1,
            "settings": {}, "time_limit_seconds": 30, "work": str(self.work), "build": "", "variant": "as-is",
            "crop": None, "quantities": {}, "brightness": 1.0, "passes": (), "depth": "half", "scene_name": "s",
            "on_the_way": (), "frames": (), "textures": {},
        } | changes  # fmt: skip

    def carry_out(self, kind="good", pause=0.0, **changes):
        definition = read_definition(add_engine(self.folder, kind, pause=pause))
        return render_task(definition, self.description(**changes), lambda *_: None)

    def test_the_result_is_plain_and_the_folder_is_gone(self):
        result = self.carry_out()
        self.assertEqual((result["state"], result["engine_version"]), ("finished", "2.5"))
        self.assertEqual(result["picture"][:4], b"\x76\x2f\x31\x01")
        self.assertEqual(pickle.loads(pickle.dumps(result)), result)
        self.assertEqual(list(self.work.iterdir()), [])

    def test_on_one_machine_pictures_are_handed_over_as_files_and_not_held_in_memory(self):
        result = self.carry_out(hand_over=str(self.folder))
        self.assertEqual(result["picture"].read_bytes()[:4], b"\x76\x2f\x31\x01")
        self.assertTrue(result["picture"].is_relative_to(self.folder))
        self.assertEqual(list(self.work.iterdir()), [])

    def test_textures_lie_where_the_scene_names_them(self):
        kept = self.folder / "kept"
        kept.write_bytes(b"one")
        seen = {}

        def looking(scene):
            seen.update({name: (scene.parent / name).read_bytes() for name in ("maps/a.png", "maps/deep/b.png")})
            return scene

        with patch("server.processes.task.lay_out", side_effect=lambda *given: looking(lay_out(*given))):
            result = self.carry_out(textures={"maps/a.png": str(kept), "maps/deep/b.png": b"two"})
        self.assertEqual(result["state"], "finished")
        self.assertEqual(seen, {"maps/a.png": b"one", "maps/deep/b.png": b"two"})
        self.assertEqual(kept.read_bytes(), b"one")

    def test_a_texture_that_is_gone_or_would_lie_elsewhere_fails_the_render(self):
        for textures, words in (
            ({"maps/a.png": str(self.folder / "gone")}, "'maps/a.png' is not among the kept files"),
            ({"../a.png": b"x"}, "'../a.png' does not lie below its scene"),
        ):
            result = self.carry_out(textures=textures)
            self.assertEqual(result["state"], "failed")
            self.assertIn(words, result["reason"])
            self.assertFalse((self.work / "a.png").exists())

    def test_the_definition_can_be_sent_to_another_machine(self):
        definition = read_definition(add_engine(self.folder, "good"))
        self.assertEqual(pickle.loads(pickle.dumps(definition)), definition)

    def test_paths_of_the_worker_are_left_out_of_the_command(self):
        self.assertNotIn(str(self.work), " ".join(self.carry_out()["command"]))

    def test_a_stop_reaches_the_render_of_its_key_alone(self):
        ask_stop("another")
        threading.Timer(0.6, ask_stop, ["run-1"]).start()
        began = time.monotonic()
        result = self.carry_out(pause=30)
        self.assertLess(time.monotonic() - began, 8)
        self.assertEqual((result["state"], result["picture"]), ("stopped", None))
        self.assertEqual(self.carry_out()["state"], "finished")

    def test_settings_that_no_longer_fit_are_a_result_not_a_crash(self):
        result = self.carry_out(settings={"colour": 3})
        self.assertEqual((result["state"], result["reason"]), ("failed", "colour: Good has no such setting"))
        self.assertIsNone(result["wall_seconds"])

    def test_a_work_folder_that_is_gone_is_an_error_for_the_runner_to_record(self):
        with self.assertRaises(FileNotFoundError):
            self.carry_out(work=str(self.folder / "nowhere"))


class FakeCluster:
    """Ends every render at once with what it is told to."""

    def __init__(self, outcome):
        self.outcome = outcome

    embedded = True

    def machines(self):
        return ["bench"]

    def start(self, definition, description, machine):
        future = Future()
        run = Run.objects.select_related("option").get(pk=int(description["key"].split("-")[1]))
        outcome = self.outcome(run)
        if isinstance(outcome, Exception):
            future.set_exception(outcome)
        else:
            future.set_result(outcome)
        return future

    def stop(self, key):
        pass

    def latest(self, key):
        return None

    def forget(self, key):
        pass


class RunnerTrouble(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        self.call("POST", f"/api/studies/{self.study.pk}/start/")

    def run_all(self, outcome, steps=14):
        runner = Runner(FakeCluster(outcome))
        for _ in range(steps):
            runner.step()
        return set(self.study.runs.values_list("state", "reason"))

    def test_all_goes_well(self):
        self.assertEqual(self.run_all(result_of), {("finished", "")})

    def test_a_worker_that_breaks_fails_its_run_alone(self):
        ends = self.run_all(lambda run: RuntimeError("worker lost") if run.seed == 2 else result_of(run))
        self.assertEqual(ends, {("finished", ""), ("failed", "The worker failed: worker lost")})

    def test_runs_that_were_lost_with_their_scheduler_are_made_again(self):
        lost = []

        def outcome(run):
            if run.attempt <= 2:
                lost.append(run.pk)
                return FutureCancelledError(f"run-{run.pk}", "scheduler-connection-lost")
            return result_of(run)

        self.assertEqual(self.run_all(outcome, steps=60), {("finished", "")})
        self.assertEqual(len(lost), 2 * self.study.runs.count())
        self.call("POST", f"/api/runs/{self.study.runs.first().pk}/again/")
        ends = self.run_all(lambda run: FutureCancelledError("x", "scheduler-connection-lost"), steps=60)
        self.assertIn(("failed", "Lost with its scheduler 10 times."), ends)

    def test_a_full_disk_stops_the_queue_says_so_and_loses_nothing(self):
        with mock.patch("server.runs.recording.keep", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(self.run_all(result_of), {("queued", "")})
            self.assertEqual(self.study.runs.order_by("-attempt").first().attempt, 1)
        queue = self.call("GET", "/api/queue/").json()
        self.assertIn("The disk is full: a picture could not be stored.", queue["held"])
        self.assertEqual(self.run_all(result_of), {("queued", "")})
        self.assertEqual(self.call("POST", "/api/queue/pause/", {"on": False}).json()["held"], "")
        self.assertEqual(self.run_all(result_of), {("finished", "")})

    def test_an_engine_that_fails_on_a_full_disk_is_put_back_and_not_blamed(self):
        def fails(run):
            self.enterContext(self.settings(KEEP_FREE_BYTES=10**18))  # the disk is filled up while it renders
            return result_of(run, state="failed", reason="Good failed: cannot write", picture=None, exit_code=1)

        self.assertEqual(self.run_all(fails), {("queued", "")})
        self.assertIn("Its run is back in the queue", self.call("GET", "/api/queue/").json()["held"])

    def test_too_little_room_holds_the_queue_until_there_is_more(self):
        with self.settings(KEEP_FREE_BYTES=10**18):
            self.assertEqual(self.run_all(result_of), {("queued", "")})
            self.assertIn("MB left; rendering goes on by itself", self.call("GET", "/api/queue/").json()["held"])
        self.assertEqual(self.run_all(result_of), {("finished", "")})

    def test_a_disk_that_cannot_be_written_for_another_reason_fails_the_run(self):
        with mock.patch("server.runs.recording.keep", side_effect=OSError(30, "Read-only file system")):
            ends = self.run_all(result_of)
        self.assertEqual(ends, {("failed", "The picture could not be stored: Read-only file system.")})

    def test_a_paused_queue_starts_nothing_more(self):
        self.call("POST", "/api/queue/pause/", {"on": True})
        self.assertEqual(self.run_all(result_of), {("queued", "")})
        self.call("POST", "/api/queue/pause/", {"on": False})
        self.assertEqual(self.run_all(result_of), {("finished", "")})

    def test_a_scene_lost_from_the_store_is_said(self):
        with mock.patch("server.processes.runner.path_of", return_value=Path("/nowhere/scene.json")):
            ((state, reason),) = self.run_all(result_of)
        self.assertEqual(state, "failed")
        self.assertIn("Could not be started", reason)

    @long
    def test_a_database_that_is_locked_once_holds_nothing_up(self):
        runner = Runner(FakeCluster(result_of))
        claim, tries = actions.claim, []

        def locked_at_first(run, machine):
            tries.append(run)
            if len(tries) in (1, 4):
                raise DatabaseError("database is locked")
            return claim(run, machine)

        with (
            mock.patch.object(actions, "claim", side_effect=locked_at_first),
            mock.patch("server.processes.runner.TRY_AGAIN_SECONDS", 0),
        ):
            runner.run_until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists())
        self.assertEqual(set(self.study.runs.values_list("state", flat=True)), {"finished"})
        self.assertGreater(len(tries), len(set(tries)))

    def test_pictures_that_should_differ_but_do_not_are_marked(self):
        def same_for_all(run):
            first = self.study.runs.select_related("option").get(option__side="control", seed=1, warm_up=False)
            return result_of(run, picture=result_of(first)["picture"])

        self.run_all(same_for_all)
        last = self.study.runs.get(option__side="trial", seed=1)
        messages = " ".join(check["message"] for check in last.checks)
        self.assertIn("bit-equal to control seed 1, although the settings differ; the setting had no effect", messages)
        row = next(
            row
            for row in self.call("GET", f"/api/studies/{self.study.pk}/table/").json()["rows"]
            if row["id"] == last.pk
        )
        self.assertIn("may need another one switched on", row["next_steps"][0])
        second = self.study.runs.get(option__side="trial", seed=2)
        self.assertIn("although the seeds differ; check that the engine uses its seed", str(second.checks))

    def test_pictures_that_differ_are_not_marked(self):
        self.run_all(result_of)
        self.assertEqual([run.checks for run in self.study.runs.all()], [[]] * 5)


class Heartbeat(TestCase):
    def test_a_process_is_missing_until_it_beats_when_it_stops_and_whatever_the_clock_says(self):
        mark = Path(settings.HOME) / "runner.alive"
        mark.unlink(missing_ok=True)
        self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.MISSING)
        with heartbeat.Heart("runner") as heart:
            self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.ALIVE)
            heart.doing("measures")
            self.assertEqual(heartbeat.now_doing("runner"), "measures")
            left = mark.read_bytes()
        self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.MISSING)
        mark.write_bytes(left)  # it was killed, and the clock on the wall is set back
        with mock.patch("time.time", return_value=time.time() - 86_400):
            self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.ALIVE)
            with mock.patch.object(heartbeat, "machine_seconds", return_value=heartbeat.machine_seconds() + 60):
                self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.MISSING)
        mark.write_text(left.decode().replace('"boot": "', '"boot": "another '), encoding="utf-8")
        self.assertIs(heartbeat.process_state("runner"), heartbeat.ProcessState.MISSING)
        mark.unlink()
