"""The measures that only some questions need, from stored pictures to the answer, and when they are made anew."""

from __future__ import annotations

import shutil
import tempfile
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from matchedpair.answers.answer import RENDER_REFERENCE, SURE, UNSURE

from server.answers.studies import answered_study
from server.catalogue.zones import add_zone
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.references.actions import from_option, from_upload
from server.references.models import Reference
from server.runs.actions import claim, queue_study
from server.runs.recording import record_result
from server.store.files import path_of
from server.studies.models import Option, Study
from tests.pictures import noisy, photograph, write
from tests.server.base import PreparedTest, factor, result_of

ROOT = Path(__file__).parents[2]
LARGE, SMALL = (192, 144), (96, 72)
TRUTH = cv2.resize(photograph("coffee")[:384, :512], LARGE, interpolation=cv2.INTER_AREA)
FEW = cv2.resize(TRUTH, SMALL, interpolation=cv2.INTER_AREA)


def exr(picture):
    with tempfile.TemporaryDirectory() as folder:
        return write(Path(folder) / "picture.exr", np.ascontiguousarray(picture)).read_bytes()


class QuestionMeasures(PreparedTest):
    def finish(self, study, picture_of, **more):
        """End all renders with the pictures (and passes) that these give for a run."""
        queue_study(study)
        for run in study.runs.filter(state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            passes = {name: exr(make(run)) for name, make in more.items()}
            record_result(run.pk, result_of(run, picture=exr(picture_of(run)), passes=passes))
        return measure_outstanding(Option.objects.filter(study=study))

    def upload(self, kind, picture):
        given = {"kind": kind, "title": "Truth", "scene": "marble-stall", "view": "counter"}
        file = SimpleUploadedFile("truth.exr", exr(picture))
        return from_upload(file, given)

    def names(self, study):
        rows = Measure.objects.filter(option__study=study)
        return {(row.name, row.option.number, row.zone): row for row in rows.select_related("option")}


class Sizes(QuestionMeasures):
    def study(self):
        factors = [factor("size", "96x72"), factor("samples", 16)]
        return self.create(asked="pixels", kind="same-time", match_on="time", width=LARGE[0], height=LARGE[1],
                           factors=factors, repeats=3)  # fmt: skip

    @staticmethod
    def seen(run):
        size = (run.option.setup.width, run.option.setup.height)
        picture = TRUTH if size == LARGE else cv2.resize(TRUTH, size, interpolation=cv2.INTER_AREA)
        return noisy(picture, 0.1 if size == LARGE else 0.05, run.seed)

    def test_both_sizes_are_held_against_the_reference_of_the_larger(self):
        self.upload("analytic", TRUTH)
        study = self.study()
        self.finish(study, self.seen)
        rows = self.names(study)
        self.assertGreater(rows["apparent_detail", 0, "whole"].value, 0.9)
        self.assertLess(rows["apparent_detail", 1, "whole"].value, 0.75)
        self.assertIsNotNone(rows["apparent_error", 1, "whole"].low)
        answer = answered_study(study).answer
        self.assertEqual(answer.sure, SURE)
        self.assertTrue(answer.sentence.startswith("More pixels: 192×144 with 4 samples keeps"), answer.sentence)
        self.assertEqual(measure_outstanding(Option.objects.filter(study=study)), 0)

    def test_without_a_reference_it_asks_for_one_of_the_larger_size(self):
        study = self.study()
        self.finish(study, self.seen)
        answer = answered_study(study).answer
        self.assertEqual((answer.sure, answer.next.act), (UNSURE, RENDER_REFERENCE))
        self.assertIn("192×144", answer.next.words)
        self.upload("analytic", TRUTH)
        measure_outstanding(Option.objects.filter(study=study))
        self.assertEqual(answered_study(study).answer.sure, SURE)

    def test_a_render_that_was_taken_as_the_reference_is_no_contender(self):
        study = self.study()
        self.finish(study, self.seen)
        long = Option.objects.get(study=study, number=0)
        from_option(long)
        measure_outstanding(Option.objects.filter(study=study))
        facts = answered_study(study).facts
        self.assertFalse(facts.options[0].judged)
        self.assertEqual([row.apparent_error is None for row in facts.options], [True, False])
        self.assertIn("nothing is rendered but the reference itself", answered_study(study).answer.sentence)

    def test_a_reference_of_another_shape_is_told_as_the_reason(self):
        self.upload("analytic", TRUTH)
        study = self.create(asked="pixels", kind="same-time", match_on="time", width=LARGE[0], height=LARGE[1],
                            factors=[factor("size", "60x72"), factor("samples", 16)])  # fmt: skip
        self.finish(study, self.seen)
        self.assertIn("same part of the scene", self.names(study)["apparent_error", 1, "whole"].refused)


class Proof(QuestionMeasures):
    def shown(self, study):
        return self.call("GET", f"/api/studies/{study.pk}/proof/").json()["pictures"]

    def noisier_at_the_lower_right(self, run, light=1.0):
        """What the control is; of the trial's upper left this share of the light is left."""
        picture = noisy(0.1 * TRUTH, 0.05, run.seed + 10 * run.option.number)
        if run.option.number == 0:
            picture[90:, 120:] = noisy(0.1 * TRUTH, 0.6, run.seed)[90:, 120:]
        else:
            picture[16:72, 16:80] *= np.float32(light)
        return picture

    def test_both_sides_are_shown_in_the_part_that_tells_most_at_one_exposure(self):
        study = self.create(
            asked="feature", width=LARGE[0], height=LARGE[1], repeats=2, under_test="extra", trial_value=True
        )

        self.assertIsNone(self.shown(study))
        self.finish(study, self.noisier_at_the_lower_right)
        shown = self.shown(study)
        self.assertEqual([side["option"] for side in shown["sides"]], [o.pk for o in study.options.order_by("number")])
        self.assertEqual(shown["pair"], study.pairs.get().pk)
        self.assertEqual([side["title"] for side in shown["sides"]], ["extra off", "extra on"])
        self.assertGreater(shown["exposure"], 1.0)
        x, y, width, height = shown["sides"][0]["box"]
        self.assertTrue(x <= 150 < x + width and y <= 110 < y + height, (x, y, width, height))

    def test_a_change_of_light_comes_before_noise_only_where_an_eye_would_find_it(self):
        for light, at in ((0.95, (150, 110)), (0.3, (40, 40))):
            study = self.create(
                asked="feature", width=LARGE[0], height=LARGE[1], repeats=2, under_test="extra", trial_value=True
            )
            self.finish(study, partial(self.noisier_at_the_lower_right, light=light))
            x, y, width, height = self.shown(study)["sides"][0]["box"]
            self.assertTrue(x <= at[0] < x + width and y <= at[1] < y + height, (light, x, y, width, height))

    def test_levels_that_are_no_pair_are_shown_beside_each_other_where_they_differ(self):
        factors = [factor("samples", 32, 64)]
        study = self.create(asked="bounces", kind="range", width=LARGE[0], height=LARGE[1], repeats=2, factors=factors)
        lost = {0: 0.5, 1: 0.2, 2: 0.0}

        def seen(run):
            picture = TRUTH.copy()
            picture[90:, 120:] *= np.float32(1 - lost[run.option.number])
            return noisy(picture, 0.01, run.seed + 10 * run.option.number)

        self.finish(study, seen)
        control, lower, higher = study.options.order_by("number")
        answer = answered_study(study).answer
        self.assertTrue(answer.sentence.startswith("More than 32"), answer.sentence)
        shown = self.shown(study)
        self.assertEqual([side["option"] for side in shown["sides"]], [higher.pk, lower.pk], control.pk)
        self.assertEqual((shown["pair"], shown["part"]), (0, True))
        x, y, width, height = shown["sides"][0]["box"]
        self.assertTrue(x + width > 120 and y + height > 90, shown["sides"])

    def test_beside_them_stands_what_they_are_judged_by_in_the_same_part(self):
        study = self.create(asked="feature", width=LARGE[0], height=LARGE[1], under_test="extra", trial_value=True)
        self.finish(study, lambda run: noisy(TRUTH, 0.1, run.seed + 10 * run.option.number))
        shown = self.shown(study)
        self.assertIsNone(shown["reference"])
        self.assertEqual(shown["measure"], "visible_noise")
        reference = self.upload("analytic", TRUTH)
        shown = self.shown(study)
        self.assertEqual(shown["reference"]["picture"], reference.picture)
        self.assertEqual(shown["reference"]["box"], shown["sides"][0]["box"])

    def test_of_engines_the_figure_that_is_told_is_the_one_that_ranks_them(self):
        self.upload("analytic", TRUTH)
        text = (self.folder / "good.toml").read_text()
        other = text.replace('name = "good"', 'name = "other"', 1).replace('title = "Good"', 'title = "Other"')
        (self.folder / "other.toml").write_text(other)
        study = self.create(
            asked="engine", width=LARGE[0], height=LARGE[1], under_test="engine", trial_value="other", settings={}
        )
        self.finish(study, lambda run: noisy(TRUTH * (1.0 + 0.3 * run.option.number), 0.05, run.seed))
        shown = self.shown(study)
        self.assertEqual(shown["measure"], "visible_error")
        control, trial = (side["value"] for side in shown["sides"])
        self.assertGreater(trial, 3 * control)
        errors = {row["id"]: row["visible_error"]["value"] for row in self.options(study)}
        self.assertEqual([control, trial], [errors[side["option"]] for side in shown["sides"]])

    def test_of_a_ladder_the_control_and_what_was_chosen_are_shown_without_a_reference_too(self):
        study = self.create(asked="samples", kind="ladder", width=LARGE[0], height=LARGE[1], settings={"samples": 16},
                            factors=[factor("samples", 64, 1024, 4096)], repeats=2)  # fmt: skip
        self.finish(
            study, lambda run: noisy(TRUTH, 0.8 / np.sqrt(run.option.settings["samples"]), run.seed + run.option.pk)
        )
        answer = answered_study(study).answer
        self.assertEqual((answer.shown.kind, answer.shown.pair), ("curve", 0))
        control = study.options.get(number=0)
        self.assertNotEqual(answer.choice, control.pk)
        self.assertEqual([side["option"] for side in self.shown(study)["sides"]], [control.pk, answer.choice])

    def options(self, study):
        return self.call("GET", f"/api/studies/{study.pk}/answer/").json()["options"]

    def test_sizes_are_shown_at_the_same_part(self):
        self.upload("analytic", TRUTH)
        study = self.create(asked="pixels", kind="same-time", match_on="time", width=LARGE[0], height=LARGE[1],
                            factors=[factor("size", "96x72"), factor("samples", 16)], repeats=3)  # fmt: skip
        self.finish(study, Sizes.seen)
        large, small = (side["box"] for side in self.shown(study)["sides"])
        for one, half in zip(large, small, strict=True):
            self.assertAlmostEqual(one / 2, half, delta=1)
        titles = [side["title"] for side in self.shown(study)["sides"]]
        self.assertEqual(titles, ["192 × 144, Good, 4 samples", "96 × 72, 16 samples"])

    def test_pictures_that_were_let_go_are_no_server_error(self):
        study = self.create(asked="feature", repeats=2)
        self.finish(study, lambda run: noisy(FEW, 0.1 if run.option.number else 0.5, run.seed))
        for run in study.runs.all():
            path_of(run.picture, ".exr").unlink(missing_ok=True)
        self.assertIsNone(self.shown(study))


class Passes(QuestionMeasures):
    def answered(self, other):
        study = self.create(asked="pass", kind="range", factors=[factor("samples", 16)], repeats=3)
        Study.objects.filter(pk=study.pk).update(passes=["occlusion"])
        study.refresh_from_db()
        small = cv2.resize(TRUTH, (study.options.first().setup.width, study.options.first().setup.height))

        def occlusion(run):
            own = small if run.option.number == 0 else other(small)
            return noisy(own, 0.2 if run.option.number == 0 else 0.05, run.seed + 10 * run.option.number)

        self.finish(study, lambda run: noisy(small, 0.1, run.seed + 10 * run.option.number), occlusion=occlusion)
        return study, answered_study(study).answer

    def test_a_pass_in_another_range_is_the_same_and_its_noise_decides(self):
        study, answer = self.answered(lambda own: 0.5 * own)
        rows = self.names(study)
        self.assertIn("compared with this one", rows["pass_apart", 0, "whole"].refused)
        self.assertLess(rows["laid_over", 1, "whole"].value, 1.0)
        self.assertEqual(answer.choice, study.options.get(number=1).pk)
        self.assertIn("the same occlusion", answer.sentence)
        shown = self.call("GET", f"/api/studies/{study.pk}/proof/").json()["pictures"]
        firsts = [study.runs.get(option=option, seed=1, warm_up=False) for option in study.options.order_by("number")]
        self.assertEqual([side["picture"] for side in shown["sides"]], [run.passes["occlusion"] for run in firsts])
        self.assertFalse(shown["part"])

    def test_another_pass_is_not_chosen_for_its_little_noise(self):
        study, answer = self.answered(lambda own: np.ascontiguousarray(own[::-1, ::-1]))
        self.assertGreater(self.names(study)["laid_over", 1, "whole"].value, 1.0)
        self.assertEqual(answer.choice, study.options.get(number=0).pk)


class Photographs(QuestionMeasures):
    def prepare(self):
        super().prepare()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder / "alder.toml")

    def study(self):
        size = {"width": SMALL[0], "height": SMALL[1]}
        return self.create(
            engine="alder", asked="light", kind="range", factors=[factor("light", "lanterns-only")], **size
        )

    @staticmethod
    def seen(run):
        fall = np.exp2(np.linspace(-1, 1, SMALL[0], dtype=np.float32))[None, :, None]
        own = FEW if run.option.number == 0 else FEW * fall
        return noisy(own.astype(np.float32), 0.02, run.seed)

    def test_the_nearest_is_told_overall_and_by_zone(self):
        self.upload("photograph", 0.5 * FEW)
        add_zone("marble-stall", "counter", {"name": "Left", "kind": "measure", "shape": "rectangle",
                                             "points": [[0.05, 0.1], [0.45, 0.9]]})  # fmt: skip
        study = self.study()
        self.finish(study, self.seen)
        rows = self.names(study)
        for zone in ("whole", "Left"):
            self.assertLess(rows["nearness", 0, zone].value, rows["nearness", 1, zone].value)
        answer = answered_study(study).answer
        self.assertEqual(answer.choice, study.options.get(number=0).pk)
        self.assertIn("comes nearest the photograph", answer.sentence)
        first, second = self.call("GET", f"/api/studies/{study.pk}/proof/").json()["pictures"]["sides"]
        laid = Reference.objects.get()
        self.assertEqual((first["title"], first["picture"]), ("Photograph: Truth", laid.matched_picture))
        self.assertEqual((second["option"], second["title"]), (answer.choice, "as in the scene"))
        self.assertEqual(measure_outstanding(Option.objects.filter(study=study)), 0)

    def test_without_a_photograph_it_says_so_and_with_one_that_shows_something_else_why(self):
        study = self.study()
        self.finish(study, self.seen)
        self.assertIn("there is no photograph", answered_study(study).answer.sentence)
        self.upload("photograph", np.random.default_rng(1).random((72, 96, 3)).astype(np.float32))
        self.assertIn("wait to be compared", answered_study(study).answer.sentence)
        measure_outstanding(Option.objects.filter(study=study))
        self.assertIn("does not look like this render", answered_study(study).answer.sentence)

    def test_a_photograph_that_was_removed_says_nothing_any_more(self):
        study = self.study()
        self.finish(study, self.seen)
        photograph = self.upload("photograph", 0.5 * FEW)
        measure_outstanding(Option.objects.filter(study=study))
        self.assertIn("comes nearest", answered_study(study).answer.sentence)
        self.call("DELETE", f"/api/references/{photograph.pk}/")
        self.assertIn("there is no photograph", answered_study(study).answer.sentence)
