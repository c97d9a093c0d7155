"""A studio's own renderer and scene, of formats that only it reads: from nothing to an answer."""

import json
import shutil
import tempfile
import zipfile
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from matchedpair.pictures import read_picture

from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.runs.models import Run
from server.sharing.study_export import write_study
from server.store.files import path_of
from server.studies.models import Option, Study
from tests.database import UntransactedTest
from tests.runner import RunnerProcess, none_open, until
from tests.server.base import WithEngines, draft, factor

RENDERERS = Path(__file__).parents[1] / "renderers"
LEVELS = [factor("threshold", 0.15)]


class OwnRenderer(WithEngines, UntransactedTest):
    engines = ()

    def setUp(self):
        super().setUp()
        shutil.copytree(RENDERERS / "pebble", self.folder, dirs_exist_ok=True)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.scenes = Path(folder.name)
        shutil.copytree(RENDERERS / "scenes", self.scenes, dirs_exist_ok=True)
        self.enterContext(override_settings(SCENES=self.scenes))
        self.plan = {
            "scene": "court", "view": "gate", "engine": "pebble", "settings": {"threshold": 0.3}, "repeats": 2,
            "width": 64, "height": 48,
        }  # fmt: skip

    def planned(self, **changes):
        answer = self.call("POST", "/api/studies/", draft(**self.plan | changes))
        self.assertEqual(answer.status_code, 201, answer.content)
        return Study.objects.get(pk=answer.json()["id"])

    def carried_out(self, **changes):
        study = self.planned(**changes)
        self.assertEqual(self.call("POST", f"/api/studies/{study.pk}/start/").status_code, 200)
        with RunnerProcess(MATCHEDPAIR_SCENES=str(self.scenes)):
            until(none_open, "the study")
        measure_outstanding(Option.objects.filter(study=study))
        return study

    def test_it_renders_measures_and_draws_a_curve_of_what_was_reached(self):
        study = self.carried_out(kind="ladder", factors=[factor("threshold", 0.15, 0.08)], passes=["depth"])
        runs = study.runs.filter(warm_up=False)
        self.assertEqual({(run.state, run.reason) for run in runs}, {("finished", "")})
        depth = read_picture(path_of(runs.first().passes["depth"], ".exr"))
        self.assertEqual(float(depth.pixels[0, 0, 0]), 48.0)
        curves = self.call("GET", f"/api/studies/{study.pk}/curves/").json()
        (ladder,) = curves["curves"]
        self.assertEqual(ladder["knob"], "samples reached")
        self.assertEqual([row["quality"] for row in ladder["points"]], [3.0, 12.0, 40.0])
        # the engine sleeps a thousandth of a second a sample, so that its times may not grow; its noise must fall
        noise = [row["percent"] for row in ladder["points"]]
        self.assertEqual(noise, sorted(noise, reverse=True))

    def test_frames_of_a_sequence_are_one_process_and_motion_is_measured(self):
        levels = [factor("threshold", 0.3, 0.15), factor("frame", 1, 2, 3)]
        plan = {"kind": "table", "factors": levels, "passes": ["depth"]}
        said = self.call("POST", "/api/studies/preview/", draft(**self.plan | plan)).json()["plan"]
        rows = {row["title"]: row for row in said["options"]}
        self.assertEqual([row["in_one_go"] for row in said["options"]].count(True), 4)
        self.assertEqual(rows["frame 3"]["comes_with"], rows["as the control"]["number"])
        self.assertEqual(said["renders"], 1 + 2 * 2, "a warm-up, and a process for each threshold and seed")
        study = self.carried_out(**plan)
        runs = study.runs.filter(warm_up=False)
        self.assertEqual({(run.state, run.reason) for run in runs}, {("finished", "")})
        self.assertEqual((runs.count(), runs.filter(made_by=None).count()), (12, 4))
        brought = runs.exclude(made_by=None)
        self.assertEqual({run.ready_seconds for run in brought}, {0.0})
        self.assertTrue(all(run.wall_seconds > 0 and run.passes["depth"] for run in brought))
        self.assertEqual(len(set(runs.values_list("picture", flat=True))), 12)
        motion = self.call("GET", f"/api/studies/{study.pk}/motion/").json()
        self.assertEqual({len(row["frames"]) for row in motion["sequences"]}, {3})

    def test_a_frame_added_later_is_made_by_rendering_its_sequence_again(self):
        plan = {"kind": "table", "factors": [factor("threshold", 0.3, 0.15), factor("frame", 1, 2)]}
        study = self.carried_out(**plan)
        before = set(study.runs.filter(warm_up=False).values_list("pixel_hash", flat=True))
        plan["factors"] = [factor("threshold", 0.3, 0.15), factor("frame", 1, 2, 3)]
        answer = self.call("PUT", f"/api/studies/{study.pk}/plan/", draft(**self.plan | plan))
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(self.call("POST", f"/api/studies/{study.pk}/start/").json(), {"runs": 4})
        with RunnerProcess(MATCHEDPAIR_SCENES=str(self.scenes)):
            until(none_open, "the study")
        runs = study.runs.filter(warm_up=False, state="finished")
        self.assertEqual(runs.count(), 12)
        self.assertLess(before, set(runs.values_list("pixel_hash", flat=True)), "the same frames, and one more")

    def test_one_process_a_frame_where_that_is_wanted(self):
        study = self.planned(
            kind="table", factors=[factor("threshold", 0.3, 0.15), factor("frame", 1, 2)], in_one_go=False
        )
        self.assertFalse(study.options.exclude(comes_with=None).exists())

    def test_a_variant_is_another_file_and_another_camera_another_view(self):
        study = self.carried_out(under_test="light", trial_value="night", kind="range")
        made = [
            read_picture(path_of(study.runs.get(option__number=number, seed=1, warm_up=False).picture, ".exr")).pixels
            for number in (0, 1)
        ]
        self.assertGreater(float(made[0].mean() / made[1].mean()), 3.0)

    def test_files_that_changed_since_are_not_rendered_under_the_same_name(self):
        answer = self.call("POST", "/api/studies/", draft(**self.plan, under_test="threshold", trial_value=0.1))
        study = Study.objects.get(pk=answer.json()["id"])
        (self.scenes / "court" / "court.peb").write_text("camera cam_gate 0\nground 0.9\n")
        self.call("POST", f"/api/studies/{study.pk}/start/")
        with RunnerProcess(MATCHEDPAIR_SCENES=str(self.scenes)):
            until(none_open, "the study")
        reasons = set(Run.objects.filter(study=study, warm_up=False).values_list("reason", flat=True))
        self.assertEqual(len(reasons), 1)
        self.assertIn("the files of Court changed since this was planned", reasons.pop())

    def test_what_is_missing_is_said_on_the_scenes_screen_and_refused(self):
        (self.scenes / "court" / "ripples" / "wave.0002.txt").unlink()
        problems = self.call("GET", "/api/scenes/").json()["problems"]
        self.assertEqual(problems, ["court: 1 of its files are not there: ripples/wave.0002.txt"])
        refused = self.problem(
            400, "POST", "/api/studies/", draft(**self.plan, under_test="threshold", trial_value=0.1)
        )
        self.assertIn("1 of its files are not there", str(refused["fields"]))

    def test_zones_of_its_description_are_drawn_once_and_then_belong_to_people(self):
        zones = "/api/scenes/court/zones/"
        self.client.get("/api/scenes/")
        (zone,) = self.client.get(zones).json()
        self.assertEqual((zone["view"], zone["name"], zone["points"]), ("gate", "Steps", [[0.1, 0.6], [0.5, 0.95]]))
        changed = self.call("PATCH", f"/api/zones/{zone['id']}/", {"name": "Stairs"})
        self.assertEqual(changed.status_code, 200, changed.content)
        self.client.get("/api/scenes/")
        self.assertEqual([row["name"] for row in self.client.get(zones).json()], ["Stairs"])
        self.call("DELETE", f"/api/zones/{zone['id']}/")
        self.planned(factors=LEVELS)
        self.assertEqual(self.client.get(zones).json(), [])

    def test_a_folder_without_a_description_is_given_one(self):
        (self.scenes / "court.scene.toml").unlink()
        (folder,) = self.client.get("/api/scenes/undescribed/").json()
        self.assertEqual((folder["place"], folder["kept_as"]), ("court", "court.scene.toml"))
        for text, words in (("format = 2\n", 'expected "file"'), ("= 3", "TOML"), ("", "blank")):
            problem = self.problem(400, "POST", "/api/scenes/undescribed/", {"place": "court", "text": text})
            self.assertIn(words, problem["detail"] + str(problem["fields"]))
        self.assertEqual(sorted(path.name for path in self.scenes.iterdir()), ["court"])
        self.assertIn("no '..' without a scene", self.problem(
            400, "POST", "/api/scenes/undescribed/", {"place": "..", "text": folder["text"]})["detail"])  # fmt: skip
        made = self.call("POST", "/api/scenes/undescribed/", folder)
        self.assertEqual((made.status_code, made.json()["title"]), (201, "Court"), made.content)
        self.assertEqual(self.client.get("/api/scenes/undescribed/").json(), [])
        self.planned(view="cam-gate", factors=LEVELS)

    def test_a_bundle_says_which_files_it_does_not_carry(self):
        study = self.planned(factors=LEVELS)
        bundle = self.scenes / "study.zip"
        with bundle.open("wb") as file:
            write_study(study, file)
        with zipfile.ZipFile(bundle) as made:
            carried = json.loads(made.read("study.json"))["not_carried"]
        self.assertEqual([(row["scene"], len(row["files"])) for row in carried], [("Court", 5)])
        self.client.get("/api/session/")
        upload = SimpleUploadedFile("study.zip", bundle.read_bytes())
        loaded = self.client.post(
            "/api/studies/import/", {"file": upload}, headers={"X-CSRFToken": self.client.cookies["csrftoken"].value}
        ).json()
        self.assertIn("Court is rendered from files that a bundle does not carry: court.peb", loaded["not_carried"][0])

    def test_an_engine_that_the_scene_has_no_file_for_is_refused(self):
        text = (settings.ENGINES / "pebble.toml").read_text().replace('name = "pebble"', 'name = "gravel"', 1)
        (settings.ENGINES / "gravel.toml").write_text(text)
        plan = self.plan | {"engine": "gravel"}
        refused = self.problem(400, "POST", "/api/studies/", draft(**plan, under_test="threshold", trial_value=0.1))
        self.assertIn("Court has no file for gravel", str(refused["fields"]))

    def test_a_setting_that_needs_another_is_told_beforehand(self):
        asked = draft(**self.plan, under_test="reach", trial_value=3)
        told = self.call("POST", "/api/studies/preview/", asked).json()
        self.assertIn("Reach has no effect while smooth is not on, so both sides will be alike.", told["notes"])

    def test_a_quick_look_renders_it(self):
        look = self.call("POST", "/api/scenes/court/look/", {"view": "well"})
        self.assertIn(look.status_code, (200, 201), look.content)

    def test_an_engine_is_tested_from_the_screen(self):
        path = "/api/engines/pebble/test/"
        self.assertEqual(self.call("GET", path).json()["sentence"], "It has not been tested since the server started.")
        begun = self.call("POST", path, {"scene": "court", "view": "gate"})
        self.assertEqual(begun.status_code, 202, begun.content)
        busy = self.problem(400, "POST", path, {"scene": "court", "view": "gate"})
        self.assertIn("pebble is being tested", busy["detail"])
        until(lambda: not self.call("GET", path).json()["at_work"], "the test")
        told = self.call("GET", path).json()
        self.assertEqual(told["sentence"], "All that was tried holds.")
        self.assertEqual(len(told["promises"]), 12)
        self.call("POST", path, {"scene": "court", "view": "gate"})
        self.assertEqual(self.call("DELETE", path).status_code, 204)
        until(lambda: not self.call("GET", path).json()["at_work"], "the end of the test")
        self.assertEqual(self.call("GET", path).json()["sentence"], "Stopped by hand.")
        self.assertIn(
            "has no view 'roof'", self.problem(400, "POST", path, {"scene": "court", "view": "roof"})["detail"]
        )

    def test_without_twins_noise_is_estimated_from_one_picture_and_nobody_is_blamed(self):
        path = self.folder / "pebble.toml"
        text = path.read_text().replace('"--twin", "{seed}", ', "").replace("format = 2", 'format = 2\ntwins = "none"')
        path.write_text(text)
        study = self.carried_out(under_test="threshold", trial_value=0.1)
        runs = study.runs.filter(warm_up=False)
        self.assertEqual({(run.state, len(run.checks)) for run in runs}, {("finished", 0)})
        noise = Measure.objects.filter(option__study=study, name="noise", zone="whole")
        self.assertEqual({(row.method, row.refused) for row in noise}, {("single", "")}, list(noise.values()))
