import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from matchedpair.measures import Ratio
from matchedpair.plans import (
    BudgetRow,
    KnownCost,
    UntilSure,
    estimate,
    needs_more,
    plan_cost,
    position_of,
    scatter_among,
    trim,
)
from matchedpair.plans.estimate import SCATTER

ROW = {"engine": "alder 2", "scene": "stall", "machine": "bench", "pixels": 10_000, "samples": 16.0}


def cost(seconds=0.0, ready=0.0, **changes):
    return KnownCost(**ROW | {"settings": {"bounces": 8}} | changes, seconds=seconds, ready_seconds=ready)


class OneRender(unittest.TestCase):
    def test_the_same_render_is_the_best_basis(self):
        known = [cost(10.0), cost(12.0), cost(99.0, settings={"bounces": 2}), cost(11.0)]
        found = estimate(cost(), known)
        self.assertEqual((found.seconds, found.basis, found.runs), (11.0, "rendered", 3))
        self.assertEqual(found.words(), "3 earlier runs: the same render")

    def test_rendering_goes_with_pixels_and_samples_but_getting_ready_does_not(self):
        known = [cost(9.0, ready=1.0)]
        self.assertAlmostEqual(estimate(cost(pixels=40_000), known).seconds, 1 + 8 * 4)
        self.assertAlmostEqual(estimate(cost(samples=64.0), known).seconds, 1 + 8 * 4)
        self.assertAlmostEqual(estimate(cost(samples=64.0, pixels=5_000), known).seconds, 1 + 8 * 2)

    def test_the_less_alike_the_wider_the_interval(self):
        known = [cost(10.0)]
        rows = [cost(), cost(pixels=20_000), cost(samples=32.0), cost(settings={}), cost(scene="lane")]
        found = [estimate(row, known) for row in rows]
        self.assertEqual([each.basis for each in found], ["rendered", "size", "samples", "settings", "scene"])
        widths = [each.interval[1] / each.interval[0] for each in found]
        self.assertEqual(widths, sorted(widths))
        self.assertTrue(all(each.interval[0] < each.seconds < each.interval[1] for each in found))

    def test_a_knob_whose_time_goes_with_its_square_root_is_within_the_interval(self):
        low, high = estimate(cost(samples=256.0), [cost(10.0)]).interval
        self.assertTrue(low < 10.0 * 4 and high > 10.0 * 16)
        low, high = estimate(cost(samples=1.0), [cost(16.0)]).interval
        self.assertTrue(low < 1.0 and high > 4.0)

    def test_of_other_settings_the_nearest_are_taken(self):
        known = [cost(5.0, settings={"bounces": 2, "clamp": 1}), cost(7.0, settings={"bounces": 2, "clamp": 0})]
        self.assertEqual(estimate(cost(settings={"bounces": 8, "clamp": 0}), known).seconds, 7.0)

    def test_runs_that_scatter_more_than_usual_widen_it(self):
        calm, wild = ([cost(s) for s in row] for row in ((10.0, 10.1, 9.9), (5.0, 10.0, 20.0)))
        self.assertGreater(estimate(cost(), wild).interval[1], 1.5 * estimate(cost(), calm).interval[1])

    def test_nothing_alike_gives_no_estimate(self):
        self.assertIsNone(estimate(cost(), []))
        self.assertIsNone(estimate(cost(), [cost(9.0, engine="tansy 1"), cost(9.0, machine="attic")]))

    def test_a_plan_adds_up_and_says_how_many_are_not_known(self):
        found = estimate(cost(), [cost(10.0)])
        whole = plan_cost([(found, 3), (None, 2)])
        self.assertAlmostEqual(whole.seconds, 30.0)
        self.assertEqual(whole.unknown, 2)
        self.assertAlmostEqual(whole.interval[1], 3 * found.interval[1])
        self.assertAlmostEqual(whole.picture_bytes, 3 * 45_000)


def studies(drift, count=40, renders=3):
    """Two options each, of four sizes in turn, on a machine as fast as it was that day."""
    rng = np.random.default_rng(7)
    rows = []
    for study in range(count):
        pace = math.exp(rng.normal(0, drift))
        for bounces in (4, 8):
            pixels = 10_000 * 2 ** (study % 4)
            for _ in range(renders):
                seconds = 1 + pace * pixels / 1_000 * math.exp(rng.normal(0, 0.02))
                settings = {"bounces": bounces}
                rows.append(cost(seconds, ready=1.0, pixels=pixels, settings=settings, study=study))
    return rows


