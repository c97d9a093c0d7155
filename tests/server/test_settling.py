"""The step that an answer asks for, taken: a reference rendered, or a long render taken as one."""

from __future__ import annotations

import numpy as np
from matchedpair.answers.answer import RENDER_REFERENCE, SURE, TAKE_REFERENCE, UNSURE

from server.answers.settling import settle
from server.answers.studies import answered_study
from server.measuring.disk import disk_use, let_go
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.processes.measurer import Measurer
from server.processes.runner import time_limit
from server.references.actions import rendered_to_judge
from server.references.models import Reference
from server.runs.actions import claim, queue_study
from server.runs.recording import record_result
from server.store.files import path_of
from server.store.pixels import PICTURE
from server.studies.models import Option, Purpose
from tests.pictures import noisy, photograph
from tests.server.base import PreparedTest, factor, result_of
from tests.server.test_question_measures import exr

SIZE = (192, 144)
TRUTH = np.ascontiguousarray(photograph("coffee")[:144, :192])


class References(PreparedTest):
    """Two engines whose renders differ in a part of the light; `other` is a copy of `good`."""

    def prepare(self):
        text = (self.folder / "good.toml").read_text()
        other = text.replace('name = "good"', 'name = "other"', 1).replace('title = "Good"', 'title = "Other"')
        (self.folder / "other.toml").write_text(other)

    def study(self):
        study = self.create(
            asked="engine", width=SIZE[0], height=SIZE[1], under_test="engine", trial_value="other", settings={}
        )
        self.finish(study)
        return study

    def finish(self, study):
        """End what is queued: noise falls with the samples, and the other engine lacks light at the upper left."""
        queue_study(study)
        self.end_queued(study)
        measure_outstanding(Option.objects.filter(study=study))

    @staticmethod
    def end_queued(study, **changes):
        for run in study.runs.filter(state="queued").select_related("option__setup").order_by("seed"):
            claim(run.pk, "bench")
            samples = run.option.settings["samples"]
            light = TRUTH.copy()
            if run.option.engine == "other":
                light[16:48, 16:48] *= np.float32(0.5)
            seed = 1000 * run.seed + (run.option.engine == "other")
            picture = noisy(light, 0.4 / samples**0.5, seed)
            record_result(run.pk, result_of(run, picture=exr(picture), wall_seconds=0.5 * samples) | changes)

    def ranked_by(self, study):
        uses = self.call("GET", f"/api/studies/{study.pk}/decision/").json()["uses"]
        return {use["ranked_by"] for use in uses}

    def test_a_reference_is_rendered_by_one_press_and_the_answer_is_told_by_it(self):
        study = self.study()
        step = answered_study(study).answer.next
        self.assertEqual((step.act, step.seeds), (RENDER_REFERENCE, 2))
        self.assertEqual(self.ranked_by(study), {"noise"})
        base = Option.objects.get(pk=step.options[0])
        self.assertEqual(step.quality, 16 * base.settings["samples"])
        self.assertIn(f"Good, {step.quality:g} samples", step.words)

        body = self.call("POST", f"/api/studies/{study.pk}/settle/")
        self.assertEqual((body.status_code, body.json()), (201, {"runs": 2}))
        made = study.options.get(purpose=Purpose.REFERENCE)
        self.assertEqual(made.settings["samples"], step.quality)
        self.assertFalse(made.in_plan)
        answer = answered_study(study).answer
        self.assertEqual((answer.sure, answer.next), (UNSURE, None))
        self.assertEqual(answer.because[0].text, "The reference is being rendered.")
        self.assertEqual(rendered_to_judge(), [])

        self.end_queued(study)
        Measurer().work()
        reference = Reference.objects.get()
        self.assertEqual(reference.title, f"Good, {step.quality:g} samples")
        self.assertTrue(reference.twin)
        self.assertFalse(Measure.objects.filter(option=made).exists(), "it is no option that is compared")
        answer = answered_study(study).answer
        self.assertIsNone(answer.next)
        self.assertEqual(answer.sure, SURE)
        said = " ".join(claim.text for claim in (*answer.because, *answer.but))
        self.assertIn("darker", said)
        self.assertEqual(rendered_to_judge(), [], "once")
        self.assertEqual(self.ranked_by(study), {"visible"}, "what is decided goes by it too")

    def test_it_shares_no_seed_with_what_it_judges_and_may_take_as_many_times_longer(self):
        study = self.study()
        settle(study)
        seeds = set(study.runs.filter(option__purpose=Purpose.REFERENCE).values_list("seed", flat=True))
        self.assertEqual(len(seeds), 2)
        self.assertFalse(
            seeds & set(study.runs.exclude(option__purpose=Purpose.REFERENCE).values_list("seed", flat=True))
        )
        run = study.runs.select_related("option__control", "study").filter(option__purpose=Purpose.REFERENCE).first()
        self.assertEqual(time_limit(run), 2 * 16 * study.time_limit_seconds)
        self.assertEqual(time_limit(study.runs.exclude(pk__in=[run.pk]).first()), study.time_limit_seconds)

    def test_progress_and_the_table_tell_of_it_apart_from_the_plan(self):
        study = self.study()
        settle(study)
        progress = self.call("GET", f"/api/studies/{study.pk}/progress/").json()
        self.assertEqual((progress["state"], progress["besides_open"]), ("done", 2))
        rows = self.call("GET", f"/api/studies/{study.pk}/table/?throwaway=false").json()["rows"]
        self.assertEqual([row["purpose"] for row in rows].count("reference"), 2)

    def test_one_that_fails_is_no_reference_and_can_be_asked_for_again(self):
        study = self.study()
        settle(study)
        self.end_queued(study, state="failed", reason="out of memory", picture=b"")
        Measurer().work()
        self.assertFalse(Reference.objects.exists())
        self.assertEqual(answered_study(study).answer.next.act, RENDER_REFERENCE)
        self.assertEqual(settle(study), 2)
        self.end_queued(study)
        Measurer().work()
        self.assertEqual(Reference.objects.count(), 1)

    def test_one_that_was_removed_comes_back_only_when_it_is_asked_for(self):
        study = self.study()
        settle(study)
        self.end_queued(study)
        Measurer().work()
        self.assertEqual(self.call("DELETE", f"/api/references/{Reference.objects.get().pk}/").status_code, 204)
        Measurer().work()
        self.assertFalse(Reference.objects.filter(removed_at=None).exists())
        self.assertEqual(answered_study(study).answer.next.act, RENDER_REFERENCE)
        self.assertEqual(settle(study), 0, "what is there is not rendered anew")
        self.assertEqual(Reference.objects.filter(removed_at=None).count(), 1)

    def test_its_pictures_are_no_old_ones_that_may_be_let_go(self):
        study = self.study()
        settle(study)
        self.end_queued(study)
        Measurer().work()
        self.assertEqual(disk_use(study)["old"], 0)
        self.assertEqual(let_go(study, "old"), 0)
        self.assertTrue(path_of(Reference.objects.get().picture, PICTURE).is_file())

    def test_of_two_places_each_gets_its_own(self):
        study = self.create(
            asked="engine", kind="engines-scenes", width=SIZE[0], height=SIZE[1], settings={},
            factors=[factor("engine", "other"), factor("scene", "mist-lane")],
        )  # fmt: skip
        self.finish(study)
        self.assertEqual(settle(study), 4)
        self.end_queued(study)
        Measurer().work()
        scenes = set(Reference.objects.values_list("setup__scene__name", flat=True))
        self.assertEqual(scenes, {"marble-stall", "mist-lane"})

    def test_what_cannot_be_rendered_any_more_says_so(self):
        study = self.study()
        (self.folder / "good.toml").unlink()
        self.assertIn("Other, ", answered_study(study, now=True).answer.next.words, "another one that can")
        (self.folder / "other.toml").unlink()
        self.problem(400, "POST", f"/api/studies/{study.pk}/settle/")
        self.assertFalse(study.options.filter(purpose=Purpose.REFERENCE).exists())

    def test_a_render_of_the_study_that_is_long_enough_is_taken_as_it_is(self):
        study = self.create(
            asked="engine", kind="table", width=SIZE[0], height=SIZE[1], settings={"samples": 4},
            factors=[factor("engine", "other"), factor("samples", 512)],
        )  # fmt: skip
        self.finish(study)
        step = answered_study(study).answer.next
        self.assertEqual((step.act, step.words), (TAKE_REFERENCE, "Take Good, 512 samples, as the reference"))
        runs = study.runs.count()
        self.assertEqual(settle(study), 0)
        self.assertEqual(study.runs.count(), runs)
        reference = Reference.objects.get()
        self.assertEqual((reference.details["engine"], reference.details["settings"]["samples"]), ("Good", 512))
        waits = answered_study(study, now=True).answer
        self.assertEqual(
            (waits.next, waits.because[0].text), (None, "The reference is there and waits to be measured.")
        )
        measure_outstanding(Option.objects.filter(study=study))
        self.assertNotEqual(answered_study(study).answer.sentence.split(":")[0], "Not decided")
