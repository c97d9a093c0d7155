import json
import os
import subprocess
import sys
from pathlib import Path
from unittest import mock

from django.contrib.auth.models import Group, User
from django.test import TestCase, override_settings

from server.catalogue.models import SceneRevision
from server.studies.models import Option, Pair, Setup, Study
from tests.engines import add_engine
from tests.server.base import WithEngines, draft

ROOT = Path(__file__).parents[2]


class Catalogue(WithEngines, TestCase):
    def test_scenes_with_their_views(self):
        scenes = {scene["name"]: scene for scene in self.call("GET", "/api/scenes/").json()["scenes"]}
        names = ["cloth-corner", "glass-cabinet", "marble-stall", "mist-lane", "shutter-wall", "test-ball"]
        self.assertEqual(sorted(scenes), names)
        scene = scenes["marble-stall"]
        self.assertEqual([view["name"] for view in scene["views"]], ["counter", "shelf"])
        self.assertEqual(
            [v["name"] for v in scene["variants"]], ["as-is", "neutral", "lanterns-only", "dusk-only", "no-marbles"]
        )
        self.assertEqual(scene["stresses"][0]["title"], "Light focused through glass")

    def test_engines_with_their_settings_and_the_errors_of_the_others(self):
        (self.folder / "bad.toml").write_text("format = 1")
        body = self.call("GET", "/api/engines/").json()
        self.assertEqual([engine["name"] for engine in body["engines"]], ["good"])
        self.assertEqual(body["engines"][0]["settings"][0]["range_in_words"], "between 1 and 4096")
        self.assertEqual(body["problems"], ["bad.toml: name: expected text, got None"])

    def test_a_changed_definition_is_read_without_restart(self):
        self.call("GET", "/api/engines/")
        add_engine(self.folder, "good", name="second")
        names = [engine["name"] for engine in self.call("GET", "/api/engines/").json()["engines"]]
        self.assertEqual(names, ["good", "second"])

    def test_a_missing_program_is_said(self):
        path = self.folder / "good.toml"
        path.write_text(path.read_text().replace("render = [", 'render = ["nowhere-renderer", '))
        self.assertIn("not on this machine", self.call("GET", "/api/engines/").json()["engines"][0]["missing"])
        self.assertIn("not on this machine", self.problem(400, "POST", "/api/studies/", draft())["fields"]["engine"][0])


