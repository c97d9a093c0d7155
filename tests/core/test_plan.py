import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.plans import PLAN_KINDS, PlanOption, combinations, controls, kind_named, kind_problem, render_order
from matchedpair.plans.levels import ladder, same_work, through_range
from matchedpair.plans.plan import MOST_OPTIONS, size_of

ONE = [PlanOption("alder, stall"), PlanOption("alder, stall")]


class Combinations(unittest.TestCase):
    def test_each_level_alone_leaves_the_rest_at_the_baseline(self):
        self.assertEqual(combinations("each", [2, 1]), [(0, 0), (1, 0), (2, 0), (0, 1)])

    def test_a_table_of_two_switches_is_neither_this_that_and_both(self):
        self.assertEqual(combinations("table", [1, 1]), [(0, 0), (0, 1), (1, 0), (1, 1)])

    def test_factors_that_move_in_step(self):
        self.assertEqual(combinations("together", [2, 2]), [(0, 0), (1, 1), (2, 2)])
        with self.assertRaisesRegex(ValueError, "as many levels each, got 2 and 3"):
            combinations("together", [2, 3])

    def test_no_plan_grows_without_bound(self):
        with self.assertRaisesRegex(ValueError, f"161051 options are more than the {MOST_OPTIONS}"):
            combinations("table", [10] * 5)

    @settings(max_examples=60, deadline=None)
    @given(shape=st.sampled_from(["each", "table"]), others=st.lists(st.integers(0, 4), min_size=1, max_size=4))
    def test_the_control_comes_first_and_no_option_twice(self, shape, others):
        rows = combinations(shape, others)
        self.assertEqual(rows[0], (0,) * len(others))
        self.assertEqual(len(set(rows)), len(rows))
        self.assertEqual(len(rows), size_of(shape, others))


class Controls(unittest.TestCase):
    def test_engines_on_scenes_have_a_control_on_every_scene(self):
        rows = combinations("table", [1, 2])
        self.assertEqual(
            dict(zip(rows, controls("table", rows, [False, True]), strict=True)),
            {(0, 0): None, (0, 1): None, (0, 2): None, (1, 0): 0, (1, 1): 1, (1, 2): 2},
        )

    def test_where_only_the_place_varies_the_baseline_is_the_control(self):
        self.assertEqual(controls("table", combinations("table", [2]), [True]), [None, 0, 0])
        self.assertEqual(controls("each", combinations("each", [1, 1]), [False, True]), [None, 0, 0])

    def test_a_table_of_settings_has_one_control(self):
        self.assertEqual(controls("table", combinations("table", [1, 1]), [False, False]), [None, 0, 0, 0])


class RenderOrder(unittest.TestCase):
    def test_a_warm_up_then_both_sides_in_turn(self):
        rows = [(row.option, row.seed, row.warm_up) for row in render_order(ONE, 2)]
        self.assertEqual(rows, [(0, 0, True), (0, 1, False), (1, 1, False), (1, 2, False), (0, 2, False)])

    def test_one_warm_up_for_all_that_share_what_it_gets_ready(self):
        options = [PlanOption("a, stall"), PlanOption("b, stall"), PlanOption("a, stall"), PlanOption("a, lane")]
        self.assertEqual([row.option for row in render_order(options) if row.warm_up], [0, 1, 3])

    @settings(max_examples=40, deadline=None)
    @given(count=st.integers(2, 9), pairs=st.integers(1, 3))
    def test_a_steady_drift_falls_on_all_options_alike(self, count, pairs):
        places = dict.fromkeys(range(count), 0)
        counted = [row for row in render_order([PlanOption("")] * count, 2 * pairs) if not row.warm_up]
        for place, row in enumerate(counted):
            places[row.option] += place
        self.assertEqual(len(set(places.values())), 1)

    def test_the_warm_up_shares_no_seed_with_what_counts(self):
        plan = render_order(ONE, 5)
        self.assertFalse({r.seed for r in plan if r.warm_up} & {r.seed for r in plan if not r.warm_up})

    def test_one_seed_is_not_enough_at_first_but_one_more_may_be_added(self):
        with self.assertRaisesRegex(ValueError, "at least two seeds"):
            render_order(ONE, 1)
        self.assertEqual([r.seed for r in render_order(ONE, 1, first_seed=3) if not r.warm_up], [3, 3])

    def test_an_option_that_comes_with_another_has_no_render(self):
        options = [PlanOption("a", comes_with=2), PlanOption("a", comes_with=2), PlanOption("a")]
        self.assertEqual({row.option for row in render_order(options)}, {2})


