import unittest

from matchedpair.answers import Matched, ZoneFact, pair_sentence, plain_look
from matchedpair.measures import Ratio
from matchedpair.measures.figure import PlaceSpread, three


class PairSentence(unittest.TestCase):
    def test_both_changes_in_one_sentence(self):
        noise = Ratio(0.612, (0.571, 0.664), "places", 1, False)
        time = Ratio(1.21, (1.12, 1.31), "wall", 1, False)
        self.assertEqual(
            pair_sentence("light picking estimate", noise, time, 2),
            "Light picking estimate: 39 % less noise (34–43 %), 21 % more render time (12–31 %), 2 seeds each.",
        )

    def test_ties_are_no_change(self):
        tie = Ratio(1.02, (0.93, 1.12), "wall", 1, True)
        self.assertIn("no measurable change in render time (±9.7 %), 3 seeds each", pair_sentence("x", None, tie, 3))

    def test_a_part_whose_noise_goes_another_way_is_said_with_no_difference(self):
        for noisier, cleaner, said in (
            (0.0, 0.09, "no difference in noise (±2 %), 2"),
            (0.149, 0.0, "no difference in noise in most of the picture (±2 %), noisier in at least 14 % of it, 2"),
            (0.3, 0.25, "no difference in noise on the whole (±2 %), cleaner in at least 25 % of it and noisier in at "
             "least 30 % of it, 2"),
        ):  # fmt: skip
            spread = PlaceSpread(noisier, cleaner, 0.8, 1.3, 2000, 0)
            tie = Ratio(1.0, (0.98, 1.02), "places", 1, True, spread=spread)
            self.assertIn(said, pair_sentence("x", tie, None, 2))

    def test_a_large_part_whose_noise_goes_another_way_is_said_with_a_difference_too(self):
        for value, noisier, cleaner, said in (
            (0.63, 0.32, 0.6, "37 % less noise in most of the picture (36–38 %), noisier in at least 32 % of it, 4"),
            (1.3, 0.6, 0.25, "30 % more noise in most of the picture (28–32 %), cleaner in at least 25 % of it, 4"),
            (0.63, 0.15, 0.6, "37 % less noise (36–38 %), 4"),
        ):  # fmt: skip
            apart = Ratio(value, (value / 1.016, value * 1.016), "places", 1, False,
                          spread=PlaceSpread(noisier, cleaner, 0.8, 1.3, 2000, 0))  # fmt: skip
            self.assertIn(said, pair_sentence("x", apart, None, 4))

    def test_much_faster_is_said_in_times(self):
        fast = Ratio(0.292, (0.243, 0.345), "wall", 1, False)
        self.assertIn("3.4 × faster (2.9–4.1)", pair_sentence("x", None, fast, 2))

    def test_nothing_measured(self):
        self.assertEqual(pair_sentence("x", None, None, 0), "Nothing is measured yet.")
        same = pair_sentence("guiding on", None, None, 2, identical=True)
        self.assertEqual(same, "Guiding on: the pictures are the same to the last bit, 2 seeds each.")

    def test_a_plain_change_of_look_is_said_beside_less_noise(self):
        noise = Ratio(0.15, (0.14, 0.16), "places", 1, False)
        for by, said in ((0.9, "2 seeds each, but it is 0.9 stops brighter in Shelf."), (0.05, "2 seeds each.")):
            shelf = ZoneFact("Shelf", None, None, by, (by - 0.01, by + 0.01), 0.1)
            look = plain_look([ZoneFact("whole", noise, None, 0.0, None, 0.1), shelf], (), (320, 180))
            self.assertTrue(pair_sentence("sedge", noise, None, 2, look=look).endswith(said))

    def test_a_softer_trial_says_so_in_place_of_its_noise(self):
        time, seen = Ratio(2.0, (1.9, 2.1), "wall", 1, False), Ratio(0.64, (0.62, 0.66), "places", 1, False)
        self.assertEqual(
            pair_sentence("smoothing on", None, time, 2, visible=seen, sharpness=0.17),
            "Smoothing on: softer, with 17 % of the finest detail left, 36 % less visible noise (34–38 %), "
            "2 × the render time (1.9–2.1), 2 seeds each.",
        )

    def test_patches_are_never_matched_with_grain_without_saying_so(self):
        noise, seen = Ratio(1.01, (0.97, 1.05), "places", 1, True), Ratio(1.8, (1.7, 1.9), "places", 1, False)
        self.assertIn("but 1.8 × the visible noise", pair_sentence("x", noise, None, 2, visible=seen))
        matched = Matched("noise", "whole", noise, seen)
        self.assertFalse(matched.well)
        self.assertEqual(matched.words(), "Matched in the figure, not to the eye (1.8 × the visible noise)")
        self.assertEqual(Matched("noise", "Deep shelf", noise).words(), "Matched on noise in Deep shelf, 1 % apart")

    def test_three_digits_and_never_an_exponent(self):
        cases = {0.0: "0", 0.0123456: "0.0123", 1.5: "1.50", 99.96: "100", 12345.6: "12300", 123.4: "123"}
        for value, shown in cases.items():
            self.assertEqual(three(value), shown)
