"""Is this feature worth its time, on plain figures."""

import unittest
from dataclasses import replace

from matchedpair.answers import answer_of
from matchedpair.answers.answer import LOOK, NOTHING, SEEDS, SURE, UNSURE
from matchedpair.answers.facts import PartFact
from matchedpair.measures.figure import Figure, Ratio

from tests.core.answer_cases import (
    CASES,
    against_reference,
    feature,
    unchanged,
)
from tests.core.answer_parts import ratio, readings, zone


class Features(unittest.TestCase):
    def test_time_to_the_same_noise_decides_and_not_noise_or_time_alone(self):
        saved = answer_of(feature(ratio(0.80, 0.03), ratio(1.27, 0.05)))
        self.assertEqual((saved.sure, saved.choice), (SURE, 2))
        self.assertIn("saves 18 % of the time", saved.sentence)
        lost = answer_of(feature(ratio(0.97, 0.02), ratio(1.4, 0.05)))
        self.assertEqual((lost.sure, lost.choice), (SURE, 1))

    def test_getting_ready_is_paid_once_and_not_scaled_by_noise(self):
        facts = feature(ratio(0.5, 0.02), ratio(1.0, 0.02))
        slow = replace(facts, options=tuple(replace(each, ready=40.0) for each in facts.options))
        self.assertIn("25 % of the time", answer_of(slow).sentence)

    def test_the_seeds_asked_for_follow_the_square_law_and_have_a_cap(self):
        few, many = (answer_of(feature(ratio(0.98, half), ratio(1.0, half))) for half in (0.03, 0.06))
        self.assertEqual((few.next.act, many.next.act), (SEEDS, SEEDS))
        self.assertGreater(many.next.seeds, 2 * few.next.seeds)
        self.assertNotEqual(answer_of(CASES["A feature that seeds cannot settle"]).next.act, SEEDS)

    def test_where_only_times_scatter_too_much_longer_renders_are_asked_for_and_not_more_pixels(self):
        noise, time = ratio(0.995, 0.01), ratio(1.0, 0.5, method="wall")
        self.assertIn("its time scatters", answer_of(feature(noise, time)).next.words)
        self.assertIn("more pixels", answer_of(feature(ratio(0.995, 0.5), ratio(1.0, 0.01))).next.words)
        self.assertIn("its time scatters", answer_of(unchanged(time)).next.words)

    def test_what_changes_no_bit_is_judged_by_its_time_alone(self):
        wanted = {"": (SURE, 1), ", and takes longer": (SURE, 1), ", and saves time": (SURE, 2),
                  ", its time not sure yet": (UNSURE, 0), ", without times": (SURE, 1)}  # fmt: skip
        for more, told in wanted.items():
            answer = answer_of(CASES[f"A feature that changes no picture{more}"])
            self.assertEqual((answer.sure, answer.choice), told, answer.sentence)
            self.assertIn("to the last bit", answer.sentence)
            hint = any("switched on with it" in claim.text for claim in answer.but)
            self.assertEqual(hint, more != ", and saves time")
        own = replace(CASES["A feature that changes no picture"], question="own")
        self.assertIn("the same to the last bit", answer_of(own).sentence)

    def test_where_rare_specks_decide_a_look_is_asked_for_and_not_seeds(self):
        """The farther end of noise's interval is its reading without them, and the time asked for lies between both."""
        facts = CASES["A feature that turns on rare specks"]
        answer = answer_of(facts)
        self.assertEqual((answer.sure, answer.next.act), (UNSURE, LOOK))
        self.assertIn("rare bright specks", answer.next.words)
        self.assertEqual(answer.shown.pair, facts.pairs[0].key)
        either = replace(facts.pairs[0], noise=readings(0.6, 0.05, other=0.7), time=ratio(1.0, 0.02))
        self.assertEqual(answer_of(replace(facts, pairs=(either,))).sure, SURE)
        chance = replace(facts.pairs[0], noise=ratio(1.08, 0.3))
        self.assertEqual(answer_of(replace(facts, pairs=(chance,))).next.act, SEEDS)
        endless = replace(facts.pairs[0], noise=Ratio(0.9, (0.0, 1.2), "places", 1, True))
        self.assertEqual(answer_of(replace(facts, pairs=(endless,))).sure, NOTHING)

    def test_one_seed_and_refused_noise_say_why_nothing_is_compared(self):
        facts = feature(None, None, refused={"noise_ratio": "the trial: there is no twin"})
        answer = answer_of(facts)
        self.assertEqual(answer.sentence, "These renders cannot be compared.")
        self.assertEqual([claim.text for claim in answer.because], ["The trial: there is no twin."])

    def test_a_shift_within_its_interval_is_no_change_of_look(self):
        unsure = feature(ratio(0.8), ratio(1.0), zones=(zone("Shelf", stops=0.05, half=0.06),))
        self.assertTrue(answer_of(unsure).sentence.startswith("Yes: "))

    def test_a_small_shift_is_a_but_and_a_plain_one_comes_first(self):
        small, plain = (
            answer_of(feature(ratio(0.6), ratio(1.0), zones=(zone("Shelf", stops=by, half=0.01),)))
            for by in (0.06, 0.3)
        )  # fmt: skip
        self.assertTrue(small.sentence.startswith("Yes: "))
        self.assertIn("it is 0.06 stops brighter in Shelf", [claim.text for claim in small.but])
        self.assertTrue(plain.sentence.startswith("It changes the picture: it is 0.3 stops brighter in Shelf"))

    def test_where_a_large_part_gets_noisier_a_typical_place_s_noise_is_not_said_of_all_of_it(self):
        most = ratio(0.63, noisier=0.32)
        most = replace(most, spread=replace(most.spread, ninetieth=1.79))
        answer = answer_of(feature(most, ratio(1.1)))
        self.assertTrue(answer.sentence.startswith("Yes, in most of the picture: "), answer.sentence)
        self.assertIn("37 % less noise in most of the picture (", answer.because[0].text)
        told = "it is noisier in at least 32 % of the picture, in a tenth of it by 79 % or more"
        self.assertIn(told, [claim.text for claim in answer.but])
        cleaner = answer_of(feature(ratio(1.5, noisier=0.5, cleaner=0.4), ratio(1.1)))
        self.assertTrue(cleaner.sentence.startswith("No, in most of the picture: "), cleaner.sentence)
        self.assertTrue(answer_of(feature(ratio(0.63, noisier=0.19), ratio(1.1))).sentence.startswith("Yes: "))
        alike = answer_of(CASES["A pair matched on noise that is noisier here and cleaner there"])
        self.assertIn("noisier in at least 30 % of the picture", alike.but[0].text)
        self.assertTrue(alike.sentence.startswith("Same noise on the whole at 29 samples"), alike.sentence)

    def test_of_a_change_of_look_it_is_said_which_side_is_nearer_to_the_reference(self):
        look = feature(ratio(1.0, 0.02), ratio(1.7), zones=(zone("Shelf", stops=0.3),))
        told = (
            "Light picking estimate is nearer to the reference: 0.7 ΔE off against 1; noise alone would be 0.7 and 0.7."
        )
        self.assertEqual(answer_of(against_reference(look, 1.04, 0.70)).because[0].text, told)
        self.assertIn("The control is nearer", answer_of(against_reference(look, 0.70, 1.04)).because[0].text)
        for silent in (
            against_reference(look, 0.72, 0.70),
            against_reference(look, 1.04, 0.70, engine="Tansy"),
            against_reference(look, 1.04, None),
        ):
            self.assertNotIn("nearer", " ".join(claim.text for claim in answer_of(silent).because))

    def test_a_part_in_which_its_noise_shows_more_is_a_but_where_the_whole_says_none(self):
        more = "its noise shows more in at least 20 % of the picture"
        for noise, visible, said in (
            (ratio(0.8, noisier=0.2), None, "it is noisier in at least 20 % of the picture"),
            (ratio(0.8, noisier=0.2), ratio(0.8, noisier=0.3), "it is noisier in at least 20 % of the picture"),
            (ratio(0.8, noisier=0.09), ratio(0.8, noisier=0.2), more),
            (ratio(1.0, noisier=0.0), ratio(1.0, noisier=0.2), more),
            (ratio(1.0, noisier=0.2), None, None),  # said with the noise itself
            (ratio(1.0, noisier=0.0), ratio(1.5, noisier=0.7), None),  # more shows in all of it, which is said
            (ratio(1.3, noisier=0.9), None, None),
        ):
            told = [claim.text for claim in answer_of(feature(noise, ratio(1.0), visible=visible)).but]
            parts = [text for text in told if "at least" in text]
            self.assertEqual(parts, [] if said is None else [said], (noise, visible))

    def test_a_part_that_only_lacks_specks_is_said_to(self):
        for specks, said in ((True, ", all of it in bright specks"), (False, "")):
            part = PartFact((0, 0, 40, 34), -12.0, 1.0, specks=specks)
            told = answer_of(feature(ratio(0.8), ratio(1.0), found=True, islands=(part,)))
            self.assertIn(f"It changes the picture: it is 0.17 stops darker in a part of the upper left{said}, with",
                          told.sentence)  # fmt: skip

    def test_fireflies_and_detail_are_a_but_only_beyond_chance(self):
        def told(name, control, trial):
            figures = [Figure(value, "", ends, "twin", 1) for value, ends in (control, trial)]
            facts = feature(ratio(0.8), ratio(1.0))
            sides = [replace(side, **{name: each}) for side, each in zip(facts.options, figures, strict=True)]
            return [claim.text for claim in answer_of(replace(facts, options=tuple(sides))).but]

        one, none, many = (7.7, (0.2, 43.0)), (0.0, (0.0, 28.0)), (467.0, (400.0, 540.0))
        self.assertEqual(told("fireflies", none, one), [], "one firefly more is chance")
        self.assertEqual(told("fireflies", one, many), ["fireflies rise from 7.7 to 467 per megapixel"])
        self.assertEqual(told("fireflies", many, one), [])
        whole, noisy, less = (1.0, (0.97, 1.03)), (0.9, (0.7, 1.1)), (0.8, (0.75, 0.85))
        self.assertEqual(told("detail", whole, noisy), [])
        self.assertEqual(told("detail", whole, less), ["it keeps 80 % of the finest detail, the control 100 %"])

    def test_what_another_picture_costs_reads_on(self):
        for cost, said in (
            (ratio(1.3, 0.02), ", for 30 % more render time"), (ratio(0.8, 0.02), ", with 20 % less render time"),
            (ratio(0.4, 0.02), ", with rendering 2.5 × faster"), (ratio(1.0, 0.05), ", with no measurable change"),
        ):  # fmt: skip
            answer = answer_of(feature(ratio(0.6), cost, zones=(zone("Shelf", stops=0.3, half=0.01),)))
            self.assertIn(f"brighter in Shelf{said}", answer.sentence)

    def test_the_proof_of_each_claim_is_the_pair(self):
        answer = answer_of(feature(ratio(0.8), ratio(1.0), zones=(zone("Awning", noise=ratio(1.3, 0.03)),)))
        self.assertEqual({claim.proof.pair for claim in (*answer.because, *answer.but)}, {102})
        self.assertEqual([claim.proof.zone for claim in answer.but], ["Awning"])
