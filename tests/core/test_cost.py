import math
import random
import unittest
from dataclasses import replace

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures import RunTimes, time_ratio
from matchedpair.measures.cost import APART, HOURS_SCATTER, NOT_LEARNT, median_interval, ratio_interval
from matchedpair.measures.habit import UNKNOWN, Account, Habit, learnt


def run(wall, ready=1.0, cpu=None, cpu_ready=None, machine="bench", threads=1, habit=UNKNOWN):
    cpu = wall if cpu is None else cpu
    return RunTimes(wall, ready, cpu, ready if cpu_ready is None else cpu_ready, threads, machine, habit)


class Learning(unittest.TestCase):
    def accounts(self, scatter, options=10, repeats=3, share=1.0, seed=1):
        dice = random.Random(seed)
        return [
            Account(option, (1 + option) * math.exp(dice.gauss(0, scatter)), share * math.exp(dice.gauss(0, 0.005)))
            for option in range(options)
            for _ in range(repeats)
        ]

    def test_the_scatter_of_repeats_is_learnt_and_the_intervals_hold(self):
        for scatter in (0.005, 0.2, 0.4):
            habit = learnt(self.accounts(scatter), on_processors=True)
            self.assertAlmostEqual(habit.scatter / scatter, 1.0, delta=0.35)
            dice, held = random.Random(3), 0
            for _ in range(300):
                sides = [[run(1 + 10 * math.exp(dice.gauss(0, scatter)), habit=habit) for _ in range(2)] for _ in "ab"]
                low, high = time_ratio(*sides).interval
                held += low <= 1.0 <= high
            self.assertGreaterEqual(held, 0.9 * 300, scatter)
        calm = learnt(self.accounts(0.005), on_processors=True)
        low, high = time_ratio([run(11.0, habit=calm)] * 2, [run(11.0, habit=calm)] * 2).interval
        self.assertLess(high / low, 1.04)

    def test_a_median_of_ten_has_an_interval_of_a_median(self):
        habit = learnt(self.accounts(0.2, options=40), on_processors=True)
        dice, held = random.Random(4), 0
        for _ in range(400):
            low, high = median_interval([math.exp(dice.gauss(0, 0.2)) for _ in range(10)], habit)
            held += low <= 1.0 <= high
        self.assertGreaterEqual(held, 0.93 * 400)

    def test_busy_runs_do_not_hide_what_the_engine_has_when_alone(self):
        accounts = self.accounts(0.01) + [Account(99, 30.0, 0.3)] * 6
        self.assertAlmostEqual(learnt(accounts, on_processors=True).usual_share, 1.0, delta=0.02)

    def test_no_share_is_learnt_of_cards_of_few_threads_or_from_few_runs(self):
        self.assertIsNone(learnt(self.accounts(0.01), on_processors=False).usual_share)
        self.assertIsNone(learnt(self.accounts(0.01, share=0.3), on_processors=True).usual_share)
        self.assertIsNone(learnt(self.accounts(0.01, options=1), on_processors=True).usual_share)
        uneven = [Account(number, 1.0, 0.4 + 0.05 * number) for number in range(12)]
        self.assertIsNone(learnt(uneven, on_processors=True).usual_share)


