import unittest
from collections import Counter
from random import Random

from hypothesis import given
from hypothesis import strategies as st
from matchedpair.judging.blind import ANSWERS, BETTER, SAME, Answered, blind_result, plan_rounds, smallest_shown
from scipy.stats import binomtest

from tests.inner_loop import long


def answers(right, wrong, differs=True):
    """Rounds of a test for a difference, so many answered rightly and so many wrongly."""
    said = {True: "different", False: "same"}
    return [Answered(differs, "control", said[differs])] * right + [
        Answered(differs, "control", said[not differs])
    ] * wrong


class Planning(unittest.TestCase):
    @given(st.integers(6, 60), st.integers(0, 10**6), st.integers(1, 4))
    def test_half_of_the_rounds_differ_and_no_round_shows_the_same_seed_twice(self, count, luck, seeds):
        own = list(range(1, seeds + 1))
        rounds = plan_rounds(SAME, count, ["", "Shelf"], own, own, Random(luck))
        self.assertEqual(len(rounds), count)
        self.assertLessEqual(abs(2 * sum(each.differs for each in rounds) - count), 1)
        if seeds > 1:
            self.assertTrue(all(each.left.seed != each.right.seed for each in rounds))
        zones = Counter(each.zone for each in rounds)
        self.assertLessEqual(abs(zones[""] - zones["Shelf"]), 1)

    @given(st.integers(6, 60), st.integers(0, 10**6))
    def test_preference_shows_both_sides_with_each_as_often_on_the_left(self, count, luck):
        rounds = plan_rounds(BETTER, count, [], [1, 2], [1, 2], Random(luck))
        self.assertTrue(all(each.differs for each in rounds))
        left = Counter(each.left.side for each in rounds)
        self.assertLessEqual(abs(left["control"] - left["trial"]), 1)

    def test_the_order_cannot_be_foreseen(self):
        def orders(kind):
            made = [plan_rounds(kind, 16, [], [1, 2], [1, 2], Random(luck)) for luck in range(40)]
            return {tuple((each.left.side, each.right.side) for each in rounds) for rounds in made}

        self.assertGreater(len(orders(SAME)), 35)
        self.assertGreater(len(orders(BETTER)), 35)

    def test_what_cannot_be_planned_is_said(self):
        dice = Random(1)
        for kind, count, control, message in (
            ("odd", 16, [1], "is one of same, better"), (SAME, 3, [1], "6 to 200 rounds, got 3"),
            (SAME, 16, [], "finished render"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ValueError, message):
                plan_rounds(kind, count, [], control, [1], dice)


class Results(unittest.TestCase):
    def test_right_answers_count_in_both_kinds_of_round(self):
        result = blind_result(SAME, answers(7, 1) + answers(6, 2, differs=False))
        self.assertEqual((result.rounds, result.count, result.told), (16, 13, True))
        self.assertAlmostEqual(result.p, binomtest(13, 16, 0.5, alternative="greater").pvalue)
        low, high = binomtest(13, 16, 0.5).proportion_ci(0.95, method="exact")
        self.assertEqual(result.interval, (low, high))
        self.assertEqual(result.sentence, "The difference is seen: 13 of 16 right (54 to 96 %).")

    def test_saying_same_to_everything_is_guessing(self):
        result = blind_result(SAME, answers(0, 8) + answers(8, 0, differs=False))
        self.assertEqual((result.count, result.told), (8, False))
        self.assertRegex(
            result.sentence, r"^No difference was seen: 8 of 16 right .*; 16 rounds would have shown 8\d %"
        )

    def test_a_preference_is_for_a_side_and_not_for_a_place(self):
        rounds = [Answered(True, "trial", "left"), Answered(True, "control", "right")] * 7
        self.assertEqual(blind_result(BETTER, rounds).count, 14)
        self.assertRegex(blind_result(BETTER, rounds).sentence, "^The trial is preferred: .* 14 of 14 rounds")
        always_left = [Answered(True, "trial", "left"), Answered(True, "control", "left")] * 7
        self.assertRegex(blind_result(BETTER, always_left).sentence, "^No preference")
        against = [Answered(True, "trial", "right"), Answered(True, "control", "left")] * 7
        self.assertRegex(blind_result(BETTER, against).sentence, "^The control is preferred: the trial .* 0 of 14")

    @long
    def test_what_it_could_have_shown_holds_in_a_simulation(self):
        dice = Random(3)
        for kind, rounds in ((SAME, 16), (BETTER, 24)):
            share = smallest_shown(kind, rounds)
            told = 0
            for _ in range(800):
                right = sum(dice.random() < share for _ in range(rounds))
                made = answers(right, rounds - right)
                if kind == BETTER:
                    made = [Answered(True, "trial", "left")] * right + [Answered(True, "trial", "right")] * (
                        rounds - right
                    )
                told += blind_result(kind, made).told
            self.assertGreater(told / 800, 0.76)
            self.assertLess(told / 800, 0.93)

    def test_too_few_rounds_can_show_nothing(self):
        self.assertIsNone(smallest_shown(SAME, 4))
        self.assertIn("too few to tell anything", blind_result(SAME, answers(2, 2)).sentence)
        self.assertIsNone(blind_result(SAME, []))

    def test_the_answers_of_each_kind(self):
        self.assertEqual(ANSWERS, {"same": ("same", "different"), "better": ("left", "right")})
