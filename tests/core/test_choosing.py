"""Limits, the choice and how firm it is, the arithmetic of a forecast, what matters, where a choice fails."""

from __future__ import annotations

import itertools
import math
import unittest
from dataclasses import replace
from typing import ClassVar

from matchedpair.answers import failing
from matchedpair.choose import (
    Assumptions,
    Candidate,
    FrameTime,
    Held,
    Response,
    Use,
    by_weight,
    check,
    decide,
    failures,
    forecast,
    interactions,
    main_effects,
    over_scenes,
    ranked_by,
    saving,
)
from matchedpair.curves import fit_curve, same_noise
from matchedpair.errors import InputError
from matchedpair.measures.figure import Figure, Ratio

from tests.core.test_curves import ladder


def figure(value: float, spread: float | None = 0.02, unit: str = "%") -> Figure:
    ends = None if spread is None else (value * (1 - spread), value * (1 + spread))
    return Figure(value, unit, ends, "twin", 1)


def option(name: str, seconds: float, noise: float, **more: Figure) -> Candidate:
    return Candidate(name, {"seconds": figure(seconds), "noise": figure(noise), **more}, {"zone_noise": "Deep shelf"})


class Limits(unittest.TestCase):
    def test_a_limit_is_kept_broken_or_within_the_interval(self):
        self.assertEqual(check("noise", 5.0, figure(4.0)).state, "keeps")
        self.assertEqual(check("noise", 5.0, figure(6.0)).state, "breaks")
        self.assertEqual(check("noise", 5.0, figure(4.95)).state, "unsure")
        self.assertEqual(check("noise", 5.0, None).state, "not known")
        self.assertEqual(check("detail", 0.9, figure(0.8)).state, "breaks")
        self.assertEqual(check("detail", 0.9, figure(0.95)).state, "keeps")

    def test_a_shift_counts_by_its_size(self):
        down = Figure(-0.2, "stops", (-0.21, -0.19), "reference", 1)
        self.assertEqual(check("stops", 0.05, down).state, "breaks")
        about = Figure(0.01, "stops", (-0.02, 0.04), "reference", 1)
        self.assertEqual(check("stops", 0.05, about).state, "keeps")


class OtherEngines(unittest.TestCase):
    """A quick one with little noise, whose light is wrong all the same."""

    options: ClassVar = {
        "a": option("Alder", 20.0, 10.0, visible=figure(1.5, None, "ΔE")),
        "t": option("Tansy", 15.0, 4.0, visible=figure(3.0, None, "ΔE")),
        "s": option("Sorrel", 18.0, 12.0, visible=figure(1.2, None, "ΔE")),
        "long": option("Alder, 4096 samples", 900.0, 0.5),  # the reference itself, which nothing judges
    }

    def test_where_noise_ranks_none_the_visible_error_does(self):
        by = ranked_by(self.options, "a", noise_ranks=False)
        cleanest = Use("x", "Still", {"seconds": 100.0}, 1.0)
        self.assertEqual((by, decide(cleanest, self.options, by).chosen), ("visible", "s"))
        self.assertEqual(decide(cleanest, self.options).chosen, "t")
        found = decide(Use("x", "Still", {}, 1.0), self.options, by)
        self.assertTrue(found.standings["long"].out)
        self.assertEqual(set(found.frontier.order), {"t", "s"})

    def test_noise_does_where_it_can_or_nothing_else_is_known(self):
        self.assertEqual(ranked_by(self.options, "a", noise_ranks=True), "noise")
        self.assertEqual(ranked_by(self.options, "long", noise_ranks=False), "noise", "the control must be judged")
        alone = {key: self.options[key] for key in ("a", "long")}
        self.assertEqual(ranked_by(alone, "a", noise_ranks=False), "noise")


