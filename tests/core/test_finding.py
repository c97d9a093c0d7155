import unittest

from matchedpair.measures import Ratio
from matchedpair.measures.figure import three
from matchedpair.trials import pair_finding


class Finding(unittest.TestCase):
    def test_both_ratios_in_one_sentence(self):
        noise = Ratio(0.612, (0.571, 0.664), "twin", 1, False)
        time = Ratio(1.21, (1.12, 1.31), "wall", 1, False)
        self.assertEqual(
            pair_finding("light picking estimate", noise, time, 2),
            "With light picking estimate the trial has 0.612 of the noise (0.571 to 0.664) and takes 1.21 of the time "
            "(1.12 to 1.31), 2 repeats a side.",
        )

    def test_ties_are_called_ties(self):
        tie = Ratio(1.02, (0.93, 1.12), "wall", 1, True)
        self.assertIn("the same time within what can be told (1.02; 0.930 to 1.12)", pair_finding("x", None, tie, 3))

    def test_no_interval_is_said(self):
        bare = Ratio(0.9, None, "twin", 1, True)
        self.assertIn("(0.900, no interval)", pair_finding("x", bare, None, 2))

    def test_nothing_measured(self):
        self.assertEqual(pair_finding("x", None, None, 0), "Nothing is measured yet.")

    def test_three_digits_and_never_an_exponent(self):
        cases = {0.0: "0", 0.0123456: "0.0123", 1.5: "1.50", 99.96: "100", 12345.6: "12300", 123.4: "123"}
        for value, shown in cases.items():
            self.assertEqual(three(value), shown)
