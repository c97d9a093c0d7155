"""Sequences of a study: gathered by frame, measured once whole, with what is missing or bad."""

import math
import shutil
from pathlib import Path

import numpy as np
from django.conf import settings

from server.catalogue.zones import add_zone
from server.measuring.measuring import measure_outstanding
from server.motion.measuring import measure_sequences
from server.motion.models import SequenceFigures
from server.processes.runner import _seed
from server.references.models import Reference
from server.runs.actions import claim, queue_study
from server.runs.models import Run
from server.runs.recording import record_result
from server.store.files import keep
from server.studies.models import Option
from tests.pictures import textured, write
from tests.server.base import SIZE, PreparedTest, factor, result_of

ROOT = Path(__file__).parents[2]
SHELF = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.1, 0.1], [0.6, 0.9]]}


class SequenceTest(PreparedTest):
    """A control and a trial over some frames."""

    noise = {False: 0.10, True: 0.03}  # noqa: RUF012 - never changed
    frames = 6

    def light(self, frame, extra):
        return 1.5 if frame >= 4 else 1.0

    def shown(self, light, frame):
        return light

    def prepare(self):
        super().prepare()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder / "alder.toml")
        self.study = self.create(
            kind="table", scene="mist-lane", view="lane", engine="alder", settings={"samples": 16},
            factors=[factor("frame", *range(2, self.frames + 1)), factor("light_picking", "estimate")],
        )  # fmt: skip
        self.path = f"/api/studies/{self.study.pk}/motion/"

    def finish(self, *, skip=()):
        queue_study(self.study)
        for run in self.study.runs.filter(state="queued").select_related("option__setup"):
            frame, extra = run.option.setup.frame, run.option.settings["light_picking"] == "estimate"
            if (frame, extra) in skip:
                continue
            claim(run.pk, "bench")
            dice = np.random.default_rng([run.seed, frame, extra])
            light = textured(SIZE) * self.light(frame, extra)
            light = light * (1 + self.noise[extra] * dice.standard_normal((*light.shape[:2], 1)))
            light = self.shown(light, frame)
            path = settings.HOME / f"frame-{run.pk}.exr"
            picture = write(path, light.astype(np.float32), "float").read_bytes()
            path.unlink()
            record_result(run.pk, result_of(run, picture=picture))

    def read(self, zone="whole"):
        answer = self.call("GET", f"{self.path}?zone={zone}")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class Decided(SequenceTest):
    """From frame 4 on the light is half as much again, and from frame 3 on the trial loses three tenths of it."""

    def light(self, frame, extra):
        return super().light(frame, extra) * (0.7 if extra and frame >= 3 else 1.0)

    def decided(self):
        self.finish()
        measure_outstanding(Option.objects.filter(study=self.study))
        return self.call("GET", f"/api/studies/{self.study.pk}/decision/").json()["options"]

    def failing(self, option):
        values = {"limits": {"noise": 30.0}, "by_hand": option["option"]}
        body = self.call("PATCH", f"/api/studies/{self.study.pk}/uses/preview/", values).json()
        return next(row["failures"] for row in body["uses"] if row["name"] == "preview")

    def test_frames_that_fail_are_told_together(self):
        control, trial = self.decided()
        self.assertAlmostEqual(trial["figures"]["stops"]["value"], math.log2(0.7), delta=0.03)
        self.assertEqual(self.failing(control), [])
        (row,) = self.failing(trial)
        self.assertRegex(row["words"], r"^up to 0\.5\d stops darker than the control in 4 of 6 frames$")

    def test_a_look_is_held_against_the_reference_where_there_is_one(self):
        setup = self.study.options.get(setup__frame=6, settings__light_picking="estimate").setup
        path = settings.HOME / "truth.exr"
        picture = write(path, (textured(SIZE) * self.light(6, extra=True)).astype(np.float32), "float").read_bytes()
        Reference.objects.create(setup=setup, kind="render", title="Truth", picture=keep(picture, ".exr"))
        _, trial = self.decided()
        (row,) = self.failing(trial)
        self.assertRegex(row["words"], r"^up to 0\.5\d stops darker than the control in 3 of 6 frames$")

    def test_one_frame_s_light_is_no_measure_of_another_s(self):
        self.study = self.create(
            kind="table", scene="mist-lane", view="lane", engine="alder", settings={"samples": 16},
            factors=[factor("frame", *range(2, self.frames + 1))],
        )  # fmt: skip
        (control,) = self.decided()
        self.assertEqual(control["figures"]["stops"]["value"], 0.0)
        self.assertEqual(self.failing(control), [])


