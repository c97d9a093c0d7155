"""Raising settings on made pictures with known answers."""

from __future__ import annotations

import unittest

from matchedpair.search.raising import Change, Compared, Ladder, RaisingStep, next_raise

LEVELS = (1, 2, 4, 8, 16)


def search(look, ladders, start=None, most_renders=None, failing=()) -> tuple[RaisingStep, list[Compared]]:
    """Play a search; `look` gives a picture's brightness, and a change of 1 % is at the threshold."""
    compared: list[Compared] = []
    for _ in range(200):
        step = next_raise(ladders, start or {}, compared, most_renders=most_renders)
        if step.state != "render":
            return step, compared
        a, b = look(**step.wanted.settings), look(**step.wanted.against)
        off = abs(a - b) / b
        failed = any(
            all(side.get(name) == value for name, value in failing)
            for side in (step.wanted.settings, step.wanted.against)
        )
        change = None if failing and failed else Change(off > 1e-9, off / 0.01, f"{100 * off:.2g} %")
        compared.append(Compared(step.wanted.settings, step.wanted.against, change))
    raise AssertionError("the search does not end")


class Raising(unittest.TestCase):
    def test_each_setting_is_raised_until_the_picture_stops_changing(self):
        # what bounces add falls by half each time: 16 is the truth, 8 is within 1 %, 4 is not
        step, _ = search(lambda bounces: 1 - 0.5**bounces, [Ladder("bounces", LEVELS)])
        self.assertEqual((step.state, step.settings), ("done", {"bounces": 8}))
        self.assertEqual([row.outcome for row in step.trace[:4]], ["raised", "raised", "raised", "enough"])
        self.assertEqual(step.trace[-1].outcome, "kept")

    def test_a_setting_that_changes_nothing_is_left_at_its_lowest(self):
        ladders = [Ladder("glass", LEVELS), Ladder("bounces", LEVELS)]
        step, compared = search(lambda glass, bounces: 1 - 0.5**bounces, ladders)
        self.assertEqual(step.settings, {"glass": 1, "bounces": 8})
        self.assertEqual(step.unused, ("glass",))
        self.assertEqual(sum(row.lower["glass"] != row.upper["glass"] for row in compared), 1)

    def test_where_a_change_that_counts_could_not_be_seen_the_cheapest_is_not_taken(self):
        ladder = Ladder("n", (1, 2, 4))
        step = next_raise([ladder], {}, [Compared({"n": 1}, {"n": 4}, Change(False, 0.0, "", 3.0))])
        self.assertEqual((step.state, step.wanted.settings, step.trace[0].outcome), ("render", {"n": 2}, "raised"))
        self.assertIn("more seeds would tell", step.trace[0].words)
        seen = next_raise([ladder], {}, [Compared({"n": 1}, {"n": 4}, Change(False, 0.0, "", 0.8))])
        self.assertEqual((seen.state, seen.settings), ("done", {"n": 1}))

    def test_small_changes_do_not_creep_by(self):
        # every step changes 0.8 %, less than the threshold, and all together 3 %
        step, _ = search(lambda n: 1 + 0.008 * LEVELS.index(n), [Ladder("n", LEVELS)])
        self.assertEqual(step.settings, {"n": 8})

    def test_settings_that_need_each_other_are_found_in_a_further_pass(self):
        # b matters only once a is low: with a at the top every b will do
        def look(a, b):
            return 1.0 - (0.02 if a < 8 and b < 4 else 0.0) - (0.05 if a < 4 else 0.0) - (0.005 if b < 2 else 0.0)

        step, _ = search(look, [Ladder("a", LEVELS), Ladder("b", LEVELS)])
        self.assertEqual(step.state, "done")
        final = look(**step.settings)
        self.assertLess(abs(final - look(16, 16)), 0.011)

    def test_the_order_is_that_of_the_ladders(self):
        ladders = [Ladder("b", (1, 2)), Ladder("a", (1, 2))]
        step = next_raise(ladders, {"c": 5}, [])
        self.assertEqual(
            (step.wanted.settings, step.wanted.against), ({"b": 1, "a": 2, "c": 5}, {"b": 2, "a": 2, "c": 5})
        )
        self.assertEqual(step.words, "pass 1, b at 1 against 2")

    def test_only_the_highest_level_may_be_enough(self):
        step, _ = search(lambda n: 1.0 * n, [Ladder("n", LEVELS)])
        self.assertEqual(step.settings, {"n": 16})
        self.assertIn("only its highest level", step.trace[-1].words)

    def test_a_budget_ends_it_with_what_is_found_so_far(self):
        ladders = [Ladder("a", LEVELS), Ladder("b", LEVELS)]
        step, compared = search(lambda a, b: 2 - 0.5**a - 0.5**b, ladders, most_renders=4)
        self.assertEqual(step.state, "out_of_budget")
        rendered = {tuple(sorted(side.items())) for row in compared for side in (row.lower, row.upper)}
        self.assertLessEqual(len(rendered), 4)

    def test_a_render_that_fails_is_said_and_what_was_done_is_kept(self):
        step, compared = search(lambda n: 1 - 0.5**n, [Ladder("n", LEVELS)], failing=(("n", 4),))
        self.assertEqual(step.state, "failed")
        self.assertIn("n at 4 failed", step.words)
        self.assertEqual(len(step.trace), 2)
        mended = [row if row.change else Compared(row.lower, row.upper, Change(True, 0.5)) for row in compared]
        self.assertEqual(next_raise([Ladder("n", LEVELS)], {}, mended).settings, {"n": 4})

    def test_what_was_compared_before_is_not_asked_for_again(self):
        _, compared = search(lambda n: 1 - 0.5**n, [Ladder("n", LEVELS)])
        asked = [(tuple(row.lower.items()), tuple(row.upper.items())) for row in compared]
        self.assertEqual(len(asked), len(set(asked)))
        self.assertEqual(next_raise([Ladder("n", LEVELS)], {}, compared).state, "done")

    def test_one_level_is_no_ladder(self):
        with self.assertRaisesRegex(ValueError, "at least two levels"):
            Ladder("n", (1,))
