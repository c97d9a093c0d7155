"""The queue by hand, warm-ups, what comes on the way, seeds until sure, and letting pictures go."""

from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.test import TestCase
from django.utils import timezone
from matchedpair.engines.process import Progress

from server.answers.until_sure import repeat_until_sure
from server.measuring.disk import drop_unused, purge_removed
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.references.actions import from_option
from server.runs import actions
from server.runs.models import Run
from server.runs.recording import record_result
from server.store.files import path_of
from server.store.pixels import path_of_live
from server.studies.models import Option, Study
from tests.engines import add_ladder
from tests.pictures import noisy, textured, write
from tests.server.base import SIZE, PreparedTest, WithEngines, draft, factor, finish_all, result_of


class Queue(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        actions.queue_study(self.study)

    def queue(self):
        return self.call("GET", "/api/queue/").json()

    def order(self):
        return [run["id"] for run in self.queue()["runs"]]

    def test_it_lists_what_is_under_way_then_what_waits_in_order(self):
        last = self.study.runs.order_by("queued_order").last()
        actions.claim(last.pk, "bench")
        actions.note_progress(last.pk, Progress(0.25, True, 3.0, 1.0))
        body = self.queue()
        self.assertEqual((body["runs"][0]["id"], body["runs"][0]["share_done"]), (last.pk, 0.25))
        self.assertEqual((body["waiting"], body["paused"], body["held"]), (4, False, ""))
        self.assertEqual(body["runs"][0]["machine_name"], "bench")

    def test_a_run_moves_up_or_to_the_front(self):
        first = self.order()
        self.call("POST", f"/api/runs/{first[2]}/move/", {"to": "up"})
        self.assertEqual(self.order(), [first[0], first[2], first[1], *first[3:]])
        self.call("POST", f"/api/runs/{first[4]}/move/", {"to": "front"})
        self.assertEqual(self.order(), [first[4], first[0], first[2], first[1], first[3]])
        self.call("POST", f"/api/runs/{first[4]}/move/", {"to": "up"})
        self.assertEqual(self.order()[0], first[4])
        actions.claim(first[0], "bench")
        self.assertIn("does not wait", self.problem(
            400, "POST", f"/api/runs/{first[0]}/move/", {"to": "up"})["detail"])  # fmt: skip
        self.problem(400, "POST", f"/api/runs/{first[0]}/move/", {"to": "down"})

    def test_all_can_be_stopped_at_once(self):
        run = self.study.runs.first()
        actions.claim(run.pk, "bench")
        body = self.call("POST", "/api/queue/stop/").json()
        self.assertEqual([(row["id"], row["stop_asked"]) for row in body["runs"]], [(run.pk, True)])
        self.assertEqual(self.study.runs.filter(state="stopped").count(), 4)

    def test_the_picture_so_far_is_shown_while_it_renders_and_not_after(self):
        run = self.study.runs.first()
        actions.claim(run.pk, "bench")
        self.problem(404, "GET", f"/api/runs/{run.pk}/live/")
        path_of_live(run.pk).parent.mkdir(exist_ok=True)
        write(path_of_live(run.pk), textured(SIZE))
        actions.note_progress(run.pk, Progress(0.25, True, 3.0, 1.0), 2.0)
        live = self.queue()["runs"][0]["live"]
        self.assertEqual(live, f"/api/runs/{run.pk}/live/?at=2")
        self.assertEqual(self.client.get(live)["Content-Type"], "image/png")
        path_of_live(run.pk).unlink()

    def test_a_study_of_thousands_lists_the_first_two_hundred(self):
        option = self.study.options.first()
        Run.objects.bulk_create(
            Run(study=self.study, option=option, seed=100 + n, position=n, queued_order=100 + n) for n in range(300)
        )
        body = self.queue()
        self.assertEqual((len(body["runs"]), body["waiting"]), (200, 305))


class WarmUps(WithEngines, TestCase):
    def test_what_rendered_within_the_hour_is_not_warmed_up_again(self):
        finish_all(self.create())
        second = self.create(trial_value=64)
        self.assertEqual(actions.queue_study(second), 4)
        Run.objects.update(ended_at=timezone.now() - timedelta(hours=2))
        third = self.create(trial_value=32)
        self.assertEqual(actions.queue_study(third), 5)

    def test_one_is_made_for_a_machine_that_has_none_and_stands_before_its_run(self):
        study = self.create()
        actions.queue_study(study)
        run = study.runs.filter(warm_up=False).first()
        actions.add_warm_up(run.pk, "attic")
        made = study.runs.get(for_machine="attic")
        self.assertTrue(made.warm_up)
        self.assertLess(made.queued_order, run.queued_order)
        actions.add_warm_up(run.pk, "attic")
        self.assertEqual(study.runs.filter(for_machine="attic").count(), 1)

    def test_a_failed_warm_up_neither_comes_back_for_ever_nor_marks_the_study(self):
        study = self.create()
        finish_all(study)
        study.runs.filter(warm_up=True).update(state="failed")
        self.assertIn(("good only marble-stall", "bench"), {
            (" ".join(key.split()[:3]), machine) for key, machine in actions.warmed_lately()
        })  # fmt: skip
        body = self.call("GET", f"/api/studies/{study.pk}/progress/").json()
        self.assertEqual((body["state"], body["bad"]), ("done", 0))


class OnTheWay(PreparedTest):
    def prepare(self):
        super().prepare()
        add_ladder(self.folder)
        self.study = self.create(
            engine="ladder", kind="ladder", settings={"samples": 4}, factors=[factor("samples", 2, 8)]
        )

    def finish(self, run, levels):
        actions.claim(run.pk, "bench")
        rows = []
        for level in levels:
            path = write(Path(settings.HOME) / "way.exr", noisy(textured(SIZE), 0.2, int(level) + 10 * run.seed))
            rows.append({
                "level": float(level), "wall_seconds": 1.0 + level, "cpu_seconds": 1.0 + level,
                "picture": path.read_bytes(),
            })  # fmt: skip
        record_result(run.pk, result_of(run, on_the_way=rows, reached=8.0))

    def test_one_render_a_seed_gives_a_run_to_every_level(self):
        self.assertEqual(actions.queue_study(self.study), 3)
        for run in self.study.runs.filter(state="queued").order_by("queued_order"):
            self.finish(run, [2, 4])
        rows = self.study.runs.filter(warm_up=False).values_list(
            "option__settings__samples", "seed", "state", "wall_seconds"
        )
        self.assertEqual(
            sorted(rows),
            [(s, seed, "finished", w) for s, w in ((2, 3.0), (4, 5.0), (8, 11.0)) for seed in (1, 2)],
        )
        lower = self.study.runs.filter(option__settings__samples=2).first()
        self.assertEqual((lower.reached, lower.made_by.option.settings["samples"]), (2.0, 8))
        self.assertIn(f"by run {lower.made_by_id}", lower.log)
        self.assertEqual(measure_outstanding(Option.objects.all()), 5, "three options and their two pairs")
        body = self.call("GET", f"/api/studies/{self.study.pk}/progress/").json()
        self.assertEqual((body["state"], body["planned"], body["lacking"]), ("done", 2, 0))

    def test_made_again_it_writes_the_same_runs_and_no_more(self):
        actions.queue_study(self.study)
        for run in self.study.runs.filter(state="queued"):
            self.finish(run, [2, 4])
        lower = self.study.runs.filter(option__settings__samples=2, seed=1).get()
        actions.run_again(lower)
        self.assertEqual(self.study.runs.filter(state="queued").get(), lower.made_by)
        self.finish(lower.made_by, [2, 4])
        self.assertEqual(self.study.runs.count(), 7)

    def test_a_level_that_is_no_option_is_let_go_and_a_failed_render_brings_none(self):
        actions.queue_study(self.study)
        run = self.study.runs.filter(warm_up=False).first()
        self.finish(run, [2, 3])
        self.assertEqual(run.brought.count(), 1)
        other = self.study.runs.filter(warm_up=False, state="queued").first()
        actions.claim(other.pk, "bench")
        record_result(other.pk, result_of(other, state="failed", reason="broke", picture=None))
        self.assertEqual(other.brought.count(), 0)


class UntilSure(WithEngines, TestCase):
    def finished(self, **rule):
        study = self.create(until_sure={"on": "time", "width": 0.2, "cap": 4} | rule)
        finish_all(study)
        measure_outstanding(Option.objects.all())
        return study

    def test_seeds_are_added_to_both_sides_until_the_interval_is_narrow_or_the_cap_reached(self):
        study = self.finished()
        counts = []
        for _ in range(4):
            counts.append(repeat_until_sure())
            for run in study.runs.filter(state="queued").select_related("option"):
                actions.claim(run.pk, "bench")
                record_result(run.pk, result_of(run))
        self.assertEqual(counts, [2, 2, 0, 0])
        self.assertEqual(set(study.runs.values_list("seed", flat=True)), {0, 1, 2, 3, 4})

    def test_a_ratio_that_is_sure_gets_none(self):
        self.finished(width=1.0)
        self.assertEqual(repeat_until_sure(), 0)

    def test_archived_and_unfinished_studies_are_let_be(self):
        study = self.finished()
        actions.run_again(study.runs.last())
        self.assertEqual(repeat_until_sure(), 0)
        actions.stop_runs(study.runs.all())
        Study.objects.update(archived_at=timezone.now())
        self.assertEqual(repeat_until_sure(), 0)


class Disk(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(kind="range", factors=[factor("samples", 8, 16)])
        finish_all(self.study)
        measure_outstanding(Option.objects.all())
        self.path = f"/api/studies/{self.study.pk}"

    def disk(self):
        return self.call("GET", f"{self.path}/answer/").json()["disk"]

    def test_pictures_of_warm_ups_and_old_runs_go_and_their_figures_stay(self):
        self.call("PUT", f"{self.path}/plan/", draft(kind="range", factors=[factor("samples", 16)]))
        before = self.disk()
        self.assertTrue(all(before[what] for what in ("counted", "warm_ups", "old")), before)
        warm = self.study.runs.get(warm_up=True)
        self.assertEqual(self.call("POST", f"{self.path}/let-go/", {"what": "warm_ups"}).json(), {"runs": 1})
        with self.captureOnCommitCallbacks(execute=True):
            self.assertEqual(self.call("POST", f"{self.path}/let-go/", {"what": "old"}).json(), {"runs": 2})
        self.assertEqual(self.disk(), {"counted": before["counted"], "warm_ups": 0, "old": 0, "maps": 0})
        old = self.study.runs.filter(option__title="samples 8").first()
        self.assertEqual((old.picture, old.wall_seconds), ("", 11.0))
        self.assertTrue(old.let_go_at)
        self.assertEqual(Measure.objects.filter(option=old.option, name="noise").count(), 1)
        self.assertTrue(Run.objects.get(pk=warm.pk).let_go_at)
        self.problem(400, "POST", f"{self.path}/let-go/", {"what": "counted"})

    def test_a_picture_that_something_else_names_stays_in_the_store(self):
        option = self.study.options.first()
        from_option(option, "")
        digests = set(option.runs.values_list("picture", flat=True))
        alone = self.study.options.last().runs.first().picture
        Run.objects.all().delete()
        drop_unused(digests | {alone})
        kept = [path_of(digest, ".exr").is_file() for digest in sorted(digests)]
        self.assertEqual(sum(kept), 2)  # the reference names two seeds; the warm-up's picture is gone
        self.assertFalse(path_of(alone, ".exr").is_file())

    def test_a_removed_study_is_gone_for_good_after_a_week(self):
        digest = self.study.runs.first().picture
        self.call("POST", f"{self.path}/remove/", {"on": True})
        self.assertEqual(purge_removed(), 0)
        with mock.patch("server.measuring.disk.timezone.now", return_value=timezone.now() + timedelta(days=8)):
            self.assertEqual(purge_removed(), 1)
        self.assertFalse(Study.objects.exists())
        self.assertFalse(path_of(digest, ".exr").is_file())