class Lacking(unittest.TestCase):
    def test_a_new_scene_without_any_zone_decides_and_says_so(self):
        options = {"a": option("Quick", 2, 20), "b": option("Middle", 8, 9)}
        found = decide(Use("x", "Animation", {"noise": 10.0, "zone_noise": 12.0}), options)
        self.assertEqual(found.chosen, "b")
        self.assertIn("no zone is drawn", found.without)

    def test_a_limit_that_nothing_can_meet_names_its_remedy(self):
        found = decide(Use("x", "Still", {"detail": 0.9}), {"a": option("Quick", 2, 20)})
        self.assertEqual(found.chosen, "")
        self.assertIn("make a reference", found.without)


class Deciding(unittest.TestCase):
    options: ClassVar = {"a": option("Quick", 2, 20), "b": option("Middle", 8, 9), "c": option("Slow", 40, 4),
               "d": option("Poor", 41, 9.5)}  # fmt: skip

    def test_limits_come_first_then_the_fastest(self):
        use = Use("x", "X", {"noise": 10.0}, 0.0)
        found = decide(use, self.options)
        self.assertEqual(found.chosen, "b")
        self.assertTrue(found.standings["a"].out)
        self.assertEqual(found.standings["a"].checked[0].state, "breaks")
        self.assertEqual(found.standings["d"].beaten_by, "c")
        self.assertEqual((found.without, found.doubts), ("", ()))

    def test_weight_one_takes_the_cleanest(self):
        self.assertEqual(decide(Use("x", "X", {"seconds": 50.0}, 1.0), self.options).chosen, "c")

    def test_the_choice_is_not_firm_when_a_fifth_changes_it(self):
        self.assertTrue(decide(Use("x", "X", {"noise": 12.0}, 0.0), self.options).firm)
        loose = decide(Use("x", "X", {"noise": 10.0}, 0.0), self.options)
        moved = [move for move in loose.moved if move.chosen != "b"]
        self.assertEqual([(move.what, move.after, move.chosen) for move in moved], [("noise", 8.0, "c")])
        self.assertFalse(loose.firm)

    def test_what_is_not_known_is_not_chosen(self):
        use = Use("x", "X", {"fireflies": 5.0}, 0.0)
        found = decide(use, self.options | {"e": option("Known", 9, 9, fireflies=figure(1.0))})
        self.assertEqual(found.chosen, "e")
        none = decide(use, self.options)
        self.assertEqual(none.chosen, "")
        self.assertIn("fireflies leaves out 4 of 4", none.without)

    def test_a_tie_is_called_one(self):
        near = {"a": option("One", 10.0, 5.0), "b": option("Other", 10.1, 5.05)}
        found = decide(Use("x", "X", {}, 0.0), near)
        self.assertEqual((found.chosen, found.ties), ("a", ("b",)))

    def test_nothing_to_choose_from(self):
        self.assertEqual(decide(Use("x", "X", {}, 0.0), {}).chosen, "")


