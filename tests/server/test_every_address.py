"""Every operation of the schema: who may ask for it, and odd values. Generated, so that a new address is in it."""

import itertools
import json
from pathlib import Path
from unittest import mock

from django.contrib.auth.models import Group, User
from django.core.signals import request_finished
from django.db import close_old_connections
from django.test import Client, TestCase, override_settings
from rest_framework.authtoken.models import Token

from server.config.access import JUDGES, OPERATORS
from tests.inner_loop import long
from tests.server.base import PreparedTest, WithEngines, finish_all

SCHEMA = json.loads((Path(__file__).parents[2] / "server" / "openapi.json").read_text())
LOOKING = ("get", "head", "options")
JUDGING = ("/verdicts/", "/pins/", "/blind/")
ODD_NUMBERS = (0, -1, 2**31, 2**63, 10**30, "x")
ODD_TEXTS = ("nothing", "%00", "..%2f..%2fetc", "x" * 5000, "%F0%9F%92%A9", "' OR 1=1 --", "%")


def operations():
    """Method, path, and the parameters of each operation."""
    for path, methods in SCHEMA["paths"].items():
        for method, operation in methods.items():
            yield method, path, operation.get("parameters", [])


def filled(path, values):
    for name, value in values.items():
        path = path.replace("{" + name + "}", str(value))
    return path


def plain_path(path, parameters):
    return filled(path, {each["name"]: 1 for each in parameters if each["in"] == "path"})


def let_go(answer):
    """Close an answer that is a stream, and not the test's database with it."""
    if answer.streaming:
        request_finished.disconnect(close_old_connections)
        answer.close()
        request_finished.connect(close_old_connections)


class Roles(TestCase):
    """In shared use: strangers do nothing, viewers look, judges judge, operators do all."""

    def setUp(self):
        self.enterContext(override_settings(SHARED=True))
        self.clients = {}
        for name, groups in (("viewer", ()), ("judge", (JUDGES,)), ("operator", (OPERATORS,))):
            user = User.objects.create_user(name, password="x")
            user.groups.set([Group.objects.get_or_create(name=group)[0] for group in groups])
            self.clients[name] = Client()
            self.clients[name].force_login(user)
        self.clients["stranger"] = Client()

    def asked(self, who, method, path):
        client = self.clients[who]
        client.cookies["csrftoken"] = "a" * 32
        answer = client.generic(method.upper(), path, "{}", "application/json", headers={"X-CSRFToken": "a" * 32})
        let_go(answer)
        return answer.status_code

    def test_a_script_may_what_its_account_may(self):
        for name, looking, changing in (("viewer", 200, 403), ("operator", 200, 200)):
            token = Token.objects.create(user=User.objects.get(username=name)).key
            headers = {"Authorization": f"Bearer {token}"}
            asked = Client().get("/api/queue/", headers=headers)
            told = Client().post("/api/queue/pause/", {"on": False}, "application/json", headers=headers)
            self.assertEqual((asked.status_code, told.status_code), (looking, changing), name)
            User.objects.filter(username=name).update(is_active=False)
            self.assertEqual(Client().get("/api/queue/", headers=headers).status_code, 401)

    @long
    def test_each_address_asks_who_comes(self):
        count = 0
        for method, path, parameters in operations():
            address = plain_path(path, parameters)
            looking = method in LOOKING
            judging = any(part in path for part in JUDGING)
            may = {
                "stranger": False, "viewer": looking, "judge": looking or judging, "operator": True,
            }  # fmt: skip
            # what it does is not asked here, only whether it is come to
            with mock.patch("rest_framework.views.APIView.http_method_not_allowed", side_effect=AssertionError):
                for who, expected in may.items():
                    status = self.asked(who, method, address)
                    with self.subTest(who=who, method=method, path=path):
                        if expected:
                            self.assertNotIn(status, (401, 403))
                        else:
                            self.assertEqual(status, 401 if who == "stranger" else 403)
                        count += 1
        self.assertGreater(count, 4 * 90)

    def test_addresses_beside_the_schema_too(self):
        for path in ("/api/schema/", "/api/events/"):
            self.assertEqual(self.asked("stranger", "get", path), 401)
            self.assertEqual(self.asked("viewer", "get", path), 200)

    def test_a_stranger_s_body_is_not_read(self):
        with mock.patch("django.http.request.HttpRequest._load_post_and_files", side_effect=AssertionError("read")):
            for who in ("stranger", "viewer"):
                answer = self.clients[who].post("/api/imports/1/files/", {"file": "x" * 1000})
                self.assertIn(answer.status_code, (401, 403))

    def test_ten_wrong_passwords_and_the_right_one_has_to_wait(self):
        with self.settings(AXES_ENABLED=True):
            for _ in range(10):
                self.clients["stranger"].post("/login/", {"username": "viewer", "password": "wrong"})
            late = self.clients["stranger"].post("/login/", {"username": "viewer", "password": "x"})
            self.assertEqual(late.status_code, 429)
            self.assertContains(late, "Too many wrong passwords", status_code=429)
            other = Client().post("/login/", {"username": "judge", "password": "x"})
            self.assertEqual(other.status_code, 302)

    def test_signing_out_ends_it(self):
        self.assertEqual(self.asked("viewer", "get", "/api/queue/"), 200)
        self.assertEqual(self.clients["viewer"].post("/logout/").status_code, 302)
        self.assertEqual(self.asked("viewer", "get", "/api/queue/"), 401)


