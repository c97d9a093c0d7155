"""Curves of a study, effects, and the search for a matched pair, on engines of known laws."""

import json
import math

import numpy as np
from django.conf import settings
from matchedpair.measures.kinds import KIND_OF

from server.curves.curves import study_curves
from server.measuring.measuring import measure_outstanding, noise_of, ratio_of
from server.measuring.models import Comparison, Measure
from server.measuring.paired import paired_noise
from server.runs.actions import claim, queue_study
from server.runs.models import Run
from server.runs.recording import record_result
from server.searches import same_noise
from server.searches.models import Matching
from server.studies.models import Option, Pair
from tests.pictures import write
from tests.server.base import PreparedTest, factor, result_of
from tests.server.lawful import LawfulTest


class Curves(LawfulTest):
    def test_the_laws_come_back_with_points_words_and_what_the_same_noise_costs(self):
        study = self.ladder()
        body = self.curves(study)
        self.assertEqual([(row["title"], row["of_control"]) for row in body["curves"]],
                         [("the control", True), ("extra on", False)])  # fmt: skip
        fit = body["curves"][1]["fit"]
        for name, true in (("a", 400), ("ready_seconds", 1), ("seconds_per_unit", 1)):
            self.assertAlmostEqual(fit[name], true, places=4)
        [cell] = body["same"][0]["cells"]
        # the control has 20 % at 4 samples; the other would need 1 sample, less than half of its lowest step
        self.assertIsNone(cell["same_noise"]["speed_up"])
        self.assertIn("cleaner already", cell["same_noise"]["note"])
        self.assertEqual([point["quality"] for point in body["curves"][0]["points"]], [4, 16, 64, 256])
        self.assertTrue(all(point["pair"] and point["run"] for point in body["curves"][0]["points"]))
        self.assertIn("no floor shows", " ".join(body["curves"][0]["words"]))

    def test_the_same_noise_at_the_baseline(self):
        study = self.create(
            kind="table", factors=[factor("samples", 4, 16, 256), factor("extra", True)], settings={"samples": 64}
        )
        self.finish(study)
        body = self.curves(study)
        [cell] = body["same"][0]["cells"]
        # 64 samples: 5 % in 33 s; the other needs 16: 17 s
        self.assertAlmostEqual(cell["same_noise"]["speed_up"], 33 / 17, places=4)
        self.assertAlmostEqual(cell["same_noise"]["trial_quality"], 16)
        # in 33 s the other has 32 samples: sqrt(400 / 32) = 3.54 %
        self.assertAlmostEqual(cell["same_time"]["noise_ratio"], math.sqrt(400 / 32) / 5, places=4)
        self.assertRegex(body["sentence"], r"^At the same noise extra on is 1\.94 × faster than the control \(")

    def test_one_step_each_far_apart_is_not_extrapolated(self):
        study = self.create(settings={"samples": 64}, factors=[factor("extra", True)])
        self.finish(study)
        [cell] = self.curves(study)["same"][0]["cells"]
        self.assertIsNone(cell["same_noise"])
        self.assertIn("0.500 of the noise: too far apart to tell", cell["lacks"])

    def test_one_step_each_is_told_from_getting_ready(self):
        self.other = {"extra": (900.0, 0.0, 1.0, 1.0)}
        study = self.create(settings={"samples": 64}, factors=[factor("extra", True)])
        self.finish(study)
        [cell] = self.curves(study)["same"][0]["cells"]
        # trial at 64 samples: 3.75 % in 65 s, so the control's 5 % take 1 + 64 · 0.5625 s
        self.assertAlmostEqual(cell["same_noise"]["speed_up"], 33 / 37, places=4)
        self.assertIn("one step each", cell["same_noise"]["note"])

    def test_what_is_refused_between_pictures_is_not_given_from_curves(self):
        study = self.create(settings={"samples": 64}, factors=[factor("extra", True)])
        self.finish(study)
        Comparison.objects.update(noise_refused="their sharpness differs")
        [cell] = self.curves(study)["same"][0]["cells"]
        self.assertEqual((cell["same_noise"], cell["lacks"]), (None, "their sharpness differs"))

    def test_a_denoised_ladder_is_no_match_in_noise(self):
        definition = self.folder / "good.toml"
        definition.write_text(definition.read_text().replace('name = "extra"', 'name = "denoise"'))
        study = self.create(settings={"samples": 64}, factors=[factor("denoise", True)])
        self.finish(study)
        [cell] = self.curves(study)["same"][0]["cells"]
        self.assertIsNone(cell["same_noise"])
        self.assertIn("what the filter left", cell["lacks"])

    def test_a_failed_run_in_a_ladder_is_said_and_the_rest_goes_on(self):
        study = self.ladder()
        lost = study.options.get(settings__samples=64, settings__extra=False)
        Run.objects.filter(option=lost).update(state="failed", picture="")
        body = self.curves(study)
        lacking = [point for point in body["curves"][0]["points"] if point["lacks"]]
        self.assertEqual([(p["quality"], p["lacks"]) for p in lacking], [(64, "no finished render")])
        self.assertIsNotNone(body["curves"][0]["fit"])

    def test_zero_and_missing_times_and_rising_noise_have_reasons(self):
        study = self.create(kind="ladder", factors=[factor("samples", 16, 64)])
        self.finish(study)
        Run.objects.filter(study=study).update(wall_seconds=0.0, cpu_seconds=0.0)
        body = self.curves(study)
        self.assertEqual({point["lacks"] for point in body["curves"][0]["points"]}, {"no time is known"})
        self.assertIn("No curve yet", body["sentence"])
        Run.objects.filter(study=study).update(wall_seconds=5.0, cpu_seconds=5.0, ready_seconds=1, cpu_ready_seconds=1)
        for option in study.options.all():
            Measure.objects.filter(option=option, name="noise").update(value=option.settings["samples"])
        self.assertIn("noise does not fall", self.curves(study)["curves"][0]["refused"])

    def test_an_unknown_zone_or_measure_is_refused(self):
        study = self.create()
        self.problem(400, "GET", f"/api/studies/{study.pk}/curves/?zone=Moon")
        self.problem(400, "GET", f"/api/studies/{study.pk}/curves/?of=beauty")

    def test_a_curve_of_error_needs_a_reference(self):
        study = self.ladder()
        body = self.curves(study, of="error")
        self.assertIn("no reference", body["curves"][0]["points"][0]["lacks"])
        for option in study.options.all():
            kept = Measure.objects.get(option=option, name="noise")
            kept.pk, kept.name, kept.version = None, "error", KIND_OF["error"].version
            kept.value = math.sqrt(kept.value**2 + 4.0)
            kept.save()
        self.assertAlmostEqual(self.curves(study, of="error")["curves"][0]["fit"]["floor_percent"], 2.0, places=4)