class Forecasts(unittest.TestCase):
    def test_a_worked_example_by_the_frame(self):
        # 1,000 frames of 90 + 10 s on 4 machines: 250 frames each, 25,000 s; 100,000 s in all
        found = forecast(FrameTime(90, 10, (95, 105)), Assumptions(1000, 4, 5.0, 0.5))
        self.assertAlmostEqual(found.machine_hours, 100_000 / 3600)
        self.assertAlmostEqual(found.hours, 25_000 / 3600)
        self.assertEqual(found.nights, 2)
        self.assertAlmostEqual(found.cost, 0.5 * 100_000 / 3600)
        self.assertAlmostEqual(found.interval[1] / found.machine_hours, 1.05)

    def test_getting_ready_once_a_shot_is_paid_on_every_machine(self):
        # 1,000 frames in 5 shots on 4 machines: 90,000 s of rendering and 5 × 4 times 10 s
        found = forecast(FrameTime(90, 10, None), Assumptions(1000, 4, ready_per="shot", shots=5))
        self.assertAlmostEqual(found.machine_hours, 90_200 / 3600)
        self.assertAlmostEqual(found.hours, (250 * 90 + 5 * 10) / 3600)
        self.assertIsNone(found.interval)

    def test_only_rendering_grows_with_pixels(self):
        found = forecast(FrameTime(90, 10, None), Assumptions(1, pixels=4.0))
        self.assertAlmostEqual(found.frame_seconds, 370)

    def test_frames_are_not_split(self):
        self.assertAlmostEqual(forecast(FrameTime(100, 0, None), Assumptions(5, 4)).hours, 200 / 3600)
        self.assertAlmostEqual(forecast(FrameTime(100, 0, None), Assumptions(2, 4)).hours, 100 / 3600)

    def test_saving_is_the_share_of_the_baseline_and_not_the_ratio_less_one(self):
        assumed = Assumptions(100, cost_per_machine_hour=2.0)
        before, after = (forecast(FrameTime(t, 0, (t * 0.97, t * 1.03)), assumed) for t in (120.0, 90.0))
        found = saving(before, after, assumed)
        self.assertAlmostEqual(found.share, 0.25)
        self.assertAlmostEqual(found.machine_hours, 30 * 100 / 3600)
        self.assertAlmostEqual(found.cost, 2 * 30 * 100 / 3600)
        self.assertLess(found.interval[0], 0.25)
        self.assertFalse(found.tie)
        self.assertTrue(saving(before, before, assumed).tie)

    def test_impossible_assumptions_are_refused(self):
        for wrong, words in (
            ({"frames": 0}, "at least 1"), ({"frames": 5, "hours_a_day": 25}, "hours a day"),
            ({"frames": 5, "cost_per_machine_hour": -1}, "not be below 0"), ({"frames": 5, "shots": 9}, "share"),
            ({"frames": 5, "ready_per": "moon"}, "per frame or per shot"), ({"frames": 5, "pixels": 0}, "size"),
        ):  # fmt: skip
            with self.subTest(wrong=wrong), self.assertRaisesRegex(InputError, words):
                Assumptions(**wrong)
        with self.assertRaisesRegex(InputError, "above 0"):
            FrameTime(0, 0, None)


class Effects(unittest.TestCase):
    def table(self, law) -> dict:
        return {row: Response(law(*row), 0.01) for row in itertools.product(range(3), range(2))}

    def test_a_full_table_gives_the_effects_that_made_it(self):
        found = main_effects(self.table(lambda f, g: 1.0 + 0.5 * f - 0.3 * g))
        self.assertEqual([(e.factor, e.level, e.over) for e in found], [(0, 1, 2), (0, 2, 2), (1, 1, 3)])
        for effect, log in zip(found, (0.5, 1.0, -0.3), strict=True):
            self.assertAlmostEqual(math.log(effect.ratio), log)
        self.assertEqual(by_weight(found), [0, 1])

    def test_interactions_are_found_where_two_together_do_more(self):
        none = interactions(self.table(lambda f, g: 0.5 * f - 0.3 * g))
        self.assertTrue(all(row.tie for row in none))
        both = interactions(self.table(lambda f, g: 0.5 * f - 0.3 * g + 0.4 * (f == 2 and g == 1)))
        told = {row.levels: row for row in both}
        self.assertAlmostEqual(math.log(told[(2, 1)].ratio), 0.4)
        self.assertFalse(told[(2, 1)].tie)
        self.assertTrue(told[(1, 1)].tie)

    def test_one_thing_at_a_time_gives_steps_from_the_baseline_and_no_interactions(self):
        alone = {(0, 0): Response(0.0, 0.01), (1, 0): Response(0.7, 0.01), (0, 1): Response(0.001, 0.01)}
        found = main_effects(alone)
        self.assertAlmostEqual(found[0].ratio, math.exp(0.7))
        self.assertTrue(found[1].tie)
        self.assertEqual(interactions(alone), [])

    def test_the_interval_is_that_of_a_difference_of_means(self):
        [effect] = main_effects({(0,): Response(0.0, 0.03), (1,): Response(0.0, 0.04)})
        self.assertAlmostEqual(math.log(effect.interval[1]), 1.96 * 0.05)


