import unittest

from matchedpair.queue import RunningTime, time_left


class TimeLeft(unittest.TestCase):
    def test_nothing_can_be_said_at_first(self):
        self.assertEqual(time_left([RunningTime("c", "running"), RunningTime("t", "queued")]), (None, None))

    def test_nothing_left(self):
        self.assertEqual(time_left([RunningTime("c", "finished", 10.0)]), (None, 0.0))

    def test_progress_counts_from_the_first_light(self):
        running = RunningTime("c", "running", seconds=6.0, ready_seconds=2.0, share=0.5)
        self.assertAlmostEqual(time_left([running])[0], 4.0)

    def test_queued_runs_take_what_their_option_took(self):
        runs = [
            RunningTime("c", "finished", 10.0), RunningTime("t", "finished", 30.0),
            RunningTime("c", "queued"), RunningTime("t", "queued"),
        ]  # fmt: skip
        self.assertAlmostEqual(time_left(runs)[1], 40.0)

    def test_an_option_never_run_takes_what_is_usual(self):
        runs = [RunningTime("c", "finished", 10.0), RunningTime("t", "queued")]
        self.assertAlmostEqual(time_left(runs)[1], 10.0)

    def test_the_very_first_percent_says_nothing(self):
        self.assertEqual(time_left([RunningTime("c", "running", 5.0, 1.0, 0.01)])[0], None)

    def test_a_run_that_takes_longer_than_usual_has_nothing_negative_left(self):
        runs = [RunningTime("c", "finished", 10.0), RunningTime("c", "running", 14.0)]
        self.assertEqual(time_left(runs), (0.0, 0.0))

    def test_failed_and_stopped_runs_are_no_guide(self):
        self.assertEqual(time_left([RunningTime("c", "failed", 900.0), RunningTime("c", "queued")])[1], None)
