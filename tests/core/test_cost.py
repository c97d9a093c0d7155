import math
import random
import unittest

from matchedpair.errors import InputError, RefusedError
from matchedpair.measures import RunTimes, time_ratio
from matchedpair.measures.cost import ratio_interval


def run(wall, ready=1.0, cpu=None, cpu_ready=None, machine="bench", threads=1):
    cpu = wall if cpu is None else cpu
    return RunTimes(wall, ready, cpu, ready if cpu_ready is None else cpu_ready, threads, machine)


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

    def test_a_busy_machine_is_compared_by_cpu_seconds(self):
        busy = RunTimes(31.0, 1.0, 11.0, 1.0, 1, "bench")
        self.assertFalse(busy.quiet)
        ratio = time_ratio([busy, run(11.0)], [run(6.0), run(6.0)])
        self.assertEqual(ratio.method, "cpu")
        self.assertAlmostEqual(ratio.value, 0.5)

    def test_quietness_counts_threads(self):
        self.assertAlmostEqual(run(10.0, cpu=19.0, threads=2).quietness, 0.95)

    def test_under_five_percent_is_a_tie(self):
        many = [run(101.0)] * 50, [run(105.0)] * 50
        self.assertTrue(time_ratio(*many).tie)

    def test_inside_the_interval_is_a_tie(self):
        self.assertTrue(time_ratio([run(11.0), run(13.0)], [run(12.0), run(14.0)]).tie)

    def test_two_lucky_repeats_do_not_make_it_sure(self):
        low, high = time_ratio([run(11.0)] * 2, [run(9.0)] * 2).interval
        self.assertGreater(high / low, 1.08)

    def test_repeats_that_agree_narrow_the_interval(self):
        widths = []
        for repeats in (2, 3, 5, 20):
            low, high = time_ratio([run(11.0)] * repeats, [run(11.0)] * repeats).interval
            widths.append((high - low) / 2)
        for width, expected in zip(widths, (0.16, 0.12, 0.08, 0.023), strict=True):
            self.assertAlmostEqual(width, expected, delta=0.01)

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
        calm = ratio_interval(1.0, [10, 10], [10, 10], 0.03)
        wild = ratio_interval(1.0, [8, 12], [9, 12], 0.03)
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