class Scenes(unittest.TestCase):
    def test_the_worst_and_the_usual_scene_are_told_and_never_only_the_best(self):
        control = fit_curve(ladder(1600, 0, 1, 1))
        trials = {"dark": ladder(800, 0, 1, 1), "open": ladder(1500, 0, 1, 2), "glass": ladder(400, 0, 1, 1)}
        rows = {place: same_noise(control, fit_curve(points), 64) for place, points in trials.items()}
        rows["far"] = same_noise(control, fit_curve(ladder(1600, 9.0, 1, 1)), 64)
        found = over_scenes(rows | {"new": None})
        self.assertEqual((found.worst_place, found.told, found.unreachable), ("open", 3, ("far",)))
        self.assertAlmostEqual(found.usual, rows["dark"].speed_up)
        self.assertIn("at worst", found.words)
        self.assertIn("not reachable in far", found.words)
        self.assertIn("not told in 1 of 5", found.words)

    def held(self, zone="whole", **more):
        return Held("stall", zone, 1, **more)

    def told(self, *rows, **limits):
        found = failures(rows, {"stops": 0.1, "colour": 2.0} | limits)
        return [(row.zone, row.how, row.amount) for row in found]

    def test_failures_are_more_than_chance_and_more_than_the_use_allows(self):
        sure, unsure = (-0.06, -0.04), (-0.1, 0.2)
        rows = [
            self.held("Shelf", stops=-0.05, stops_interval=sure),
            self.held("Tray", stops=0.2, stops_interval=unsure),
            self.held(colour=1.4),
        ]
        self.assertEqual(
            self.told(*rows, stops=0.02, colour=1.0), [("Shelf", "darker", -0.05), ("whole", "colour", 1.4)]
        )
        self.assertEqual(self.told(*rows), [])

    def test_noise_that_a_use_limits_was_traded_and_other_noise_is_lost(self):
        worse = Ratio(1.3, (1.2, 1.4), "twin", 1, tie=False)
        tied = Ratio(1.01, (0.95, 1.07), "wall", 1, tie=True)
        over = Figure(15.0, "%", (14.0, 16.0), "twin", 1)
        rows = [self.held("Shelf", noise=worse, time=tied, percent=over), self.held(noise=worse, time=worse)]
        self.assertEqual(
            self.told(*rows), [("Shelf", "noisier", 1.3), ("whole", "noisier", 1.3), ("whole", "slower", 1.3)]
        )
        self.assertEqual(self.told(*rows, noise=25.0, seconds=9.0), [])
        self.assertEqual(self.told(*rows, noise=12.0, seconds=9.0), [("Shelf", "noise", 15.0)])
        self.assertEqual(self.told(*rows, noise=12.0, zone_noise=20.0, seconds=9.0), [])

    def test_a_part_of_the_picture_is_told_where_it_says_more_than_the_zones(self):
        part = self.held("a part of the lower right", stops=-2.6, box=(8, 8, 4, 4))
        self.assertEqual(self.told(self.held(stops=0.0, stops_interval=(-0.01, 0.01)), part),
                         [("a part of the lower right", "darker", -2.6)])  # fmt: skip
        small = replace(part, stops=-0.15, seen=0.5)
        self.assertEqual([self.told(each, stops=0.1) for each in (small, replace(small, seen=1.0))],
                         [[], [("a part of the lower right", "darker", -0.15)]])  # fmt: skip
        zone = self.held("Ball", stops=-2.5, stops_interval=(-2.6, -2.4))
        self.assertEqual(self.told(zone, part), [("Ball", "darker", -2.5)])

    def test_frames_of_a_sequence_are_told_together_by_the_worst(self):
        rows = [
            replace(self.held("Wall", stops=0.1 * frame, stops_interval=(0.01, 1.0)), frame=frame, pair=frame)
            for frame in (1, 3, 2, 0)
        ]
        (found,) = failures(rows, {"stops": 0.15})
        self.assertEqual((found.pair, found.frames, found.of_frames), (3, 2, 4))
        self.assertEqual(failing(found), "up to 0.3 stops brighter than the control in 2 of 4 frames")
