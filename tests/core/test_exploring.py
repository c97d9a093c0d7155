"""Exploring settings of which time and change are known functions."""

from __future__ import annotations

import random
import unittest
from itertools import product

from matchedpair.search.exploring import Tried, evened_out, frontier, next_explored, top_of
from matchedpair.search.raising import Change, Compared, Ladder, next_raise

from tests.inner_loop import long

LEVELS = (1, 2, 4, 8)
LADDERS = [Ladder("a", LEVELS), Ladder("b", LEVELS), Ladder("c", LEVELS)]


def seconds(settings):
    return 1.0 + settings["a"] + 0.5 * settings["b"] + 0.1 * settings["c"]


def change(settings):
    """Either of a and b can stand in for the other; c does not matter."""
    return 8.0 / (settings["a"] * settings["b"]) - 8.0 / 64


def explore(amount=change, ladders=LADDERS, start=None, failing=None, **budget):
    tried = []
    for _ in range(400):
        step = next_explored(ladders, start or {}, tried, **budget)
        if step.state != "render":
            return step, tried
        asked = step.wanted.settings
        off = amount(asked)
        bad = failing is not None and failing(asked)
        tried.append(Tried(asked, None if bad else seconds(asked), Change(off > 0, off)))
    raise AssertionError("the search does not end")


class Exploring(unittest.TestCase):
    def test_the_top_comes_first_and_everything_else_of_the_start_stays(self):
        step = next_explored(LADDERS, {"a": 2, "clamp": 5}, [])
        self.assertEqual((step.state, step.wanted.settings), ("render", {"a": 8, "b": 8, "c": 8, "clamp": 5}))

    @long
    def test_without_a_budget_all_are_tried_once_and_the_known_best_is_found(self):
        step, tried = explore()
        self.assertEqual((step.state, len(tried)), ("done", 64))
        self.assertEqual(len({tuple(sorted(row.settings.items())) for row in tried}), 64)
        within = [dict(zip("abc", levels, strict=True)) for levels in product(LEVELS, repeat=3)]
        best = min((row for row in within if change(row) <= 1.0), key=seconds)
        self.assertEqual(step.settings, best)

    def test_a_third_of_the_space_gives_the_frontier_nearly_whole(self):
        step, tried = explore(most_renders=24)
        self.assertEqual((step.state, len(tried)), ("done", 24))
        self.assertIn("the best of 24 ways", step.words)
        rows = [dict(zip("abc", levels, strict=True)) for levels in product(LEVELS, repeat=3)]
        whole = frontier([Tried(row, seconds(row), Change(True, change(row))) for row in rows])
        found = {(row.seconds, row.change.amount) for row in step.frontier}
        reached = sum((row.seconds, row.change.amount) in found for row in whole)
        self.assertGreaterEqual(reached, 0.5 * len(whole))
        self.assertLessEqual(
            seconds(step.settings), 1.25 * min(seconds(r.settings) for r in whole if r.change.amount <= 1)
        )

    @long
    def test_it_does_better_than_chance_within_the_same_budget(self):
        def fastest(rows):
            return min(row.seconds for row in rows if row.change.amount <= 1.0)

        ladders = [*LADDERS, Ladder("d", LEVELS), Ladder("e", LEVELS)]

        def amount(row):
            return change(row) + 0.2 / row["d"] + 0.2 / row["e"]

        ours, theirs = [], []
        for seed in range(1, 9):
            _, tried = explore(amount, ladders, most_renders=40, seed=seed)
            ours.append(fastest(tried))
            dice = random.Random(seed)
            chance = [top_of(ladders, {})] + [
                {ladder.setting: dice.choice(ladder.levels) for ladder in ladders} for _ in range(39)
            ]
            theirs.append(fastest([Tried(row, seconds(row), Change(True, amount(row))) for row in chance]))
        self.assertLess(sum(ours), 0.95 * sum(theirs))

    def test_settings_that_stand_in_for_each_other_are_found_where_raising_one_by_one_stays_dearer(self):
        def render(row):
            return 0.0 if row["a"] + row["b"] >= 9 else 5.0

        compared = []
        while (step := next_raise(LADDERS[:2], {}, compared)).state == "render":
            off = abs(render(step.wanted.settings) - render(step.wanted.against))
            compared.append(Compared(step.wanted.settings, step.wanted.against, Change(off > 0, off)))
        explored, _ = explore(render, LADDERS[:2], {"c": 1})
        one_by_one = {**step.settings, "c": 1}
        self.assertLessEqual(seconds(explored.settings), seconds(one_by_one))
        self.assertEqual(explored.settings, {"a": 1, "b": 8, "c": 1})

    def test_a_lucky_time_does_not_keep_higher_settings(self):
        rows = [
            ((8, 8, 8), 0.9, 0.0), ((4, 4, 1), 1.4, 0.3), ((2, 4, 1), 1.5, 0.6), ((4, 2, 2), 1.2, 0.7),
            ((1, 1, 1), 0.5, 6.0),
        ]  # fmt: skip
        tried = [
            Tried(dict(zip("abc", levels, strict=True)), time, Change(amount > 0, amount))
            for levels, time, amount in rows
        ]
        step = next_explored(LADDERS, {}, tried, most_renders=5)
        self.assertEqual(step.settings, {"a": 4, "b": 2, "c": 2})

    def test_the_same_history_gives_the_same_proposal(self):
        _, first = explore(most_renders=15)
        _, second = explore(most_renders=15)
        self.assertEqual(first, second)
        _, other = explore(most_renders=15, seed=2)
        self.assertNotEqual(first, other)

    def test_a_failed_render_is_left_aside_and_not_tried_again(self):
        step, tried = explore(failing=lambda row: row["a"] == 1 and row["b"] == 1)
        self.assertEqual(len(tried), 64)
        self.assertEqual(step.state, "done")
        self.assertTrue(all(row.good for row in step.frontier))

    def test_a_failed_top_ends_it(self):
        step = next_explored(LADDERS, {}, [Tried(top_of(LADDERS, {}), None, None)])
        self.assertEqual(step.state, "failed")
        self.assertIn("all settings at their highest failed", step.words)

    def test_minutes_end_it_too_and_what_was_found_stays(self):
        tried = [Tried(top_of(LADDERS, {}), 60.0, Change(False, 0.0))]
        step = next_explored(LADDERS, {}, tried, spent_seconds=121.0, most_seconds=120.0)
        self.assertEqual((step.state, step.settings), ("done", top_of(LADDERS, {})))
        self.assertIn("2 minutes", step.words)

    def test_without_a_setting_there_is_nothing_to_explore(self):
        with self.assertRaisesRegex(ValueError, "at least one setting"):
            next_explored([], {}, [])