class Drafts(WithEngines, TestCase):
    def preview(self, **changes):
        answer = self.call("POST", "/api/studies/preview/", draft(**changes))
        self.assertEqual(answer.status_code, 200)
        return answer.json()

    def test_a_good_draft_shows_its_sheet_and_plan_and_creates_nothing(self):
        body = self.preview()
        self.assertEqual(body["problems"], {})
        self.assertEqual(
            body["match_sheet"]["summary"], "Matched but for samples. Not known yet: version, machine and load."
        )
        plan = body["plan"]
        self.assertEqual((plan["renders"], plan["warm_ups"], plan["cost"]["unknown"]), (5, 1, 5))
        self.assertEqual([(row["title"], row["renders"]) for row in plan["options"]],
                         [("as the control", 3), ("samples 16", 2)])  # fmt: skip
        self.assertEqual(Study.objects.count(), 0)

    def test_every_misfit_is_named_by_its_field(self):
        cases = {
            "scene": (
                {"scene": "nowhere"},
                "there is no scene 'nowhere'; there are: cloth-corner, glass-cabinet, marble-stall, mist-lane",
            ),
            "view": ({"view": "roof"}, "Marble stall has no view 'roof'; it has counter, shelf"),
            "engine": ({"engine": "elm"}, "there is no engine 'elm'; there are: good"),
            "settings.samples": ({"settings": {"samples": 0}}, "must be between 1 and 4096, got 0"),
            "settings.colour": ({"settings": {"colour": 1}}, "Good has no such setting"),
            "factors.0": ({"under_test": "colour"}, "Good has no such setting"),
            "factors": ({"trial_value": 4.0}, "at least one level other than the control's"),
            "factors.0.0": ({"trial_value": 0}, "must be between 1 and 4096, got 0"),
            "width": ({"width": 10**9}, "less than or equal to 8192"),
            "repeats": ({"repeats": 1}, "greater than or equal to 2"),
            "question": ({"question": "  "}, "may not be blank"),
            "threads": ({"threads": "many"}, "valid integer"),
            "time_limit_seconds": ({"time_limit_seconds": -1}, "greater than or equal to 1"),
        }
        for field, (change, words) in cases.items():
            with self.subTest(field):
                self.assertIn(words, self.preview(**change)["problems"][field][0])
                self.assertIn(words, self.problem(400, "POST", "/api/studies/", draft(**change))["fields"][field][0])
        for model in (Study, Setup, Option, Pair, SceneRevision):
            self.assertEqual(model.objects.count(), 0, model)

    def test_hostile_bodies_are_never_a_500(self):
        bodies = [
            "", "{", "[]", "null", '"text"', "12", json.dumps(draft(settings=[1])),
            json.dumps(draft(settings={"samples": {}})),
            json.dumps(draft(settings={"samples": None})), json.dumps(draft(question="\0")), '{"width": NaN}',
            json.dumps(draft(trial_value=[1])), json.dumps(draft(width=1e400)).replace("Infinity", "1e400"),
            json.dumps(draft(trial_value=10**400)), json.dumps(draft(view="../../etc/passwd")),
            json.dumps(draft(settings={"samples": "9" * 5000})),
        ]  # fmt: skip
        for body in bodies:
            for path in ("/api/studies/", "/api/studies/preview/"):
                answer = self.call("POST", path, body)
                self.assertIn(answer.status_code, (200, 400), body)
        self.assertEqual(Study.objects.count(), 0)

    def test_a_study_keeps_the_scene_as_it_was(self):
        study = self.create()
        self.assertEqual(SceneRevision.objects.count(), 1)
        self.create()
        self.assertEqual(SceneRevision.objects.count(), 1)
        self.assertEqual(study.options.get(side="trial").settings["samples"], 16)
        body = self.call("GET", f"/api/studies/{study.pk}/").json()
        self.assertEqual((body["scene"], body["kind"], body["pair"]), ("Marble stall", "on-off", study.pairs.get().pk))


