"""How often a screen asks the database: a stated number of times, however large its study is."""

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from server.answers import studies
from server.answers.studies import answered_study
from server.measuring.measuring import measure_outstanding
from server.studies.models import Option
from tests.server.base import WithEngines, factor, finish_all

OF_A_PAIR = 20
OF_A_STUDY = 40


class Queries(WithEngines, TestCase):
    def studies(self):
        """One of two options, and one of six."""
        small = self.create()
        large = self.create(kind="table", factors=[factor("samples", 8, 16, 32), factor("extra", True)])
        for study in (small, large):
            finish_all(study)
        measure_outstanding(Option.objects.all())
        return small, large

    def count(self, path):
        self.call("GET", path)  # what is read once for all is read
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual(self.call("GET", path).status_code, 200)
        return len(asked)

    def test_a_pair_asks_as_often_in_a_large_study_and_no_more_than_it_says(self):
        small, large = self.studies()
        counts = [self.count(f"/api/pairs/{study.pairs.first().pk}/") for study in (small, large)]
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(counts[0], OF_A_PAIR)

    def test_a_study_asks_as_often_however_many_pairs_it_has(self):
        counts = []
        for study in self.studies():
            answered_study(study, now=True)  # what is read once for all is read
            studies._kept.clear()
            with CaptureQueriesContext(connection) as asked:
                answered_study(study, now=True)
            counts.append(len(asked))
        self.assertEqual(counts[0], counts[1])
        self.assertLessEqual(counts[0], OF_A_STUDY)