class OverNothing(SequenceTest):
    """What is shown crosses an empty background, so that no pixel counts in every frame."""

    def shown(self, light, frame):
        right = np.arange(light.shape[1]) - frame * light.shape[1] / (self.frames + 1)
        alpha = np.repeat((np.abs(right) < light.shape[1] / 8)[None, :, None], light.shape[0], axis=0)
        return np.concatenate([light, alpha], axis=2)

    def test_only_a_reference_tells_and_it_does(self):
        self.finish()
        measure_sequences([self.study.pk])
        control, trial = self.read()["sequences"]
        self.assertIsNone(control["flicker_percent"])
        self.assertIn("no pixel counts in every frame", control["lacks"])
        self.call("POST", f"{self.path}as-reference/", {"key": trial["key"]})
        measure_sequences([self.study.pk])
        control = self.read()["sequences"][0]
        self.assertAlmostEqual(control["reference"]["error_percent"], 10.0, delta=1.5)
        self.assertIsNone(control["flicker_percent"])
        answer = self.call("GET", f"/api/studies/{self.study.pk}/answer/")
        self.assertEqual(answer.status_code, 200, answer.content)


class Moving(SequenceTest):
    """10 and 3 % of noise; from frame 4 on the light is half as much again."""

    def test_flicker_and_the_change_of_light_are_those_that_were_made(self):
        self.finish()
        self.assertEqual(measure_sequences([self.study.pk]), 2)
        body = self.read()
        control, trial = body["sequences"]
        self.assertEqual((control["control"], trial["title"]), (True, "light picking estimate"))
        self.assertAlmostEqual(control["flicker_percent"], 10.0, delta=1.2)
        self.assertAlmostEqual(trial["flicker_percent"], 3.0, delta=0.4)
        for row in (control, trial):
            self.assertEqual(row["response"]["frame"], 4)
            self.assertTrue(row["response"]["at_once"])
            self.assertAlmostEqual(row["response"]["change"], 0.5, delta=0.03)
            self.assertEqual([frame["frame"] for frame in row["frames"]], [1, 2, 3, 4, 5, 6])
            self.assertAlmostEqual(row["frames"][4]["mean"] / row["frames"][0]["mean"], 1.5, delta=0.05)
        self.assertTrue(body["sentence"].startswith("Light picking estimate flickers least, 3"), body["sentence"])
        self.assertIn("still view", body["note"])

    def test_nothing_is_measured_twice_and_a_zone_alone_when_it_is_new(self):
        self.finish()
        measure_sequences([self.study.pk])
        self.assertEqual(measure_sequences([self.study.pk]), 0)
        add_zone("mist-lane", "lane", SHELF)
        self.assertEqual(measure_sequences([self.study.pk]), 2)
        self.assertIsNotNone(self.read("Shelf")["sequences"][0]["flicker_percent"])
        self.problem(400, "GET", f"{self.path}?zone=Moon")

    def test_missing_and_bad_frames_are_listed_and_nothing_is_measured_before_they_are_there(self):
        self.finish(skip={(3, True)})
        lost = self.study.runs.filter(option__setup__frame=3, option__settings__light_picking="estimate")
        lost.update(state="failed", reason="out of memory")
        self.assertEqual(measure_sequences([self.study.pk]), 1)
        trial = self.read()["sequences"][1]
        bad = [frame for frame in trial["frames"] if frame["state"] == "bad"]
        self.assertEqual([(frame["frame"], frame["reason"]) for frame in bad], [(3, "out of memory")])
        self.assertEqual((trial["lacks"], trial["flicker_percent"]), ("1 bad", None))
        again = self.call("POST", f"/api/studies/{self.study.pk}/bad-again/")
        self.assertEqual(again.json()["runs"], 2)
        self.finish()
        self.assertEqual(measure_sequences([self.study.pk]), 1)

    def test_gaps_between_the_frames_are_named(self):
        study = self.create(
            scene="mist-lane", view="lane", engine="alder", kind="range", factors=[factor("frame", 2, 5)]
        )
        body = self.call("GET", f"/api/studies/{study.pk}/motion/").json()
        self.assertEqual(body["sequences"][0]["gaps"], [3, 4])
        self.assertEqual(body["sequences"][0]["lacks"], "3 not rendered")

    def test_a_study_without_frames_says_what_to_do(self):
        plain = self.create(question="One frame?")
        body = self.call("GET", f"/api/studies/{plain.pk}/motion/").json()
        self.assertEqual(body["sequences"], [])
        self.assertIn("vary the frame in the plan", body["sentence"])

    def test_every_frame_has_a_seed_of_its_own_and_other_studies_keep_theirs(self):
        queue_study(self.study)
        seeds = {_seed(run) for run in Run.objects.filter(study=self.study, warm_up=False, seed=1)}
        self.assertEqual(len(seeds), 6)
        plain = self.create(question="One frame?")
        queue_study(plain)
        run = Run.objects.filter(study=plain, warm_up=False).first()
        self.assertEqual(_seed(run), run.seed)

    def test_pictures_that_are_gone_are_said(self):
        self.finish()
        control = self.study.options.filter(settings__light_picking="power").first()
        Run.objects.filter(option=control).update(picture="0" * 64)
        measure_sequences([self.study.pk])
        refused = SequenceFigures.objects.exclude(refused="").first()
        self.assertIn("cannot be measured", refused.refused)
        self.assertIn("cannot be measured", self.read()["sequences"][0]["lacks"])

    def test_flicker_follows_the_noise_of_its_frames(self):
        self.finish()
        measure_sequences([self.study.pk])
        control, trial = self.read()["sequences"]
        self.assertLess(abs(math.log(control["flicker_percent"] / trial["flicker_percent"] / (10 / 3))), 0.2)

    def test_a_sequence_is_held_against_another_as_its_reference(self):
        self.finish()
        measure_sequences([self.study.pk])
        control, trial = self.read()["sequences"]
        self.assertIsNone(control["reference"])
        answer = self.call("POST", f"{self.path}as-reference/", {"key": trial["key"]})
        self.assertEqual((answer.status_code, len(answer.json()["references"])), (201, 6))
        measure_sequences([self.study.pk])
        control, trial = self.read()["sequences"]
        self.assertTrue(control["reference"]["noise_taken_out"])
        self.assertAlmostEqual(control["reference"]["error_percent"], 10.0, delta=1.0)
        self.assertAlmostEqual(control["reference"]["frame_to_frame_percent"], 10.0, delta=1.2)
        self.assertEqual(measure_sequences([self.study.pk]), 0)
        self.problem(400, "POST", f"{self.path}as-reference/", {"key": "none"})

    def test_a_sequence_with_a_frame_to_come_is_no_reference(self):
        self.finish(skip={(3, True)})
        key = self.read()["sequences"][1]["key"]
        self.assertIn("not all", self.problem(400, "POST", f"{self.path}as-reference/", {"key": key})["detail"])
        self.assertEqual(Reference.objects.count(), 0)

    def test_with_a_reference_the_sentence_is_of_what_strays_from_it(self):
        self.finish()
        measure_sequences([self.study.pk])
        trial = self.read()["sequences"][1]
        self.call("POST", f"{self.path}as-reference/", {"key": trial["key"]})
        measure_sequences([self.study.pk])
        self.assertIn("strays least from the reference from frame to frame", self.read()["sentence"])