class TimeRatio(unittest.TestCase):
    def test_getting_ready_is_left_out(self):
        ratio = time_ratio([run(11.0), run(11.0)], [run(6.0), run(6.0)])
        self.assertAlmostEqual(ratio.value, 0.5)
        self.assertEqual(ratio.method, "wall")
        self.assertFalse(ratio.tie)

    def test_total_is_compared_when_one_engine_does_not_say_when_it_was_ready(self):
        ratio = time_ratio([run(10.0), run(10.0)], [run(5.0, ready=None), run(5.0, ready=None)])
        self.assertAlmostEqual(ratio.value, 0.5)

    def test_the_median_of_the_repeats_counts(self):
        ratio = time_ratio([run(11.0), run(11.0), run(101.0)], [run(21.0), run(21.0), run(21.0)])
        self.assertAlmostEqual(ratio.value, 2.0)

    def test_a_busy_machine_is_compared_by_cpu_seconds_of_an_engine_that_is_known(self):
        busy = run(31.0, cpu=11.0, habit=Habit(1.0))
        self.assertIs(busy.quiet, False)
        others = [run(each, habit=Habit(1.0)) for each in (11.0, 6.0, 6.0)]
        ratio = time_ratio([busy, others[0]], others[1:])
        self.assertEqual(ratio.method, "cpu")
        self.assertAlmostEqual(ratio.value, 0.5)

    def test_wall_time_is_the_time_of_an_engine_whose_processors_tell_nothing(self):
        handed_over = [run(5.9, ready=0.0, cpu=0.06), run(2.27, ready=0.0, cpu=0.07)]
        ratio = time_ratio(handed_over[:1], handed_over[1:])
        self.assertEqual(ratio.method, "wall")
        self.assertAlmostEqual(ratio.value, 2.27 / 5.9)

    def test_wall_time_alone_is_enough(self):
        farm = [RunTimes(wall, None, None, None, 1, "farm") for wall in (10.0, 5.0)]
        ratio = time_ratio(farm[:1], farm[1:])
        self.assertEqual((ratio.value, ratio.method, ratio.note), (0.5, "wall", NOT_LEARNT))

    def test_quietness_counts_threads_and_what_the_engine_has_when_alone(self):
        self.assertAlmostEqual(run(10.0, cpu=17.1, threads=2, habit=Habit(0.9)).quietness, 0.95)
        self.assertIsNone(run(10.0, cpu=17.1, threads=2).quietness)

    def test_cpu_seconds_read_as_seconds(self):
        self.assertAlmostEqual(run(99.0, ready=None, cpu=72.0, threads=8, habit=Habit(0.9)).seconds("cpu"), 10.0)

    def test_under_five_percent_is_a_tie(self):
        many = [run(101.0)] * 50, [run(105.0)] * 50
        self.assertTrue(time_ratio(*many).tie)

    def test_inside_the_interval_is_a_tie(self):
        self.assertTrue(time_ratio([run(11.0), run(13.0)], [run(12.0), run(14.0)]).tie)

    def test_two_lucky_repeats_do_not_make_it_sure(self):
        low, high = time_ratio([run(11.0)] * 2, [run(9.0)] * 2).interval
        self.assertGreater(high / low, 1.08)

    def test_what_was_rendered_hours_apart_is_less_sure_and_says_so(self):
        def at(wall, hour):
            return replace(run(wall), at=3600.0 * hour)

        control, soon, later = [at(10, 1), at(10, 2)], [at(6, 3), at(6, 1.5)], [at(6, 30), at(6, 31)]
        near, far = time_ratio(control, soon), time_ratio(control, later)
        self.assertEqual((near.note, far.note), (NOT_LEARNT, APART))
        self.assertGreater(math.log(far.ends[1] / far.value), 1.9 * HOURS_SCATTER)
        self.assertEqual(time_ratio(later, control).note, APART)
        self.assertEqual(time_ratio(control, [*later, at(6, 2)]).note, NOT_LEARNT)
        self.assertEqual(time_ratio(control, [run(6), run(6)]).note, NOT_LEARNT)

    def test_repeats_that_agree_narrow_the_interval(self):
        widths = []
        for repeats in (2, 3, 5, 20):
            low, high = time_ratio([run(11.0)] * repeats, [run(11.0)] * repeats).interval
            widths.append((high - low) / 2)
        self.assertEqual(widths, sorted(widths, reverse=True))
        self.assertGreater(widths[0], 0.15)
        self.assertLess(widths[-1], 0.03)

    def test_each_machine_is_compared_with_itself_and_never_with_another(self):
        slow, fast = [run(21.0, machine="attic")] * 2, [run(6.0, machine="cellar")] * 2
        halved = [run(11.0, machine="attic")] * 2 + [run(3.5, machine="cellar")] * 2
        ratio = time_ratio(slow + fast, halved)
        self.assertAlmostEqual(ratio.value, 0.5)
        self.assertEqual(ratio.note, "each of 2 machines compared with itself")
        one = time_ratio(slow, halved[:2])
        self.assertLess(ratio.interval[1] / ratio.interval[0], one.interval[1] / one.interval[0])

    def test_runs_without_a_partner_on_their_machine_are_left_out(self):
        ratio = time_ratio([run(11.0), run(11.0), run(99.0, machine="attic")], [run(6.0), run(6.0)])
        self.assertAlmostEqual(ratio.value, 0.5)
        self.assertEqual(ratio.note, "on bench alone")
        with self.assertRaisesRegex(RefusedError, "times of different machines are not compared"):
            time_ratio([run(11.0)], [run(6.0, machine="attic")])

    def test_times_that_scatter_like_those_of_shared_cores_are_covered(self):
        dice = random.Random(8)
        held = 0
        for _ in range(400):
            sides = [[run(1 + 10 * math.exp(dice.gauss(0, 0.09))) for _ in range(2)] for _ in range(2)]
            low, high = time_ratio(*sides).interval
            held += low <= 1.0 <= high
        self.assertGreaterEqual(held, 370)

    def test_scatter_widens_the_interval(self):
        calm = ratio_interval(1.0, [10, 10], [10, 10], Habit(1.0, 0.03, 8))
        wild = ratio_interval(1.0, [8, 12], [9, 12], Habit(1.0, 0.03, 8))
        self.assertGreater(math.log(wild[1] / wild[0]), 2 * math.log(calm[1] / calm[0]))

    def test_times_of_different_machines_are_refused(self):
        with self.assertRaisesRegex(RefusedError, r"different machines are not compared \(bench, farm-7\)"):
            time_ratio([run(10.0)], [run(5.0, machine="farm-7")])

    def test_a_side_without_runs_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "no finished run"):
            time_ratio([], [run(5.0)])

    def test_zero_seconds_are_no_time(self):
        with self.assertRaisesRegex(InputError, "above 0"):
            run(0.0)
