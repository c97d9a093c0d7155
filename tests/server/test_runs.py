import os
import shutil
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.test import TestCase
from matchedpair.engines.process import Progress

from server.runs import actions
from server.runs.models import Run, RunState
from server.runs.recording import record_result
from server.store.files import keep, path_of, sweep_unfinished
from tests.pictures import textured, write
from tests.server.base import SIZE, PreparedTest, WithEngines, finish_all, result_of


class Runs(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()

    def states(self):
        return list(self.study.runs.values_list("state", flat=True))

    def test_starting_queues_the_plan_once(self):
        path = f"/api/studies/{self.study.pk}/start/"
        self.assertEqual(self.call("POST", path).json(), {"runs": 5})
        self.assertEqual(self.call("POST", path).json(), {"runs": 0})
        rows = self.study.runs.values_list("option__side", "seed", "warm_up")
        self.assertEqual(rows[0], ("control", 0, True))
        self.assertEqual(len(rows), 5)

    def test_a_queued_run_is_stopped_at_once_and_can_be_run_again(self):
        actions.queue_study(self.study)
        run = self.study.runs.first()
        self.call("POST", f"/api/runs/{run.pk}/stop/")
        run.refresh_from_db()
        self.assertEqual((run.state, run.reason), ("stopped", "Stopped by hand before it began."))
        self.assertEqual(self.call("POST", f"/api/runs/{run.pk}/again/").json()["state"], "queued")
        self.assertGreater(Run.objects.get(pk=run.pk).queued_order, self.study.runs.last().queued_order)

    def test_a_running_run_is_asked_to_stop_and_cannot_be_doubled(self):
        actions.queue_study(self.study)
        run = self.study.runs.first()
        self.assertTrue(actions.claim(run.pk, "bench"))
        self.assertFalse(actions.claim(run.pk, "bench"))
        self.call("POST", f"/api/runs/{run.pk}/stop/")
        self.assertTrue(Run.objects.get(pk=run.pk).stop_asked)
        self.assertIn("still queued or running", self.problem(400, "POST", f"/api/runs/{run.pk}/again/")["detail"])

    def test_stop_all_then_run_the_rest(self):
        finish_all(self.study)
        again = self.study.runs.last()
        actions.run_again(again)
        self.assertEqual(self.call("POST", f"/api/studies/{self.study.pk}/stop/").json(), {"runs": 1})
        self.assertEqual(sorted(self.states()), ["finished"] * 4 + ["stopped"])
        self.assertEqual(self.call("POST", f"/api/studies/{self.study.pk}/start/").json(), {"runs": 1})

    def test_progress_is_seen_with_the_time_left(self):
        actions.queue_study(self.study)
        run = self.study.runs.first()
        actions.claim(run.pk, "bench")
        actions.note_progress(run.pk, Progress(0.5, True, 6.0, 2.0))
        body = self.call("GET", f"/api/studies/{self.study.pk}/progress/").json()
        self.assertEqual((body["state"], body["running"][0]["share_done"]), ("running", 0.5))
        self.assertEqual((body["counts"], body["planned"]), ({"running": 1, "queued": 4}, 4))
        self.assertAlmostEqual(body["current_seconds_left"], 4.0)
        self.assertAlmostEqual(body["seconds_left"], 4.0 + 4 * 10.0)

    def test_runs_of_other_studies_that_come_first_are_counted(self):
        actions.queue_study(self.study)
        other = self.create()
        actions.queue_study(other)
        self.assertEqual(self.call("GET", f"/api/studies/{other.pk}/progress/").json()["ahead"], 5)

    def test_a_result_is_kept_whole(self):
        actions.queue_study(self.study)
        run = self.study.runs.select_related("option")[1]
        actions.claim(run.pk, "bench")
        record_result(run.pk, result_of(run))
        body = self.call("GET", f"/api/runs/{run.pk}/").json()
        self.assertEqual((body["state"], body["quietness"], body["render_seconds"]), ("finished", None, 10.0))
        self.assertEqual((body["machine"]["name"], body["engine_version"], body["log"]), ("bench", "2.5", "step 1/10"))
        self.assertTrue(path_of(body["picture"], ".exr").is_file())

    def test_a_late_result_of_a_requeued_run_changes_nothing(self):
        actions.queue_study(self.study)
        run = self.study.runs.select_related("option")[0]
        actions.claim(run.pk, "bench")
        actions.requeue(run.pk)
        record_result(run.pk, result_of(run))
        self.assertEqual(Run.objects.get(pk=run.pk).state, "queued")

    def bad_picture(self, change):
        actions.queue_study(self.study)
        run = self.study.runs.select_related("option")[1]
        actions.claim(run.pk, "bench")
        path = write(Path(settings.HOME) / "bad.exr", change(textured(SIZE)))
        record_result(run.pk, result_of(run, picture=path.read_bytes()))
        run.refresh_from_db()
        return run

    def test_bad_pictures_make_failed_runs_with_a_plain_reason(self):
        def holes(picture):
            picture[:20] = np.nan
            return picture

        cases = [
            (lambda picture: picture * 0, "The picture is all black; check exposure, lights and view."),
            (lambda picture: picture[:, :24], "The picture is 24×36 pixels; 48×36 was asked for."),
            (holes, "960 pixels are not finite, the first at row 0, column 0."),
        ]
        for change, reason in cases:
            run = self.bad_picture(change)
            self.assertEqual((run.state, run.reason), (RunState.FAILED, reason))
            self.assertTrue(path_of(run.picture, ".exr").is_file())
            run.study.runs.all().delete()

    def test_a_few_invalid_pixels_are_a_warning_on_a_finished_run(self):
        def hole(picture):
            picture[3, 4] = np.inf
            return picture

        run = self.bad_picture(hole)
        self.assertEqual((run.state, run.checks[0]["code"]), (RunState.FINISHED, "not_finite"))


class Store(TestCase):
    def test_contents_are_there_whole_or_not_at_all(self):
        with mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")), self.assertRaises(OSError):
            keep(b"never stored", ".bin")
        folder = Path(settings.HOME) / "store"
        self.assertEqual(list(folder.rglob(".part-*")), [])
        digest = keep(b"stored", ".bin")
        self.assertEqual(path_of(digest, ".bin").read_bytes(), b"stored")
        self.assertEqual(keep(b"stored", ".bin"), digest)

    def test_a_half_written_file_is_replaced(self):
        digest = keep(b"whole contents", ".bin")
        path_of(digest, ".bin").write_bytes(b"whole")
        keep(b"whole contents", ".bin")
        self.assertEqual(path_of(digest, ".bin").read_bytes(), b"whole contents")

    def test_what_lost_power_half_written_is_swept_and_what_is_being_written_is_not(self):
        folder = path_of(keep(b"whole", ".bin"), ".bin").parent
        old, new = folder / ".part-old", folder / ".part-new"
        for path in (old, new):
            path.write_bytes(b"ha")
        os.utime(old, (0, 0))
        self.assertEqual(sweep_unfinished(), 1)
        self.assertEqual((old.exists(), new.exists()), (False, True))

    def test_names_never_become_paths(self):
        for name in ("../../db", "x" * 64, "A" * 64, ""):
            with self.assertRaisesRegex(ValueError, "not a content hash"):
                path_of(name, ".exr")

    @classmethod
    def tearDownClass(cls):
        shutil.rmtree(Path(settings.HOME) / "store", ignore_errors=True)
        super().tearDownClass()


class BuildsAtWork(WithEngines, TestCase):
    def test_versions_are_counted_by_the_machine_that_rendered(self):
        study = self.create()
        finish_all(study)
        first = study.runs.first()
        Run.objects.filter(pk=first.pk).update(machine_name="farm-7", engine_version="3.0")
        rows = {row["machine"]: row for row in self.call("GET", "/api/runs/builds/").json()}
        self.assertEqual((rows["bench"]["version"], rows["bench"]["runs"]), ("2.5", 4))
        self.assertEqual(
            (rows["farm-7"]["version"], rows["farm-7"]["runs"], rows["farm-7"]["engine"]), ("3.0", 1, "good")
        )

    def test_what_failed_or_came_from_elsewhere_does_not_count(self):
        study = self.create()
        finish_all(study)
        study.runs.filter(option__side="trial").update(state=RunState.FAILED)
        (row,) = self.call("GET", "/api/runs/builds/").json()
        self.assertEqual(row["runs"], 3)
        type(study).objects.update(from_elsewhere=True)
        self.assertEqual(self.call("GET", "/api/runs/builds/").json(), [])
