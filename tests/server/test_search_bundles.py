"""The demo's searches out in a study bundle and in again; bundles whose searches do not hold together are refused."""

import io
import shutil
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.test import TestCase
from matchedpair.errors import InputError

from server.runs.habits import forget
from server.searches.models import Search
from server.sharing.study_export import write_study
from server.sharing.study_import import load_study
from server.studies.models import Option, Pair, Study
from tests.inner_loop import long
from tests.server.base import WithEngines
from tests.server.test_sharing import changed_bundle, without_numbers

ROOT = Path(__file__).parents[2]


class SearchesInBundles(WithEngines, TestCase):
    @classmethod
    def setUpTestData(cls):
        call_command("load_data", str(ROOT / "demo" / "data"), stdout=io.StringIO())
        cls.study = Study.objects.get(searches__way="explore")

    def setUp(self):
        super().setUp()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder)
        packed = io.BytesIO()
        write_study(self.study, packed)
        self.content = packed.getvalue()

    def load(self, change=None):
        """The bundle with its document changed, taken in."""
        path = Path(settings.HOME) / "searched.zip"
        path.write_bytes(changed_bundle(self.content, change))
        return load_study(path)

    def searches(self, study):
        body = self.call("GET", f"/api/studies/{study.pk}/searches/").json()
        return without_numbers(body["searches"])

    def test_trace_ways_ranges_and_result_are_shown_alike(self):
        made = self.load()
        forget()  # what is known of the engine's times is learnt from both studies' runs, for both that are compared
        before, after = self.searches(self.study), self.searches(made)
        self.assertEqual(len(before), 3)
        self.maxDiff = 4000
        self.assertEqual(after, before)

    def test_without_the_engine_they_are_shown_and_it_is_said_that_none_can_begin(self):
        (self.folder / "alder.toml").unlink()
        body = self.call("GET", f"/api/studies/{self.study.pk}/searches/").json()
        self.assertIn("there is no engine 'alder'", body["cannot_begin"])
        self.assertEqual((len(body["searches"]), body["proposed"]), (3, []))

    def test_they_point_to_the_rows_that_came_with_them(self):
        made = self.load()
        options = set(Option.objects.filter(study=made).values_list("pk", flat=True))
        pairs = set(Pair.objects.filter(study=made).values_list("pk", flat=True))
        for row in Search.objects.filter(study=made):
            self.assertIn(row.base_id, options)
            self.assertIn(row.pair_id, pairs)
            self.assertLessEqual({pk for each in row.compared for pk in each["options"]}, options)
            self.assertLessEqual({each["pair"] for each in row.confirmed}, pairs)
            self.assertLessEqual({each["found"] for each in row.confirmed}, options)

    def test_a_search_under_way_stays_at_home(self):
        self.study.searches.filter(way="raise").update(state="searching")
        self.setUp()
        made = self.load()
        self.assertEqual([row.way for row in made.searches.all()], ["explore"])

    def test_a_bundle_of_before_searches_went_along_is_read(self):
        made = self.load(lambda document: document.pop("searches"))
        self.assertEqual(made.searches.count(), 0)

    @long
    def test_what_does_not_hold_together_is_refused_and_nothing_stays(self):
        def first(**changes):
            return lambda document: document["searches"][0].update(changes)

        def held(**changes):
            return lambda document: document["searches"][0]["compared"][0].update(changes)

        studies = Study.objects.count()
        for change, words in (
            (first(state="searching"), "a search in it is not over"),
            (first(state="lost"), "searches/0/state"),
            (first(found={"one": {}}), "searches/0/found"),
            (first(found={"1": {}}), "does not hold together"),
            (first(ladders=[{"setting": "bounces", "levels": []}]), "searches/0/ladders"),
            (first(base=9999), "does not hold together"),
            (held(options=[9999]), "does not hold together"),
            (held(lower={"bounces": [1]}), "searches/0/compared/0/lower"),
            (held(change={"found": True}), "searches/0/compared/0/change"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                self.load(change)
        self.assertEqual(Study.objects.count(), studies)
