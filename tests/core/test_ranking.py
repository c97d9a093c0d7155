import unittest

import numpy as np
from matchedpair.measures.figure import Figure
from matchedpair.measures.kinds import KIND_OF, KINDS, measured
from matchedpair.measures.layers import LAYER_OF, shown_range
from matchedpair.measures.light import Light
from matchedpair.measures.ranking import BEST, NOT_RANKED, TIE, rank
from matchedpair.measures.render import RenderMeasures
from matchedpair.pictures import luminance

from tests.pictures import everywhere, noisy, photograph


def figure(value, half, method="twin", version=1):
    return Figure(value, "%", None if half is None else (value - half, value + half), method, version)


def standings(figures, kind="noise", told_apart=None):
    return {key: ranked.standing for key, ranked in rank(figures, KIND_OF[kind], told_apart).items()}


class Standings(unittest.TestCase):
    def test_the_lowest_is_best_when_it_is_told_apart_from_all(self):
        found = standings({"a": figure(10, 1), "b": figure(5, 1), "c": figure(9, 1)})
        self.assertEqual(found, {"a": NOT_RANKED, "b": BEST, "c": NOT_RANKED})

    def test_what_is_not_told_apart_from_the_best_ties_with_it(self):
        found = standings({"a": figure(10, 1), "b": figure(5.0, 1), "c": figure(5.8, 1)})
        self.assertEqual(found, {"a": NOT_RANKED, "b": TIE, "c": TIE})

    def test_intervals_that_meet_may_still_tell_a_difference(self):
        """Each reaches 1, both together √2: 1.6 apart is more than chance although the intervals meet."""
        self.assertEqual(standings({"a": figure(5, 1), "b": figure(6.6, 1)})["a"], BEST)
        self.assertEqual(standings({"a": figure(5, 1), "b": figure(6.3, 1)})["a"], TIE)

    def test_a_finer_test_has_the_last_word(self):
        figures = {"a": figure(5, 1), "b": figure(6.6, 1)}
        self.assertEqual(standings(figures, told_apart=lambda *_: False), {"a": TIE, "b": TIE})

    def test_detail_is_best_nearest_to_all_of_it_for_sharpening_is_no_gain(self):
        found = standings({"a": figure(0.5, 0.02), "b": figure(0.95, 0.02), "c": figure(1.2, 0.02)}, "detail")
        self.assertEqual(found, {"a": NOT_RANKED, "b": BEST, "c": NOT_RANKED})

    def test_brightness_is_best_nearest_to_none_on_either_side(self):
        found = standings({"a": figure(-0.02, 0.005), "b": figure(0.2, 0.005), "c": figure(-0.3, 0.005)}, "stops")
        self.assertEqual(found, {"a": BEST, "b": NOT_RANKED, "c": NOT_RANKED})

    def test_one_figure_alone_is_not_best(self):
        self.assertEqual(standings({"a": figure(5, 1)}), {"a": NOT_RANKED})


class NotRanked(unittest.TestCase):
    def why(self, figures, key, kind="noise"):
        return rank(figures, KIND_OF[kind])[key].why_not

    def test_a_guess_is_never_ranked(self):
        figures = {"a": figure(5, 1), "b": figure(9, 1), "c": figure(1, 0.5, "single")}
        self.assertIn("guess", self.why(figures, "c"))
        self.assertEqual(standings(figures)["a"], BEST)

    def test_figures_got_another_way_are_not_ranked_with_the_rest(self):
        figures = {"a": figure(5, 1), "b": figure(9, 1), "c": figure(1, 0.5, "reference")}
        self.assertIn("by reference, the others by twin", self.why(figures, "c", "fireflies"))

    def test_an_older_version_is_not_ranked(self):
        figures = {"a": figure(5, 1, version=2), "b": figure(9, 1, version=2), "c": figure(1, 0.5)}
        self.assertIn("older version", self.why(figures, "c"))

    def test_without_interval_nothing_tells_a_difference_from_chance(self):
        self.assertIn("no interval", self.why({"a": figure(5, None), "b": figure(9, 1)}, "a"))

    def test_grain_has_no_better(self):
        self.assertIn("no value", self.why({"a": figure(1, 0.1), "b": figure(2, 0.1)}, "a", "grain"))


class Kinds(unittest.TestCase):
    def test_every_measure_comes_with_a_figure_or_a_reason_and_the_version_of_its_method(self):
        truth = photograph()
        for references in ([], [noisy(truth, 0.01, 5), noisy(truth, 0.01, 6)]):
            measures = RenderMeasures([noisy(truth, 0.1, s) for s in (1, 2)], everywhere(truth), references=references)
            rows = list(measured(measures.zone(everywhere(truth))))
            self.assertEqual([row.name for row in rows], [kind.name for kind in KINDS])
            for row in rows:
                self.assertTrue(row.figure is not None or row.refused, row.name)
                if row.figure is not None:
                    kind = KIND_OF[row.name]
                    self.assertEqual((row.figure.version, row.figure.unit in ("", kind.unit)), (kind.version, True))

    def test_every_measure_names_a_map_that_there_is(self):
        for kind in KINDS:
            self.assertIn(kind.layer, LAYER_OF)

    def test_the_scale_of_a_map_ends_at_a_round_number_that_holds_nearly_all(self):
        values = np.abs(np.random.default_rng(1).standard_normal((100, 100))).astype(np.float32) * 30
        low, high = shown_range(LAYER_OF["noise"], values)
        self.assertEqual((low, high), (0.0, 100.0))
        self.assertEqual(shown_range(LAYER_OF["error"], values), (-100.0, 100.0))
        self.assertEqual(shown_range(LAYER_OF["fireflies"], np.zeros((5, 5), dtype=np.float32)), (0.0, 1.0))

    def test_the_level_is_float32_and_its_luminance_that_of_doubles(self):
        picture = noisy(photograph(), 0.1, 1)
        light = Light([picture], everywhere(picture))
        self.assertEqual(light.y[0].dtype, np.float32)
        np.testing.assert_allclose(light.y[0], luminance(picture), rtol=1e-5)