class Kinds(unittest.TestCase):
    def problem(self, kind, subjects, levels, quality="samples"):
        return kind_problem(kind_named(kind), subjects, levels, quality)

    def test_each_kind_takes_what_it_is_for(self):
        good = {
            "on-off": (["denoise"], [1]), "range": (["bounces", "engine"], [4, 2]), "ladder": (["samples"], [5]),
            "table": (["denoise", "light"], [1, 2]), "engines-scenes": (["scene", "engine"], [3, 2]),
            "versions": (["version"], [1]), "same-time": (["size", "samples"], [2, 2]),
        }  # fmt: skip
        self.assertEqual(set(good), {kind.name for kind in PLAN_KINDS})
        for kind, (subjects, levels) in good.items():
            self.assertIsNone(self.problem(kind, subjects, levels), kind)
        self.assertIsNone(self.problem("engines-scenes", ["engine"], [3]))

    def test_what_does_not_fit_is_said(self):
        cases = [
            (("on-off", [], []), "change at least one thing"),
            (("on-off", ["denoise"], [2]), "one change takes at most 1 level besides the control's"),
            (("on-off", ["denoise", "clamp"], [1, 1]), "one change takes one factor, got 2"),
            (("range", ["denoise", "denoise"], [1, 1]), "the same thing is there twice"),
            (("table", ["denoise", "clamp"], [1, 0]), "at least one level other than the control's"),
            (("ladder", ["bounces"], [3]), "quality ladder varies samples"),
            (("engines-scenes", ["scene"], [2]), "engines × scenes varies engine and scene"),
            (("engines-scenes", ["engine", "light"], [2, 1]), "engines × scenes varies engine and scene"),
            (("ladder", ["samples"], [3], ""), "no quality knob"),
        ]
        for arguments, said in cases:
            self.assertIn(said, self.problem(*arguments) or "", arguments)


class Levels(unittest.TestCase):
    def test_a_ladder_doubles_and_ends_at_the_top(self):
        self.assertEqual(ladder(4, 64), [4, 8, 16, 32, 64])
        self.assertEqual(ladder(4, 50), [4, 8, 16, 32, 50])
        self.assertEqual(ladder(0.5, 4, whole=False), [0.5, 1, 2, 4])
        with self.assertRaisesRegex(ValueError, "0 < low"):
            ladder(0, 4)

    def test_a_wide_range_goes_by_ratios_a_narrow_one_by_steps(self):
        self.assertEqual(through_range(1, 100, 3, whole=True), [1, 10, 100])
        self.assertEqual(through_range(0, 1, 5, whole=False), [0, 0.25, 0.5, 0.75, 1])
        self.assertEqual(through_range(1, 3, 9, whole=True), [1, 2, 3])

    @given(
        width=st.integers(64, 2000), height=st.integers(64, 2000), samples=st.integers(8, 512),
        share=st.floats(0.3, 2.0),
    )  # fmt: skip
    def test_other_sizes_get_the_same_work_in_all(self, width, height, samples, share):
        (((wide, high), other),) = same_work((width, height), samples, [share])
        self.assertAlmostEqual(
            wide * high * max(other, 1) / (width * height * samples), 1.0, delta=0.5 / (other - 0.5) + 0.01
        )