class Lagging(SequenceTest):
    """A light that goes out, then another that comes near; the trial keeps 0.6 of each frame in the next."""

    noise = {False: 0.02, True: 0.02}  # noqa: RUF012 - never changed
    frames = 12

    def light(self, frame, extra):
        levels = [0.3 if each >= 5 else 1.0 for each in range(1, self.frames + 1)]
        levels = [level + (0.1 * (each - 8) if each > 8 else 0.0) for each, level in enumerate(levels, 1)]
        shown = levels[0]
        for level in levels[:frame]:
            shown = 0.6 * shown + 0.4 * level if extra else level
        return shown

    def test_the_trial_lags_behind_the_control_and_then_behind_the_reference(self):
        self.finish()
        measure_sequences([self.study.pk])
        body = self.read()
        control, trial = body["sequences"]
        self.assertIsNone(control["behind_control"])
        self.assertTrue(control["light_changes"])
        self.assertAlmostEqual(trial["behind_control"]["lag"]["tau"], -1 / math.log(0.6), delta=0.15)
        self.assertIn("Light picking estimate lags 4.5 frames behind the control.", body["sentence"])
        self.call("POST", f"{self.path}as-reference/", {"key": control["key"]})
        measure_sequences([self.study.pk])
        body = self.read()
        control, trial = body["sequences"]
        self.assertTrue(control["reference"]["lag"]["at_once"])
        self.assertAlmostEqual(trial["reference"]["lag"]["tau"], -1 / math.log(0.6), delta=0.15)
        self.assertIsNone(trial["behind_control"])
        self.assertIn("Light picking estimate lags 4.5 frames behind the light.", body["sentence"])
