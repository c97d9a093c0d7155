"""Texture plans over the API: places, facts, choices, use asked of a real engine, copies, before and after."""

import json
import shutil
import tempfile
import zipfile
from pathlib import Path
from unittest.mock import patch

import cv2
import numpy as np
from django.conf import settings
from django.test import TestCase, override_settings

from server.catalogue.engines import engine_named
from server.catalogue.models import SceneRevision
from server.measuring.measuring import measure_outstanding
from server.processes.runner import _description
from server.runs.actions import claim
from server.runs.recording import record_result
from server.sharing.study_export import write_study
from server.sharing.study_import import load_study
from server.store.files import path_of
from server.studies.models import Option, Pair, Setup, Study
from server.textures import acting, planning
from server.textures.models import MapFacts
from tests.inner_loop import long
from tests.server.base import WithEngines, result_of

ROOT = Path(__file__).parents[2]
PLACE = "scene:shutter-wall"


class TexturePlans(WithEngines, TestCase):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.scenes = Path(folder.name).resolve() / "scenes"
        copied = self.scenes / "textures"
        shutil.copytree(ROOT / "demo" / "scenes" / "textures", copied, ignore=shutil.ignore_patterns("reduced-*"))
        for name in ("shutter-wall.json", "marble-stall.json"):
            shutil.copy(ROOT / "demo" / "scenes" / name, self.scenes)
        shutil.copy(ROOT / "demo" / "engines" / "sedge.toml", self.folder / "sedge.toml")
        changed = override_settings(SCENES=self.scenes, TEXTURES=self.scenes)
        changed.enable()
        self.addCleanup(changed.disable)

    def asked(self, place=PLACE):
        answer = self.client.get("/api/textures/plan/", {"place": place})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def plan(self, place=PLACE):
        """The plan with all maps read, however slow the machine: a request reads for a stated time at most."""
        while (plan := self.asked(place))["unread"]:
            pass
        return plan

    def rows(self, plan):
        return {row["file"]: row for row in plan["maps"]}

    def written(self):
        while (answer := self.call("POST", "/api/textures/copies/", {"place": PLACE})).status_code == 200:
            pass
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()["copies"][0]

    def test_places_are_scenes_with_textures_and_folders_with_pictures(self):
        rows = self.client.get("/api/textures/").json()
        self.assertEqual([(row["key"], row["maps"]) for row in rows], [(PLACE, 7), ("folder:textures", 7)])

    def test_a_scene_and_its_folder_are_planned_alike(self):
        scene, folder = self.plan(), self.plan("folder:textures")
        self.assertEqual(scene["maps"], folder["maps"])
        self.assertEqual((scene["scene"], folder["scene"]), ("shutter-wall", ""))
        self.assertLess(scene["after_bytes"], 0.5 * scene["before_bytes"])

    def test_maps_are_read_once_and_a_slow_folder_bit_by_bit(self):
        with patch.object(planning, "READING_SECONDS", 0.0), patch.object(planning.plan_of, "__defaults__", (-1.0,)):
            self.assertEqual(self.asked()["unread"], 7)
        self.plan()
        self.assertEqual(MapFacts.objects.count(), 7)
        with patch.object(planning, "read_map", side_effect=AssertionError("read again")):
            self.plan()
        cv2.imwrite(str(self.scenes / "textures" / "post_mask.png"), np.full((512, 512), 3, np.uint8))
        self.assertEqual(self.rows(self.plan())["post_mask.png"]["width"], 512)

    def test_choices_are_remembered_and_can_be_taken_back(self):
        body = {"place": PLACE, "file": "flags_damp_mask.png", "role": "roughness", "divisor": 8}
        plan = self.call("PUT", "/api/textures/choice/", body).json()
        row = self.rows(self.plan())["flags_damp_mask.png"]
        self.assertEqual(self.rows(plan)["flags_damp_mask.png"], row)
        self.assertEqual(
            (row["role"], row["role_reason"], row["divisor"], row["proposed"]), ("roughness", "stated", 8, 4)
        )
        self.call("PUT", "/api/textures/choice/", {"place": PLACE, "file": "flags_damp_mask.png"})
        row = self.rows(self.plan())["flags_damp_mask.png"]
        self.assertEqual((row["role"], row["divisor"]), ("mask", 4))

    @long
    def test_a_real_engine_tells_how_large_each_map_appears(self):
        self.assertIn({"name": "sedge", "title": "Sedge"}, self.plan()["engines"])
        answer = self.call(
            "POST", "/api/textures/use/", {"place": PLACE, "engine": "sedge", "width": 960, "height": 540}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        plan = answer.json()
        self.assertEqual(plan["asked"]["views"], ["From the street", "Plate and shutter"])
        rows = self.rows(plan)
        self.assertGreater(rows["plate_roughness.png"]["pixels_across"], 100)
        self.assertGreater(rows["shutter_colour.png"]["shown_percent"], 10)
        self.assertIn("keeps 4 for each", rows["shutter_colour.png"]["reason"])
        self.assertFalse(plan["asked"]["out_of_date"])
        cv2.imwrite(str(self.scenes / "textures" / "post_mask.png"), np.full((512, 512), 3, np.uint8))
        self.assertTrue(self.plan()["asked"]["out_of_date"])

    def test_copies_are_written_some_at_a_time_and_what_is_unfinished_can_be_discarded(self):
        with patch.object(acting, "WRITING_SECONDS", 0.0):
            for written in (1, 2):
                answer = self.call("POST", "/api/textures/copies/", {"place": PLACE})
                self.assertEqual(answer.status_code, 200, answer.content)
                plan = answer.json()
                self.assertEqual((plan["written"], plan["to_write"], plan["copies"]), (written, 5, []))
        self.assertEqual(self.plan()["written"], 2)
        answer = self.call("DELETE", f"/api/textures/copies/unfinished/?place={PLACE}")
        self.assertEqual((answer.status_code, answer.json()["written"]), (200, 0))
        self.assertEqual(self.written()["maps"], 5)
        plan = self.plan()
        self.assertEqual((plan["written"], plan["to_write"]), (0, 5))

    def test_copies_lie_beside_the_originals_and_are_deleted_again(self):
        before = {path: path.read_bytes() for path in (self.scenes / "textures").iterdir()}
        copies = self.written()
        self.assertEqual((copies["maps"], copies["out_of_date"]), (5, False))
        folder = self.scenes / "textures" / copies["name"]
        self.assertTrue((folder / "manifest.json").is_file())
        scene = next(row for row in self.client.get("/api/scenes/").json()["scenes"] if row["name"] == "shutter-wall")
        self.assertEqual(scene["variants"][-1]["name"], copies["name"])
        answer = self.call("DELETE", f"/api/textures/copies/?place={PLACE}&name={copies['name']}")
        self.assertEqual(answer.json()["copies"], [])
        self.assertEqual({path: path.read_bytes() for path in (self.scenes / "textures").iterdir()}, before)

    def test_copies_of_a_changed_original_are_out_of_date(self):
        self.written()
        cv2.imwrite(str(self.scenes / "textures" / "flags_damp_mask.png"), np.full((512, 512), 3, np.uint8))
        self.assertTrue(self.plan()["copies"][0]["out_of_date"])
        self.assertTrue(self.plan("folder:textures")["copies"][0]["out_of_date"])

    def before_and_after(self, **changes):
        copies = self.written()["name"]
        body = {"place": PLACE, "copies": copies, "engine": "sedge", "view": "street", "width": 96, "height": 54}
        answer = self.call("POST", "/api/textures/before-and-after/", body | changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        return copies, Study.objects.get(pk=answer.json()["study"])

    def test_before_and_after_is_a_pair_alike_in_all_but_the_maps(self):
        copies, study = self.before_and_after()
        pair = Pair.objects.get(study=study)
        self.assertEqual(
            (pair.control.setup.variant, pair.trial.setup.variant, pair.under_test), ("as-is", copies, ["light"])
        )
        self.assertEqual(pair.control.setup.scene, pair.trial.setup.scene)
        for run in study.runs.filter(state="queued"):
            claim(run.pk, "bench")
            size = 30_000_000 if run.option.side == "trial" else 60_000_000
            record_result(run.pk, result_of(run, structures_bytes=size))
        measure_outstanding(Option.objects.filter(study=study))
        (row,) = self.plan()["copies"][0]["pairs"]
        self.assertEqual((row["pair"], row["before_bytes"], row["after_bytes"]), (pair.pk, 60e6, 30e6))
        self.assertEqual((row["compared"], row["differing"]), (1, []))
        told = f"reduced maps {copies.removeprefix('reduced-')}"
        self.assertEqual(pair.trial.title, told)
        shown = self.call("GET", f"/api/studies/{study.pk}/proof/").json()["pictures"]["sides"]
        own, reduced = (each["title"] for each in shown)
        self.assertTrue(own.endswith(", as in the scene") and reduced.endswith(f", {told}"), (own, reduced))

    def test_each_side_gets_its_own_maps_and_the_engine_is_asked_for_the_plain_scene(self):
        copies, study = self.before_and_after()
        kept = {}
        for run in study.runs.filter(warm_up=False, seed=1).select_related("option__setup__scene"):
            told = _description(run, engine_named(run.option.engine))
            self.assertEqual(told["variant"], "as-is")
            kept[run.option.side] = {file: Path(path).read_bytes() for file, path in told["textures"].items()}
        self.assertEqual(kept["control"].keys(), kept["trial"].keys())
        folder = self.scenes / "textures"
        name = "textures/flags_relief.png"
        self.assertEqual(kept["control"][name], (folder / "flags_relief.png").read_bytes())
        self.assertEqual(kept["trial"][name], (folder / copies / "flags_relief.png").read_bytes())
        self.assertEqual(kept["control"]["textures/shutter_colour.png"], kept["trial"]["textures/shutter_colour.png"])

    def test_renders_keep_their_maps_when_the_files_are_gone(self):
        _, study = self.before_and_after()
        shutil.rmtree(self.scenes / "textures")
        run = study.runs.filter(option__side="trial").first()
        told = _description(run, engine_named(run.option.engine))
        self.assertTrue(all(Path(path).is_file() for path in told["textures"].values()))

    def test_a_study_bundle_carries_the_maps(self):
        copies, study = self.before_and_after()
        path = Path(settings.HOME) / "study.zip"
        with path.open("wb") as file:
            write_study(study, file)
        self.addCleanup(path.unlink)
        row = SceneRevision.objects.get()
        digests = {*row.textures.values(), *row.reduced[copies].values()}
        with zipfile.ZipFile(path) as bundle:
            names = {name for name in bundle.namelist() if name.startswith("textures/")}
        self.assertEqual(names, {f"textures/{digest}.texture" for digest in digests})
        study.delete()
        Setup.objects.all().delete()
        row.delete()
        for digest in digests:
            path_of(digest, ".texture").unlink()
        loaded = load_study(path)
        back = loaded.setup.scene
        self.assertEqual((back.textures, back.reduced), (row.textures, row.reduced))
        self.assertTrue(all(path_of(digest, ".texture").is_file() for digest in digests))

    def test_a_quick_look_draws_the_textures(self):
        answer = self.call("POST", "/api/scenes/shutter-wall/look/", {"view": "street", "engine": "sedge"})
        self.assertEqual(answer.status_code, 201, answer.content)

    def test_a_bad_file_is_told_in_its_place(self):
        (self.scenes / "textures" / "odd.png").write_text("no picture")
        plan = self.plan("folder:textures")
        self.assertEqual(len(plan["maps"]), 7)
        self.assertEqual(plan["problems"][0]["file"], "odd.png")
        self.assertIn("not a readable picture", plan["problems"][0]["reason"])

    def test_a_map_is_shown_small(self):
        answer = self.client.get("/api/textures/picture/", {"place": PLACE, "file": "flags_relief.png"})
        self.assertEqual(answer["Content-Type"], "image/png")
        drawn = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertEqual(drawn.shape[:2], (64, 64))

    def test_what_cannot_be_done_is_said(self):
        for method, path, body, words in (
            ("GET", "plan/?place=folder:../..", None, "outside the folder of textures"),
            ("GET", "plan/?place=folder:none", None, "no such folder"),
            ("GET", "plan/?place=scene:marble-stall", None, "Marble stall has no textures"),
            ("GET", "plan/?place=x", None, "neither a scene nor a folder"),
            ("GET", f"picture/?place={PLACE}&file=../shutter-wall.json", None, "no map '../shutter-wall.json'"),
            ("PUT", "choice/", {"place": PLACE, "file": "x.png", "role": "mask"}, "no map 'x.png'"),
            ("POST", "use/", {"place": "folder:textures", "engine": "sedge"}, "belong to no scene"),
            ("POST", "use/", {"place": PLACE, "engine": "good"}, "texture_use"),
            ("DELETE", f"copies/?place={PLACE}&name=..", None, "no reduced copies '..'"),
            ("POST", "before-and-after/", {"place": PLACE, "copies": "reduced-1", "engine": "sedge", "view": "street"},
             "'reduced-1' are not here"),
        ):  # fmt: skip
            with self.subTest(words):
                problem = self.problem(400, method, f"/api/textures/{path}", body)
                self.assertIn(words, json.dumps(problem))
        self.assertEqual(Study.objects.count(), 0)