class EvenedOut(unittest.TestCase):
    def way(self, levels, time):
        return Tried(dict(zip("abc", levels, strict=True)), time, Change(False, 0.0))

    def test_times_that_rise_with_the_settings_stay(self):
        rows = [self.way((1, 1, 1), 1.0), self.way((2, 1, 1), 1.5), self.way((2, 4, 1), 3.0)]
        self.assertEqual(evened_out(LADDERS, rows), rows)

    def test_a_lucky_time_above_is_met_in_the_middle(self):
        low, high = evened_out(LADDERS, [self.way((1, 1, 1), 2.0), self.way((8, 8, 8), 1.0)])
        self.assertEqual((low.seconds, high.seconds), (1.5, 1.5))

    def test_ways_that_no_order_binds_do_not_move_each_other(self):
        rows = [self.way((1, 8, 1), 5.0), self.way((8, 1, 1), 1.0)]
        self.assertEqual(evened_out(LADDERS, rows), rows)

    def test_it_never_falls_whatever_the_times(self):
        dice = random.Random(3)
        rows = [self.way(levels, dice.uniform(1, 5)) for levels in product(LEVELS, repeat=3)]
        found = evened_out(LADDERS, rows)
        for one, other in product(found, repeat=2):
            if all(one.settings[name] <= other.settings[name] for name in "abc"):
                self.assertLessEqual(one.seconds, other.seconds)

    def test_a_failed_way_stays_as_it_is(self):
        failed = Tried({"a": 1, "b": 1, "c": 1}, None, None)
        self.assertEqual(evened_out(LADDERS, [failed, self.way((2, 2, 2), 1.0)])[0], failed)


class Frontiers(unittest.TestCase):
    def test_ways_that_another_beats_in_both_are_left_out_and_equals_stand_once(self):
        rows = [Tried({"n": n}, s, Change(True, a)) for n, s, a in
                ((1, 1.0, 5.0), (2, 2.0, 2.0), (3, 2.5, 3.0), (4, 2.0, 2.0), (5, 4.0, 0.0), (6, 5.0, 0.0))]  # fmt: skip
        rows.append(Tried({"n": 7}, 0.5, None))
        self.assertEqual([row.settings["n"] for row in frontier(rows)], [1, 2, 5])