class Effects(LawfulTest):
    def test_a_full_table_gives_effects_and_interactions(self):
        study = self.ladder()
        body = self.call("GET", f"/api/studies/{study.pk}/effects/").json()
        rows = {row["title"]: row for row in body["factors"]}
        [extra] = rows["Extra"]["noise"]
        self.assertAlmostEqual(extra["value"], 0.5, places=6)
        self.assertEqual((extra["level"], extra["over"], extra["tie"]), ("on", 4, False))
        self.assertEqual(rows["Extra"]["baseline"], "off")
        self.assertTrue(body["table"])
        noise = [row for row in body["interactions"] if row["of"] == "noise"]
        self.assertEqual(len(noise), 3)
        self.assertTrue(all(row["tie"] for row in noise))

    def test_a_denoiser_has_an_effect_on_time_and_none_on_noise_that_compares(self):
        definition = self.folder / "good.toml"
        definition.write_text(definition.read_text().replace('name = "extra"', 'name = "denoise"'))
        study = self.create(settings={"samples": 64}, factors=[factor("denoise", True)])
        self.finish(study)
        [row] = self.call("GET", f"/api/studies/{study.pk}/effects/").json()["factors"]
        self.assertEqual((row["noise"], [each["level"] for each in row["time"]]), ([], ["on"]))

    def test_a_plan_without_factors_has_none(self):
        study = self.create()
        Option.objects.filter(study=study).update(levels=[])
        self.assertEqual(self.call("GET", f"/api/studies/{study.pk}/effects/").json()["factors"], [])