class JudgesSign(WithEngines, TestCase):
    def test_what_they_conclude_bears_the_name_they_came_with(self):
        study = self.create()
        finish_all(study)
        judge = User.objects.create_user("nora", password="x")
        judge.groups.add(Group.objects.create(name=JUDGES))
        path = f"/api/pairs/{study.pairs.get().pk}"
        with override_settings(SHARED=True):
            self.client.force_login(judge)
            self.token = ""
            verdict = self.call(
                "POST", f"{path}/verdicts/", {"chosen": "trial", "reasons": "Cleaner.", "author": "Boss"}
            )
            pin = self.call("POST", f"{path}/pins/", {"x": 0.5, "y": 0.5, "note": "Here.", "author": "Boss"})
        self.assertEqual((verdict.json()["author"], pin.json()["author"]), ("nora", "nora"))


@long
class OddValues(PreparedTest):
    """Nothing that a path, a query or a body may hold is an unforeseen error."""

    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)

    def check(self, method, address, body=None):
        self.call("GET", "/api/session/") if not self.token else None
        answer = self.call(method.upper(), address, body)
        self.assertLess(answer.status_code, 500, (method, address[:200], body))
        let_go(answer)

    def test_in_paths(self):
        for method, path, parameters in operations():
            places = [each for each in parameters if each["in"] == "path"]
            if not places:
                continue
            odd = [ODD_NUMBERS if each["schema"]["type"] == "integer" else ODD_TEXTS for each in places]
            names = [each["name"] for each in places]
            for values in itertools.islice(itertools.zip_longest(*odd, fillvalue=1), 7):
                self.check(method, filled(path, dict(zip(names, values, strict=True))), {})

    def test_in_queries(self):
        for method, path, parameters in operations():
            if method != "get":
                continue
            address = filled(path, {each["name"]: self.study.pk for each in parameters if each["in"] == "path"})
            for each in parameters:
                if each["in"] == "query":
                    for value in (*ODD_NUMBERS, *ODD_TEXTS):
                        self.check(method, f"{address}?{each['name']}={value}")

    def test_in_bodies(self):
        bodies = ([], "", None, 1, {"": ""}, {"id": 2**70}, {"renders": [2**70]}, {"name": "\0"}, [[[]]])
        for method, path, parameters in operations():
            if method in LOOKING:
                continue
            address = plain_path(path, parameters)
            schema = SCHEMA["paths"][path][method].get("requestBody", {}).get("content", {}).get("application/json", {})
            fields = _fields(schema.get("schema", {}))
            odd = [{name: value} for name in fields for value in ("\0", 2**70, [2**70], {"a": []}, -1, 1e308)]
            for body in (*bodies, *odd):
                self.check(method, address, body)


def _fields(schema):
    if "$ref" in schema:
        schema = SCHEMA["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
    return list(schema.get("properties", {}))


class EveryAnswer(TestCase):
    def test_carries_what_keeps_it_from_others(self):
        for path in ("/", "/api/session/", "/api/nowhere/", "/login/", "/mark.svg", "/index.html"):
            answer = self.client.get(path)
            with self.subTest(path):
                self.assertIn("default-src 'self'", answer["Content-Security-Policy"])
                self.assertEqual(answer["X-Frame-Options"], "DENY")
                self.assertEqual(answer["X-Content-Type-Options"], "nosniff")
            let_go(answer)

    def test_a_strange_host_gets_no_file_either(self):
        for path in ("/", "/mark.svg", "/api/session/"):
            self.assertEqual(self.client.get(path, headers={"host": "evil.example"}).status_code, 400)
