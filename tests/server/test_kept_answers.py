"""Answers kept until what they rest on changes: counted by the database, whoever writes."""

import threading
import unittest
from unittest import mock

from django.conf import settings
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from matchedpair.engines.process import Progress
from rest_framework.response import Response

from server.answers import gists, overview
from server.answers.studies import forget_answers
from server.catalogue.models import Zone
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.runs.actions import note_progress
from server.runs.models import Run
from server.store import kept_answers
from server.store.changes import ALL, NOT_COUNTED, changes_of, count_changes
from server.store.kept import Kept
from server.store.tiles import drop_tiles
from server.studies.models import Option, Study
from server.verdicts.models import Verdict
from tests.engines import add_engine
from tests.server.base import PreparedUntransactedTest, WithEngines, finish_all


class Changes(PreparedUntransactedTest):
    def prepare(self):
        super().prepare()
        self.one, self.other = self.create(), self.create(question="Another?")
        finish_all(self.one)
        measure_outstanding(Option.objects.filter(study=self.one))

    def counted(self, write):
        """Whether the first study's number, the other's, and that of all of them grew."""
        before = [changes_of(self.one.pk)[0], changes_of(self.other.pk)[0], changes_of(ALL)[0]]
        write()
        after = [changes_of(self.one.pk)[0], changes_of(self.other.pk)[0], changes_of(ALL)[0]]
        return tuple(now > then for now, then in zip(after, before, strict=True))

    def test_each_write_counts_for_the_study_that_it_concerns(self):
        run, pair = self.one.runs.first(), self.one.pairs.get()
        zone = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.1, 0.1], [0.5, 0.5]]}
        own = (True, False, True)
        for name, write, grew in (
            ("a run that begins", lambda: Run.objects.filter(pk=run.pk).update(state="running"), own),
            ("a run", lambda: Run.objects.filter(pk=run.pk).update(reason="x"), own),
            ("a measure, by its option", lambda: Measure.objects.filter(option__study=self.one).update(version=1), own),
            ("a verdict, by its pair", lambda: Verdict.objects.create(
                pair=pair, chosen="trial", reasons="x", author="R", sentence=""), own),
            ("a study", lambda: Study.objects.filter(pk=self.one.pk).update(question="Now?"), own),
            ("plain SQL", lambda: connection.cursor().execute("UPDATE runs_run SET log = 'x'"), own),
            ("a removal", lambda: Measure.objects.filter(option__study=self.one).delete(), own),
            ("a zone, which is nobody's alone", lambda: Zone.objects.create(
                scene="marble-stall", view="counter", **zone), (False, False, True)),
            ("how far a render is", lambda: note_progress(run.pk, Progress(0.5, True, 2.0, 1.0), 3.0), (False,) * 3),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(self.counted(write), grew)

    def test_every_table_of_ours_counts_and_making_the_triggers_again_changes_nothing(self):
        with connection.cursor() as cursor:
            cursor.execute("SELECT tbl_name, COUNT(*) FROM sqlite_master WHERE type = 'trigger' GROUP BY tbl_name")
            triggers = dict(cursor.fetchall())
        tables = [name for name in connection.introspection.table_names() if not name.startswith(NOT_COUNTED)]
        self.assertEqual(triggers, dict.fromkeys(tables, 3))
        before = changes_of(ALL)
        count_changes()
        self.assertEqual(changes_of(ALL), before)


class KeptAnswers(PreparedUntransactedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)
        measure_outstanding(Option.objects.filter(study=self.study))
        pair = self.study.pairs.get().pk
        self.paths = [
            "/api/overview/", f"/api/studies/{self.study.pk}/answer/", f"/api/studies/{self.study.pk}/table/",
            f"/api/studies/{self.study.pk}/measures/", f"/api/studies/{self.study.pk}/curves/", f"/api/pairs/{pair}/",
        ]  # fmt: skip

    def queries(self, path):
        with _Counted() as counted:
            answer = self.client.get(path)
        self.assertEqual(answer.status_code, 200, answer.content)
        return counted.count, answer

    def test_asked_again_they_are_as_before_and_cost_next_to_nothing(self):
        for path in self.paths:
            with self.subTest(path):
                _, first = self.queries(path)
                count, again = self.queries(path)
                self.assertEqual((again.content, again["Content-Type"]), (first.content, first["Content-Type"]))
                self.assertLessEqual(count, 2)

    def test_a_pair_tells_how_its_pictures_are_cut_up_once_they_are(self):
        path = self.paths[-1]
        self.assertEqual(self.client.get(path).json()["pyramids"], [])
        run = self.study.runs.filter(warm_up=False).first()
        shape = self.client.get(f"/api/pictures/{run.picture}/pyramid/").json()
        self.assertEqual(self.client.get(path).json()["pyramids"], [{**shape, "digest": run.picture}])
        drop_tiles(run.picture)
        answer = self.client.get(f"/api/pictures/{run.picture}/tiles/0/0/0/")
        self.assertEqual(answer.status_code, 200, "what was told before is no promise: the tiles are made again")

    def begin_anew(self):
        """As after a start of the server: nothing of this process is kept, what lies in the home is."""
        forget_answers()
        overview._kept = Kept(overview.MOST_KEPT)
        kept_answers._kept = Kept(kept_answers.MOST_ANSWERS, kept_answers.MOST_BYTES, len)

    def test_the_list_is_there_at_once_after_a_start_and_never_an_older_one(self):
        (settings.HOME / gists.FILE).unlink(missing_ok=True)
        first = self.client.get("/api/overview/").json()["studies"]
        with mock.patch.object(gists, "answered_studies", wraps=gists.answered_studies) as gathered:
            self.begin_anew()
            self.assertEqual(self.client.get("/api/overview/").json()["studies"], first)
            gathered.assert_not_called()
            Measure.objects.filter(option__study=self.study, name="noise").delete()
            self.begin_anew()
            after = self.client.get("/api/overview/").json()["studies"]
            self.assertNotEqual(after[0]["sentence"], first[0]["sentence"])
            self.assertEqual(gathered.call_args.args, ([self.study],))
        for broken in (b"no database", b""):
            (settings.HOME / gists.FILE).write_bytes(broken)
            self.begin_anew()
            self.assertEqual(self.client.get("/api/overview/").json()["studies"], after)

    def test_what_is_not_gathered_in_time_is_said_and_comes_when_asked_again(self):
        for number in range(gists.TOGETHER):
            self.create(question=f"Number {number}?")
        self.begin_anew()
        (settings.HOME / gists.FILE).unlink(missing_ok=True)
        with mock.patch.object(overview, "MOST_SECONDS", 0.0):
            rows = self.client.get("/api/overview/").json()["studies"]
            self.assertEqual([row["gathered"] for row in rows], [True] * gists.TOGETHER + [False])
            self.assertEqual((rows[-1]["id"], rows[-1]["sentence"]), (self.study.pk, ""))
            rows = self.client.get("/api/overview/").json()["studies"]
        self.assertTrue(all(row["gathered"] for row in rows))
        self.assertNotEqual(rows[-1]["sentence"], "")

    def test_a_change_by_whomever_is_seen_at_once(self):
        for path in self.paths:
            self.client.get(path)
        Study.objects.filter(pk=self.study.pk).update(question="Asked otherwise?")
        self.assertIn("Asked otherwise?", self.client.get(self.paths[0]).content.decode())
        run = self.study.runs.filter(warm_up=False).first()
        Run.objects.filter(pk=run.pk).update(state="failed", reason="it went away")
        self.assertIn("it went away", self.client.get(self.paths[2]).content.decode())

    def test_another_definition_of_an_engine_is_read(self):
        self.queries(self.paths[5])
        self.assertLessEqual(self.queries(self.paths[5])[0], 2)
        add_engine(self.folder, "crashes")
        self.assertGreater(self.queries(self.paths[5])[0], 2)

    def test_what_a_running_render_shows_is_asked_anew(self):
        run = self.study.runs.filter(warm_up=False).first()
        Run.objects.filter(pk=run.pk).update(state="running", share_done=0.25)
        self.assertIn('"share_done":0.25', self.client.get(self.paths[2]).content.decode())
        Run.objects.filter(pk=run.pk).update(share_done=0.75)
        self.assertIn('"share_done":0.75', self.client.get(self.paths[2]).content.decode())

    def test_an_error_is_not_kept(self):
        path = "/api/studies/999/answer/"
        self.assertEqual([self.client.get(path).status_code for _ in range(2)], [404, 404])

    def test_of_many_who_ask_at_once_one_does_the_work(self):
        made, begun = [], threading.Event()

        def make():
            made.append(1)
            begun.wait(0.3)
            return b"{}"

        asking = [threading.Thread(target=kept_answers._answer, args=("/x", 1, make)) for _ in range(8)]
        for each in asking:
            each.start()
        for each in asking:
            each.join()
        self.assertEqual(len(made), 1)
        self.assertEqual(kept_answers._answer("/x", 2, lambda: b"other"), b"other")

    def test_what_is_no_bytes_is_not_kept(self):
        refused = Response({"reason": "no"}, status=400)
        self.assertIs(kept_answers._answer("/refused", 1, lambda: refused), refused)
        self.assertEqual(kept_answers._answer("/refused", 1, lambda: b"{}"), b"{}")


class KeptValues(unittest.TestCase):
    def test_what_rests_on_something_else_by_now_is_not_found(self):
        kept = Kept(2)
        kept.keep("a", 1, "one")
        self.assertEqual((kept.found("a", 1), kept.found("a", 2), kept.found("b", 1)), ("one", None, None))
        kept.keep("a", 2, "two")
        self.assertEqual((kept.found("a", 1), kept.found("a", 2)), (None, "two"))

    def test_those_used_longest_ago_go_first_when_there_are_too_many(self):
        kept = Kept(2)
        for name in "ab":
            kept.keep(name, 1, name)
        kept.found("a", 1)
        kept.keep("c", 1, "c")
        self.assertEqual([kept.found(name, 1) for name in "abc"], ["a", None, "c"])

    def test_or_when_all_weigh_too_much(self):
        kept = Kept(100, 10, len)
        for name in "abcd":
            kept.keep(name, 1, b"1234")
        self.assertEqual([kept.found(name, 1) is not None for name in "abcd"], [False, False, True, True])
        kept.keep("d", 2, b"1")
        kept.keep("e", 1, b"12345")
        self.assertEqual([kept.found(*each) is not None for each in (("c", 1), ("d", 2), ("e", 1))], [True, True, True])
        kept.keep("f", 1, bytes(11))
        self.assertEqual([kept.found(name, 1) for name in "cef"], [None, None, None])


class KeptWords(PreparedUntransactedTest):
    """What the runs of a study say, kept for the next word that is looked for."""

    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)

    def found(self, text):
        return self.client.get(f"/api/studies/{self.study.pk}/table/", {"text": text}).json()["total"]

    def test_they_are_read_once_until_a_run_says_something_else(self):
        self.assertEqual(self.found("memory"), 0)
        with CaptureQueriesContext(connection) as asked:
            self.assertGreater(self.found("finished"), 0)
        self.assertFalse([query["sql"] for query in asked if _reads_what_runs_say(query["sql"])])
        run = self.study.runs.filter(warm_up=False).first()
        Run.objects.filter(pk=run.pk).update(state="failed", reason="Out of MEMORY")
        self.assertEqual(self.found("memory"), 1)
        Run.objects.filter(pk=run.pk).update(
            reason="", checks=[{"code": "x", "severity": "warn", "message": "a pixel of 1e20"}]
        )
        self.assertEqual((self.found("memory"), self.found("1E20 seed")), (0, 1))
        self.assertEqual(self.found("warm-up"), self.study.runs.filter(warm_up=True).count())


class WithinATransaction(WithEngines, TestCase):
    def test_nothing_is_kept_that_may_never_have_been(self):
        self.create(question="Only here?")
        self.assertEqual(len(self.client.get("/api/overview/").json()["studies"]), 1)
        Study.objects.all().delete()
        self.assertEqual(len(self.client.get("/api/overview/").json()["studies"]), 0)

    def test_the_decorator_passes_on_what_is_no_reading(self):
        seen = []
        view = kept_answers.kept_answer()(lambda request: seen.append(request.method) or Response({}))
        request = type("Asked", (), {"method": "POST"})()
        self.assertEqual(view(request).data, {})
        self.assertEqual(seen, ["POST"])


class _Counted:
    """How many queries are sent within it."""

    def __enter__(self):
        self.count = 0
        self._wrapped = connection.execute_wrapper(self._told)
        self._wrapped.__enter__()
        return self

    def _told(self, execute, *arguments):
        self.count += 1
        return execute(*arguments)

    def __exit__(self, *_):
        self._wrapped.__exit__(None, None, None)


def _reads_what_runs_say(sql):
    return '"runs_run"."reason"' in sql and '"runs_run"."wall_seconds"' not in sql