class Matched(LawfulTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(settings={"samples": 64}, factors=[factor("extra", True)])
        self.finish(self.study)
        self.control = self.study.options.get(side="control")
        self.trial = self.study.options.get(side="trial")

    def begin(self, on="noise", **changes):
        body = {"control": self.control.pk, "trial": self.trial.pk, "on": on, "zone": "whole"} | changes
        return self.call("POST", f"/api/studies/{self.study.pk}/matchings/", body)

    def play(self, row):
        """Render and advance until it is over, then compare what was found; the control has 5 % throughout."""
        for _ in range(12):
            row.refresh_from_db()
            over = row.state != "searching"
            self.finish_queued(self.study)
            Measure.objects.filter(option=self.control, name="noise").update(value=5.0)
            if over:
                return
            same_noise.advance_all()
        raise AssertionError("the search does not end")

    def test_the_same_noise_is_found_and_the_pair_says_what_it_is_matched_on(self):
        answer = self.begin()
        self.assertEqual(answer.status_code, 201, answer.content)
        row = Matching.objects.get(pk=answer.json()["id"])
        self.assertEqual(answer.json()["steps"][0]["state"], "there before")
        self.play(row)
        self.assertEqual(row.state, "sure", row.words)
        pair = row.pair
        self.assertEqual(pair.trial.settings["samples"], 16)
        self.assertEqual((pair.matched_on, pair.matched_zone), ("noise", "whole"))
        self.assertIn("samples", pair.under_test)
        body = self.call("GET", f"/api/pairs/{pair.pk}/").json()
        self.assertTrue(body["matched"]["words"].startswith("Matched on noise"))
        said = "Matched on noise, 0 % apart. Extra on: rendering 2 × faster ("
        self.assertTrue(body["sentence"].startswith(said), body["sentence"])
        self.assertEqual(body["match_sheet"]["fair"], True)
        found = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()
        self.assertEqual([row["matched"] is not None for row in found["pairs"]].count(True), 1)
        said = "Same noise at 16 samples instead of 64: rendering 2 × faster ("
        self.assertTrue(found["sentence"].startswith(said), found["sentence"])

    def test_the_same_time_is_found(self):
        row = Matching.objects.get(pk=self.begin("time").json()["id"])
        self.play(row)
        self.assertEqual(row.state, "sure", row.words)
        self.assertEqual(row.pair.trial.settings["samples"], 32)
        sentence = self.call("GET", f"/api/pairs/{row.pair.pk}/").json()["sentence"]
        self.assertTrue(sentence.startswith("Matched on time"), sentence)
        self.assertIn("29 % less noise (", sentence)

    def test_another_number_than_the_quality_knob_can_be_searched(self):
        # noise rises with the pause here, as with a noise target: a pause of p gives 5·(p + 0.5) %
        self.law = lambda option: ((40.0 * (option.settings["pause"] + 0.5)) ** 2, 0.0, 1.0, 0.5)
        self.trial.settings |= {"pause": 2.0, "extra": False}
        self.trial.save()
        self.finish_queued(self.study)
        Measure.objects.filter(option=self.control, name="noise").update(value=5.0)
        answer = self.begin(knob="pause")
        self.assertEqual(answer.status_code, 201, answer.content)
        row = Matching.objects.get(pk=answer.json()["id"])
        self.play(row)
        self.assertEqual(row.state, "sure", row.words)
        self.assertAlmostEqual(row.pair.trial.settings["pause"], 0.5, delta=0.05)
        self.assertIn("pause", row.pair.under_test)
        body = self.curves(self.study)
        searched = next(curve for curve in body["curves"] if curve["knob"] == "pause")
        self.assertGreater(len(searched["points"]), 2)
        self.assertIn("noise does not fall", searched["refused"])
        self.assertIn("no such setting", self.problem(400, "POST", f"/api/studies/{self.study.pk}/matchings/", {
            "control": self.control.pk, "trial": self.trial.pk, "on": "noise", "knob": "wheels",
        })["detail"])  # fmt: skip

    def test_below_a_floor_it_is_not_reachable_and_makes_no_pair(self):
        self.other = {"extra": (400.0, 9.0, 1.0, 1.0)}
        before = Pair.objects.count()
        row = Matching.objects.get(pk=self.begin().json()["id"])
        self.finish_queued(self.study)
        self.play(row)
        self.assertEqual(row.state, "not_reachable")
        self.assertIn("not reachable", row.words)
        self.assertEqual(Pair.objects.count(), before)

    def test_it_is_stopped_and_goes_on(self):
        row = Matching.objects.get(pk=self.begin().json()["id"])
        self.assertTrue(self.study.runs.filter(state="queued").exists())
        stopped = self.call("POST", f"/api/matchings/{row.pk}/stop/").json()
        self.assertEqual(stopped["state"], "stopped")
        self.assertFalse(self.study.runs.filter(state="queued").exists())
        self.problem(400, "POST", f"/api/matchings/{row.pk}/stop/")
        self.call("POST", f"/api/matchings/{row.pk}/go-on/")
        self.assertTrue(self.study.runs.filter(state="queued").exists())
        self.play(row)
        self.assertEqual(row.state, "sure")

    def test_a_render_that_fails_ends_it_with_the_reason(self):
        row = Matching.objects.get(pk=self.begin().json()["id"])
        self.study.runs.filter(state="queued").update(state="failed", reason="out of memory")
        same_noise.advance_all()
        row.refresh_from_db()
        self.assertEqual(row.state, "failed")
        self.assertIn("failed or gave no figure", row.words)

    def test_killed_in_between_it_goes_on_from_what_is_stored(self):
        row = Matching.objects.get(pk=self.begin().json()["id"])
        for _ in range(3):
            same_noise.advance_all()  # nothing is taken twice while renders are still to come
        row.refresh_from_db()
        self.assertEqual(len(row.tried), 2)

    def test_what_cannot_be_matched_is_refused(self):
        elsewhere = self.create(question="Another?")
        path = f"/api/studies/{self.study.pk}/matchings/"
        good = {"control": self.control.pk, "trial": self.trial.pk, "on": "noise"}
        for changes, words in (
            ({"trial": self.control.pk}, "nothing but samples"), ({"zone": "Moon"}, "no zone"),
        ):  # fmt: skip
            self.assertIn(words, self.problem(400, "POST", path, good | changes)["detail"])
        body = {"control": self.control.pk, "trial": elsewhere.options.first().pk, "on": "noise"}
        self.problem(404, "POST", f"/api/studies/{self.study.pk}/matchings/", body)
        fresh = elsewhere.options.order_by("number")
        body = {"control": fresh[0].pk, "trial": fresh[1].pk, "on": "noise"}
        Option.objects.filter(pk=fresh[1].pk).update(settings=fresh[1].settings | {"extra": True})
        detail = self.problem(400, "POST", f"/api/studies/{elsewhere.pk}/matchings/", body)["detail"]
        self.assertIn("not known yet", detail)
        self.assertEqual(self.begin().status_code, 201)
        again = self.begin()
        self.assertEqual(again.status_code, 400)
        self.assertIn("under way already", json.loads(again.content)["detail"])


class InTheSamePlaces(PreparedTest):
    """Real pictures whose noise varies over the picture, so that a typical place of each need not be the same place."""

    def prepare(self):
        super().prepare()
        self.study = self.create(kind="ladder", factors=[factor("samples", 16, 64)], width=240, height=160)
        queue_study(self.study)
        rows, columns = np.mgrid[0:160, 0:240]
        uneven = np.exp(np.sin(rows / 20) + np.cos(columns / 25))[..., None]
        for run in self.study.runs.filter(state="queued").select_related("option"):
            claim(run.pk, "bench")
            dice = np.random.default_rng(run.seed + 10 * run.option.number)
            spread = 0.2 * uneven / np.sqrt(run.option.settings["samples"])
            picture = (0.5 * (1 + spread * dice.standard_normal((160, 240, 1))) * np.ones(3)).astype(np.float32)
            path = write(settings.HOME / "uneven.exr", picture)
            record_result(run.pk, result_of(run, picture=path.read_bytes(), wall_seconds=float(run.option.number + 1)))
        measure_outstanding(Option.objects.filter(study=self.study))

    def test_a_curve_s_steps_stand_as_their_pairs_do(self):
        control, *others = self.study.options.order_by("number").prefetch_related("measures")
        points = {row.facts.option.pk: row.point for row in study_curves(self.study).ladders[0].points}
        anchor = noise_of(control)
        self.assertEqual(points[control.pk].noise_percent, anchor.value)
        for option in others:
            ratio = ratio_of(anchor, noise_of(option))
            self.assertIsNotNone(ratio.spread)
            self.assertAlmostEqual(points[option.pk].noise_percent / anchor.value, ratio.value)
            self.assertAlmostEqual(ratio.value, math.sqrt(4 / option.settings["samples"]), delta=0.03)

    def test_without_places_in_common_an_option_keeps_its_own_figure(self):
        control, other, _ = self.study.options.order_by("number").prefetch_related("measures")
        own = noise_of(other)
        self.assertNotEqual(paired_noise(noise_of(control), own).value, own.value)
        own.places = ""
        self.assertEqual(paired_noise(noise_of(control), own).value, own.value)
        self.assertEqual(paired_noise(None, own).value, own.value)
        self.assertIsNone(paired_noise(noise_of(control), None))