class HowFarOff(unittest.TestCase):
    def test_without_studies_it_is_what_is_assumed(self):
        self.assertEqual(scatter_among([]), SCATTER)
        self.assertEqual(scatter_among([cost(10.0, study=1), cost(30.0, study=1)]), SCATTER)

    def test_a_machine_as_fast_each_day_makes_intervals_narrow_and_another_wide(self):
        calm, changing = (scatter_among(studies(drift)) for drift in (0.0, 0.7))
        for basis in ("rendered", "size", "settings"):
            self.assertLess(calm[basis], 0.35 * SCATTER[basis], basis)
            self.assertGreater(changing[basis], 0.5, basis)

    def test_the_renders_of_another_study_lie_within_the_interval(self):
        for drift in (0.1, 0.5):
            rows = studies(drift)
            held = []
            for number in range(0, 40, 4):
                others = [each for each in rows if each.study != number]
                scatter = scatter_among(others)
                for wanted in (each for each in rows if each.study == number):
                    for known in (others, [each for each in others if each.pixels != wanted.pixels]):
                        low, high = estimate(wanted, known, scatter).interval
                        held.append(low <= wanted.seconds <= high)
            self.assertGreater(sum(held) / len(held), 0.9, drift)

    def test_renders_of_one_study_tell_once(self):
        few, many = ([cost(10.0, study=1)] + [cost(20.0, study=2)] * renders for renders in (1, 30))
        self.assertEqual(scatter_among(few), scatter_among(many))

    def test_a_time_between_the_square_root_and_the_proportion_is_not_off(self):
        known = [cost(10.0, study=1), cost(20.0, samples=64.0, study=2)]
        self.assertLess(scatter_among(known)["samples"], SCATTER["samples"])


def ladder_rows(*values, seconds=1.0):
    return [BudgetRow(control=True, changes=0, seconds=seconds)] + [
        BudgetRow(control=False, changes=1, seconds=seconds, position=position_of(value)) for value in values
    ]


class Budget(unittest.TestCase):
    def test_a_plan_within_its_budget_stays_whole(self):
        self.assertEqual(trim(ladder_rows(2, 4, 8), 3, most_renders=12).left_out, {})

    def test_seeds_beyond_two_go_first(self):
        found = trim(ladder_rows(2, 4, 8), 5, most_renders=8)
        self.assertEqual((found.repeats, found.left_out, found.fits), (2, {}, True))

    def test_interactions_go_before_single_changes(self):
        rows = [BudgetRow(True, 0, 1), BudgetRow(False, 1, 1), BudgetRow(False, 1, 1), BudgetRow(False, 2, 1)]
        self.assertEqual(trim(rows, 2, most_renders=6).left_out, {3: "changes several things at once"})

    def test_levels_close_to_their_neighbours_go_and_the_ends_stay(self):
        found = trim(ladder_rows(1, 2, 16, 17, 128), 2, most_renders=8)
        self.assertEqual(found.left_out, {4: "lies close to its neighbours", 2: "lies close to its neighbours"})

    def test_seconds_are_a_budget_too_and_the_costliest_goes(self):
        rows = [BudgetRow(True, 0, 1.0), BudgetRow(False, 1, 2.0), BudgetRow(False, 1, 30.0)]
        self.assertEqual(trim(rows, 2, most_seconds=10).left_out, {2: "costs the most"})

    def test_what_cannot_be_trimmed_far_enough_says_so(self):
        found = trim(ladder_rows(2, 4), 2, most_renders=2)
        self.assertFalse(found.fits)
        self.assertEqual(len(found.left_out), 1)

    @given(
        values=st.lists(st.integers(1, 1000), min_size=1, max_size=12, unique=True), most=st.integers(4, 30),
        repeats=st.integers(2, 6),
    )  # fmt: skip
    def test_controls_stay_and_the_budget_holds(self, values, most, repeats):
        rows = ladder_rows(*values)
        found = trim(rows, repeats, most_renders=most)
        self.assertNotIn(0, found.left_out)
        self.assertTrue(found.fits)
        self.assertLessEqual((len(rows) - len(found.left_out)) * found.repeats, most)


class Sureness(unittest.TestCase):
    def test_repeats_go_on_until_the_interval_is_narrow_or_the_cap_reached(self):
        rule = UntilSure("time", 0.1, 6)
        wide, narrow = Ratio(0.5, (0.45, 0.56), "wall", 1, False), Ratio(0.5, (0.49, 0.51), "wall", 1, False)
        self.assertTrue(needs_more(rule, wide, 2))
        self.assertFalse(needs_more(rule, narrow, 2))
        self.assertFalse(needs_more(rule, wide, 6))
        self.assertFalse(needs_more(rule, None, 2))
        self.assertFalse(needs_more(rule, Ratio(0.5, None, "wall", 1, False), 2))
