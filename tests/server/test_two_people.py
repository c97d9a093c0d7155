"""Two people who change the same thing at once: neither overwrites the other unseen."""

from concurrent.futures import ThreadPoolExecutor

from django.db import connection
from django.test import Client

from server.catalogue.models import Zone
from tests.database import UntransactedTest
from tests.server.base import PreparedTest, WithEngines, draft, finish_all

ZONE = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.1, 0.1], [0.5, 0.5]]}


class Stale(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)

    def both(self, method, path, first, second, read):
        """Both read, the one writes, the other is told what it is now and writes all the same."""
        seen = read()
        done = self.call(method, path, first, **{"If-Match": f'"{seen}"'})
        self.assertEqual(done.status_code, 200, done.content)
        now = read()
        self.assertNotEqual(seen, now)
        told = self.problem(409, method, path, second, **{"If-Match": f'"{seen}"'})
        self.assertRegex(told["detail"], "^Somebody changed .* since you read it.$")
        self.assertEqual(read(), now, "nothing was written")
        for again in (f'"{now}"', "*"):
            self.assertEqual(self.call(method, path, second, **{"If-Match": again}).status_code, 200)
        self.assertEqual(self.call(method, path, first).status_code, 200, "scripts need not say what they saw")
        return told["now"]

    def test_zones(self):
        zones = "/api/scenes/marble-stall/zones/?view=counter"
        pk = self.call("POST", zones, ZONE).json()["id"]
        now = self.both(
            "PATCH", f"/api/zones/{pk}/", {"name": "Lamp"}, {"points": [[0.2, 0.2], [0.6, 0.6]]},
            lambda: self.call("GET", zones).json()[0]["version"],
        )  # fmt: skip
        self.assertEqual(now, ZONE | {"name": "Lamp"})

    def decision(self):
        return self.call("GET", f"/api/studies/{self.study.pk}/decision/").json()

    def test_limits_of_a_use(self):
        use = self.decision()["uses"][0]["name"]
        now = self.both(
            "PATCH", f"/api/studies/{self.study.pk}/uses/{use}/", {"weight": 0.25}, {"limits": {"noise": 3.0}},
            lambda: self.decision()["uses"][0]["version"],
        )  # fmt: skip
        self.assertEqual(now["weight"], 0.25)

    def test_what_is_assumed_of_the_production(self):
        plain = self.decision()["production"]
        now = self.both(
            "PUT", f"/api/studies/{self.study.pk}/production/", plain | {"shots": 7}, plain | {"machines": 9},
            lambda: self.decision()["production_version"],
        )  # fmt: skip
        self.assertEqual(now["shots"], 7)

    def test_plans(self):
        now = self.both(
            "PUT", f"/api/studies/{self.study.pk}/plan/", draft(trial_value=32), draft(trial_value=64),
            lambda: self.call("GET", f"/api/studies/{self.study.pk}/").json()["plan_version"],
        )  # fmt: skip
        self.assertEqual(now["factors"][0]["levels"][0]["value"], 32)

    def test_the_list_of_criteria(self):
        now = self.both(
            "PUT", "/api/criteria/", {"criteria": ["Noise"]}, {"criteria": ["Detail"]},
            lambda: self.call("GET", "/api/criteria/").json()["version"],
        )  # fmt: skip
        self.assertEqual(now, ["Noise"])


class AtOnce(WithEngines, UntransactedTest):
    def test_of_many_at_the_same_moment_one_wins_and_all_others_are_told(self):
        zones = "/api/scenes/marble-stall/zones/?view=counter"
        made = self.call("POST", zones, ZONE).json()
        names = [f"Name {number}" for number in range(12)]

        def change(name):
            try:
                client = Client()
                client.cookies["csrftoken"] = "a" * 32
                headers = {"X-CSRFToken": "a" * 32, "If-Match": f'"{made["version"]}"'}
                path = f"/api/zones/{made['id']}/"
                return client.patch(path, {"name": name}, "application/json", headers=headers).status_code
            finally:
                connection.close()

        with ThreadPoolExecutor(6) as several:
            answers = list(several.map(change, names))
        self.assertEqual(sorted(answers), [200, *[409] * 11])
        self.assertEqual(Zone.objects.get().name, names[answers.index(200)])