class Access(WithEngines, TestCase):
    def test_a_write_without_the_token_is_refused(self):
        answer = self.client.post("/api/studies/", json.dumps(draft()), "application/json")
        self.assertEqual(answer.status_code, 403)
        self.assertEqual(answer["Content-Type"], "application/problem+json")

    def test_unknown_addresses_are_problems_too(self):
        self.problem(404, "GET", "/api/nowhere/")
        self.problem(404, "GET", "/api/studies/999/")
        self.problem(404, "GET", "/api/pictures/..%2f..%2fsecret-key/pyramid/")
        self.problem(404, "GET", f"/api/pictures/{'0' * 64}/pyramid/")
        self.problem(404, "GET", f"/api/pictures/{'0' * 64}/thumbnail/")
        self.problem(405, "DELETE", "/api/scenes/")

    def test_an_unforeseen_error_says_little_and_is_a_problem(self):
        self.call("GET", "/api/session/")
        with mock.patch("server.catalogue.scenes_api.scenes_now", side_effect=RuntimeError("secret detail")):
            body = self.problem(500, "GET", "/api/scenes/")
        self.assertNotIn("secret", json.dumps(body))

    def test_other_host_names_are_refused(self):
        self.assertEqual(self.client.get("/api/session/", headers={"host": "evil.example"}).status_code, 400)

    @override_settings(SHARED=True)
    def test_shared_use_needs_a_sign_in_and_the_operators_group(self):
        self.assertEqual(self.client.get("/api/scenes/").status_code, 401)
        self.assertEqual(self.client.get("/").status_code, 302)
        viewer = User.objects.create_user("viewer", password="x")
        self.client.force_login(viewer)
        self.assertEqual(self.call("GET", "/api/scenes/").status_code, 200)
        self.problem(403, "POST", "/api/studies/", draft())
        viewer.groups.add(Group.objects.create(name="operators"))
        self.assertEqual(self.call("POST", "/api/studies/", draft()).status_code, 201)

    @override_settings(SHARED=True)
    def test_viewers_look_at_everything_and_change_nothing(self):
        viewer = User.objects.create_user("viewer", password="x")
        self.client.force_login(viewer)
        for path in ("scenes", "engines", "references", "panoramas", "imports", "view-transforms", "overview",
                     "questions", "queue"):  # fmt: skip
            self.assertEqual(self.call("GET", f"/api/{path}/").status_code, 200, path)
        writes = [
            ("POST", "/api/scenes/marble-stall/zones/?view=counter"), ("PATCH", "/api/zones/1/"),
            ("DELETE", "/api/zones/1/"), ("POST", "/api/zones/1/restore/"), ("POST", "/api/scenes/marble-stall/look/"),
            ("POST", "/api/effects/evidence/"), ("DELETE", "/api/effects/evidence/1/"),
            ("DELETE", "/api/brightness/1/"),
            ("POST", "/api/pairs/1/brightness/"), ("POST", "/api/references/from-option/"),
            ("POST", "/api/references/1/match/"), ("POST", "/api/imports/"),
            ("POST", "/api/imports/folder/"), ("POST", "/api/imports/fill-in/"),
            ("POST", "/api/imports/pair/"), ("DELETE", "/api/imports/1/"), ("PUT", "/api/studies/1/plan/"),
            ("POST", "/api/studies/1/start/"), ("POST", "/api/studies/1/stop/"), ("POST", "/api/studies/1/pilot/"),
            ("POST", "/api/studies/1/bad-again/"), ("POST", "/api/studies/1/archive/"), ("POST", "/api/pairs/"),
            ("POST", "/api/studies/1/remove/"), ("POST", "/api/studies/1/let-go/"), ("POST", "/api/queue/pause/"),
            ("POST", "/api/queue/stop/"), ("POST", "/api/runs/1/move/"), ("POST", "/api/runs/1/again/"),
        ]  # fmt: skip
        for method, path in writes:
            self.problem(403, method, path, {})
        for path in ("/api/references/", "/api/panoramas/", "/api/imports/1/files/", "/api/imports/1/table/"):
            answer = self.client.post(path, {"title": "x"}, headers={"X-CSRFToken": self.token})
            self.assertEqual(answer.status_code, 403, path)

    @override_settings(SHARED=True, IMPORT_ROOT=None)
    def test_in_shared_use_no_folder_is_read_until_the_operator_names_one(self):
        operator = User.objects.create_user("operator", password="x")
        operator.groups.add(Group.objects.create(name="operators"))
        self.client.force_login(operator)
        detail = self.problem(400, "POST", "/api/imports/folder/", {"folder": "/"})["detail"]
        self.assertIn("must set MATCHEDPAIR_IMPORTS", detail)

    def test_shared_use_refuses_to_start_without_a_secret_key(self):
        environment = {**os.environ, "MATCHEDPAIR_SHARED": "1", "DJANGO_SETTINGS_MODULE": "server.config.settings"}
        done = subprocess.run(
            [sys.executable, "manage.py", "check"],
            cwd=ROOT,
            env=environment,
            capture_output=True,
            text=True,
            check=False,
        )
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("MATCHEDPAIR_SHARED=1 needs MATCHEDPAIR_SECRET_KEY", done.stderr)


class Schema(TestCase):
    def test_the_pinned_schema_is_the_one_served(self):
        served = self.client.get("/api/schema/", headers={"accept": "application/vnd.oai.openapi+json"})
        self.assertEqual(served.json(), json.loads((ROOT / "server" / "openapi.json").read_text()))
