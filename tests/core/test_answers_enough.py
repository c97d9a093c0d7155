"""Answers to how much of something is enough: samples, levels, pixels, settings of a search, limits of a use."""

import unittest
from dataclasses import replace
from typing import ClassVar

from matchedpair.answers import answer_of
from matchedpair.answers.answer import HIGHER_LEVELS, NOTHING, RENDER_REFERENCE, SEARCH, SEEDS, SURE, UNSURE
from matchedpair.answers.facts import LevelFact, PartFact, SearchFact

from tests.core.answer_cases import ANSWERS, CASES, ladder, search, sizes, thresholds
from tests.core.answer_levels import bounces, clamp, spacing
from tests.core.answer_parts import ratio, seconds


class Samples(unittest.TestCase):
    def test_enough_is_where_visible_noise_crosses_one(self):
        answer = answer_of(ladder({4: 4.0, 16: 2.0, 64: 1.0, 256: 0.5}))
        self.assertRegex(answer.sentence, r"^64 samples are enough \(\d+–\d+\)")
        self.assertEqual(answer.choice, 3)

    def test_what_is_enough_but_for_the_noisiest_tenth_says_so(self):
        steps = {4: 4.0, 16: 2.0, 64: 1.0, 256: 0.5}
        even = answer_of(ladder(steps, {each: 1.05 * seen for each, seen in steps.items()}))
        self.assertRegex(even.sentence, r"^64 samples are enough \(\d+–\d+\): from there the noise cannot be seen")
        self.assertIn("a difference nobody sees.", " ".join(each.text for each in even.because))
        uneven = answer_of(ladder(steps, {each: 1.5 * seen for each, seen in steps.items()}))
        self.assertIn(" for most of the picture, 140 for its noisiest tenth: from there", uneven.sentence)
        self.assertIn("a difference that only the noisiest tenth shows", " ".join(each.text for each in uneven.because))
        stays = answer_of(ladder(steps, dict.fromkeys(steps, 3.0)))
        self.assertIn(" for most of the picture, more than 256 for its noisiest tenth", stays.sentence)
        beyond = answer_of(ladder({16: 2.6, 64: 1.3}, {16: 8.0, 64: 4.0}))
        self.assertRegex(beyond.sentence, r"^(1\d0) samples are enough .* picture, more than \1 for its noisiest tenth")
        first = answer_of(ladder({16: 0.6, 64: 0.3}, {16: 1.5, 64: 0.75}))
        self.assertIn("16 samples are enough for most of the picture, 36 for its noisiest tenth: there", first.sentence)

    def test_beyond_twice_the_ladder_nothing_is_promised(self):
        self.assertTrue(answer_of(ladder({4: 8.0, 16: 4.0, 64: 2.0})).sentence.startswith("More than 64"))

    def test_a_floor_above_what_is_seen_is_said(self):
        answer = answer_of(CASES["Samples with noise that stays"])
        self.assertIn("More of them will not do", answer.because[0].text)

    def test_another_engine_s_samples_are_no_step_of_this_one_s_ladder(self):
        facts = ladder({4: 4.0, 16: 2.0, 64: 1.0, 256: 0.5})
        level = LevelFact("engine", "Engine", "tansy", "Tansy", True)
        strange = [
            replace(each, key=100 + each.key, control=1, engine="Tansy", levels=(level, *each.levels),
                    quality=each.quality * 2, visible_noise=replace(each.visible_noise, value=30.0))
            for each in facts.options
        ]  # fmt: skip
        both = replace(facts, options=(*strange[:2], *facts.options, *strange[2:]))
        self.assertEqual(answer_of(replace(both, question="samples")).sentence, answer_of(facts).sentence)

    def test_of_a_threshold_the_highest_is_told_below_which_nothing_is_seen(self):
        visible = {0.4: 4.0, 0.2: 2.0, 0.1: 1.0, 0.05: 0.5}
        answer = answer_of(thresholds(visible))
        self.assertRegex(
            answer.sentence, r"^Noise threshold 0\.1 is enough \(0\.\d+–0\.1\d*\) for most of the picture, 0\.06"
        )
        self.assertEqual(answer.choice, 3)
        self.assertIn("At 0.2 there is still 2 ΔE of noise.", [claim.text for claim in answer.because])
        self.assertIn("0.05 takes", answer.because[-1].text)

    def test_of_a_threshold_the_samples_that_it_reached_are_what_was_spent(self):
        """Noise goes with the samples, though the threshold only says 1 / 0.6th of what is asked."""
        visible = {0.4: 4.0, 0.2: 2.0, 0.1: 1.2, 0.05: 0.8}
        reached = {0.4: 10.0, 0.2: 40.0, 0.1: 111.1, 0.05: 250.0}
        answer = answer_of(thresholds(visible, reached))
        self.assertRegex(answer.sentence, r"^Noise threshold 0\.07\d* is enough")
        self.assertEqual(answer.choice, 4)

    def test_below_the_lowest_threshold_it_says_so(self):
        answer = answer_of(thresholds({0.4: 12.0, 0.2: 6.0, 0.1: 3.0}))
        self.assertTrue(answer.sentence.startswith("Below 0.1: at noise threshold 0.1 the noise is still visible"))
        self.assertIn("half the noise threshold", answer.because[-1].text)
        self.assertEqual(answer.next.words, "Add lower levels")

    def test_of_one_level_it_is_said_whether_its_noise_shows_and_what_it_would_take(self):
        answer = answer_of(ladder({16: 2.0}))
        self.assertEqual(answer.sentence, "More than 16: at 16 samples the noise is still visible (2 ΔE).")
        self.assertEqual([claim.text for claim in answer.because],
                         ["If it falls as noise mostly does, it takes about 64."])  # fmt: skip
        clean = ANSWERS["One number of samples, not sure yet whether fewer do"]
        self.assertEqual((clean.sure, clean.choice, clean.next.act), (UNSURE, 0, HIGHER_LEVELS))
        running = ladder({16: 2.0})
        running = replace(running, options=tuple(replace(each, open=True) for each in running.options))
        self.assertEqual(answer_of(running).sure, NOTHING)


class Levels(unittest.TestCase):
    def test_more_time_for_nothing_is_said_only_of_times_that_are_apart(self):
        facts = bounces({2: {50: -30.0}, 4: {50: -8.0}, 8: {}})
        self.assertIn("16 takes 44 % more time for nothing.", [each.text for each in answer_of(facts).because])
        unsure = tuple(replace(each, seconds=seconds(each.seconds.value, 0.5)) for each in facts.options)
        told = answer_of(replace(facts, options=unsure)).because
        self.assertFalse([each.text for each in told if "for nothing" in each.text])

    def test_no_change_needs_power(self):
        seen = answer_of(bounces({2: {50: -30.0}, 4: {50: -8.0}, 8: {}}))
        self.assertEqual((seen.sure, seen.sentence[:9]), (SURE, "8 bounces"))
        self.assertEqual(answer_of(bounces({2: {50: -30.0}, 4: {}, 8: {}}, smallest=4.0)).sure, UNSURE)

    def test_a_thing_smaller_than_a_cell_keeps_a_level_from_being_enough(self):
        facts = bounces({2: {50: -30.0}, 4: {50: -0.2}, 8: {50: -0.2}})
        self.assertEqual(answer_of(facts).sentence[:9], "4 bounces")
        ball = PartFact((460, 140, 16, 16), -120.0, 2.0, 0.5)
        with_ball = tuple(replace(row, islands=(ball,)) if row.trial == 3 else row for row in facts.pairs)
        answer = answer_of(replace(facts, pairs=with_ball))
        self.assertEqual(answer.sentence[:9], "8 bounces")
        self.assertIn(
            "With 4 it is 2 stops darker in a small part of the", " ".join(claim.text for claim in answer.because)
        )

    def test_levels_that_do_nothing_need_no_power(self):
        answer = ANSWERS["Bounces of which the last do nothing"]
        self.assertEqual(answer.sentence, "8 bounces: beyond that the pictures are the same to the last bit.")
        changes = {8: {50: 30.0}, 16: {50: 30.0}}
        noisy = spacing({1: 1.0, 8: 0.99, 16: 0.99}, {}, changes=changes, smallest=9.0)
        answer = answer_of(noisy)
        self.assertEqual(answer.sure, SURE, "alike in all cells, though the control of both is another")
        self.assertTrue(answer.sentence.startswith("Gather spacing 8: beyond that the pictures are"), answer.sentence)
        changes[16] = {50: 30.0, 51: 0.06}
        self.assertEqual(
            answer_of(spacing({1: 1.0, 8: 0.99, 16: 0.99}, {}, changes=changes, smallest=9.0)).sure, UNSURE
        )

    def test_0_that_switches_a_setting_off_is_its_highest_level(self):
        answer = ANSWERS["A clamp of which 0 is off"]
        self.assertTrue(answer.sentence.startswith("Gather spacing 16: beyond that nothing changes"), answer.sentence)
        self.assertEqual(answer.because[-1].text, "0 is off here: it looks more like 16 than like 1.")
        self.assertTrue(ANSWERS["A clamp of which none is off enough"].sentence.startswith("More than 16"))
        counted = answer_of(clamp({0: {50: -50.0}, 1: {50: -40.0}, 4: {50: 0.1}}))
        self.assertTrue(counted.sentence.startswith("Gather spacing 4"), counted.sentence)
        self.assertFalse([claim for claim in counted.because if "off" in claim.text])

    def test_the_highest_need_not_be_the_control(self):
        facts = bounces({2: {50: 0.1}, 4: {50: 0.05}, 32: {50: 9.0}})
        answer = answer_of(facts)
        self.assertTrue(answer.sentence.startswith("More than 16"), answer.sentence)


class BothEnds(unittest.TestCase):
    NOISES: ClassVar = {0.1: 3.3, 0.2: 1.8, 0.4: 1.0, 0.8: 0.9, 1.6: 0.9}

    def test_the_levels_between_grain_and_patches_are_right_and_the_quickest_of_them_is_chosen(self):
        answer = ANSWERS["A setting that is bad at both ends"]
        wrong = "below it is grainy, above it has uneven patches"
        self.assertEqual(answer.sentence, f"Gather spacing 0.2 to 0.4: {wrong}.")
        self.assertEqual((answer.sure, answer.choice), (SURE, 4))
        told = [claim.text for claim in answer.because]
        self.assertEqual(told[0], "With 0.8 it has uneven patches of 4.8 %, other ones with each seed.")
        self.assertEqual(told[1:], ["With 0.1 it has 2.3 × the noise of 0.4.",
                                    "0.4 comes to the same noise in the least time."])  # fmt: skip

    def test_the_highest_level_is_no_truth_where_it_is_the_patchy_one(self):
        """Against the patchy end every level changes; against the sound one only the patchy ones do."""
        lost = {0.1: {50: -20.0}, 0.2: {50: -20.0}, 0.8: {50: -20.0}, 1.6: {}}
        facts = spacing({value: 1.0 if value == 1.6 else noise + 0.05 for value, noise in self.NOISES.items()},
                        {1.6: 6.0}, changes=lost | {0.4: {50: -20.0}})  # fmt: skip
        self.assertIn("above it has uneven patches", answer_of(facts).sentence)
        self.assertIn("gather spacing 0.4 to 0.8", answer_of(facts).sentence.lower())

    def test_light_that_changes_before_patches_show_ends_the_levels_too(self):
        facts = spacing(self.NOISES, {1.6: 6.0}, changes={0.8: {50: 15.0}, 1.6: {50: 30.0}})
        answer = answer_of(facts)
        self.assertEqual(answer.sentence, "Gather spacing 0.4: below it is grainy, above the light changes.")
        self.assertIn("With 0.8 it is 0.22 stops brighter in a part of the", answer.because[0].text)

    def test_patches_that_nobody_sees_are_no_fault(self):
        self.assertTrue(answer_of(spacing(self.NOISES, {1.6: 1.5})).sentence.startswith("Gather spacing 0.1: beyond"))

    def test_low_levels_with_patches_are_too_little_though_their_light_is_the_same(self):
        answer = ANSWERS["A setting whose low levels have patches"]
        self.assertEqual(answer.sentence, "Gather spacing from 32: below it has uneven patches.")

    def test_patches_that_the_best_level_has_too_are_not_passed_over(self):
        answer = ANSWERS["A setting that has patches at both ends"]
        self.assertEqual(answer.sentence, "Gather spacing up to 4: above it has more patches.")
        self.assertIn("with 4 too it has uneven patches, of 4.2 %", answer.but[0].text)
        self.assertEqual(ANSWERS["A setting that is bad at both ends"].but, ())

    def test_a_level_is_not_called_right_where_a_change_could_have_hidden(self):
        answer = ANSWERS["A setting that is bad at both ends, not sure yet"]
        self.assertEqual((answer.sure, answer.choice, answer.next.act), (UNSURE, 0, SEEDS))
        self.assertIn("gather spacing 0.2 to 0.4 looks right, but in the", answer.sentence)


class Truest(unittest.TestCase):
    def test_where_the_low_end_takes_more_time_it_is_what_the_others_are_compared_with(self):
        answer = ANSWERS["A setting whose low levels take more time"]
        self.assertTrue(
            answer.sentence.startswith("Gather spacing up to 8: below that nothing changes"), answer.sentence
        )
        self.assertEqual((answer.sure, answer.choice), (SURE, 3))
        told = [claim.text for claim in answer.because]
        self.assertIn("With 16 it is 0.17 stops brighter in a part of the", told[0])
        self.assertIn("2 takes 200 % more time for nothing.", told)
        less = ANSWERS["A setting whose low levels take more time, of which none is enough"]
        self.assertTrue(less.sentence.startswith("Less than 4: the picture with 4 still differs"), less.sentence)

    def test_levels_that_come_no_closer_to_the_highest_have_no_truth_without_a_reference(self):
        answer = ANSWERS["A setting of which without a reference nobody knows the right end"]
        self.assertEqual((answer.sure, answer.choice, answer.next.act), (UNSURE, 0, RENDER_REFERENCE))
        self.assertIn("nothing tells which level is right", answer.sentence)
        timeless = dict.fromkeys((1, 2, 4))
        unknown = spacing({1: 1.01, 2: 1.0, 4: 0.99}, {}, changes={1: {50: 8.0}, 4: {50: 9.0}}, times=timeless)
        self.assertEqual(answer_of(unknown).because[0].text, "No render time is known.")
        closer = spacing({1: 1.01, 2: 1.0, 4: 0.99}, {}, changes={1: {50: -30.0}, 4: {50: 9.0}})
        self.assertTrue(answer_of(closer).sentence.startswith("More than 2"), "they come closer")

    def test_a_reference_tells_it(self):
        answer = ANSWERS["A setting that the reference judges"]
        self.assertEqual(answer.sentence, "Gather spacing 2 comes nearest to the reference: 1.9 ΔE.")
        self.assertEqual((answer.sure, answer.choice), (SURE, 1))
        self.assertEqual([claim.text for claim in answer.because], ["1 is 3.1 ΔE off and 4 is 4.2 ΔE off."])
        near = spacing({1: 1.01, 2: 1.0, 4: 0.99}, {}, changes={1: {50: 8.0}, 4: {50: 9.0}},
                       errors={1: 2.2, 2: 1.9, 4: 4.2})  # fmt: skip
        self.assertIn("1 and 2 come as near", answer_of(near).sentence)


class Sizes(unittest.TestCase):
    def test_what_the_eye_sees_at_one_size_decides_and_detail_where_it_sees_no_difference(self):
        for errors, details, start in (
            ((1.9, 2.6), (0.6, 0.9), "More pixels"), ((2.6, 1.9), (0.9, 0.6), "More samples"),
            ((0.80, 0.78), (0.9, 0.6), "More pixels"), ((1.8, 1.7), (0.97, 0.64), "More pixels"),
            ((1.8, 1.7), (0.9, 0.9), "Either"), ((0.9, 0.5), (0.9, 0.88), "Either"),
        ):  # fmt: skip
            self.assertTrue(answer_of(sizes(errors, details)).sentence.startswith(start), (errors, details))

    def test_time_that_is_not_the_same_is_said(self):
        for times, said in (
            ((20.0, 16.5), "it takes 18 % less time"), ((20.0, 9.0), "it takes 0.45 × the time"),
            ((9.0, 20.0), "but it takes 2.2 × the time"), ((20.0, 20.4), "no measurable difference in time (±7.1 %)"),
        ):  # fmt: skip
            self.assertIn(said, answer_of(sizes((2.9, 1.7), times=times)).sentence)

    def test_without_a_reference_the_largest_size_is_named_and_noise_ranks_nothing(self):
        answer = answer_of(sizes(None))
        self.assertEqual((answer.sure, answer.next.act, answer.next.options), (UNSURE, RENDER_REFERENCE, (1,)))
        self.assertIn("960×540", answer.next.words)


class Searches(unittest.TestCase):
    def test_it_tells_what_it_saved_and_what_changed_most(self):
        answer = answer_of(search())
        self.assertEqual((answer.sure, answer.choice), (SURE, 2))
        self.assertIn("4 of 6 settings", answer.sentence)
        self.assertIn("takes 0.61 × the time", answer.sentence)
        self.assertIn("0.012 stops brighter overall", answer.sentence)

    def test_a_time_that_is_not_told_apart_comes_with_how_far_that_is_known(self):
        told = answer_of(search(time=ratio(0.8, 0.5, tie=True, method="wall"))).sentence
        self.assertIn("the result brings no measurable change in render time (±50 %), and nothing changes", told)

    def test_a_change_that_could_have_been_missed_asks_for_seeds_and_is_not_called_saved(self):
        answer = answer_of(search(seen=2.5))
        self.assertEqual((answer.sure, answer.choice, answer.next.act), (UNSURE, 0, SEEDS))

    def test_while_seeds_are_to_come_no_more_are_asked_for(self):
        facts = search(seen=2.5)
        facts = replace(facts, options=tuple(replace(each, open=True) for each in facts.options))
        self.assertEqual((answer_of(facts).sure, answer_of(facts).next), (UNSURE, None))

    def test_a_result_that_shows_at_full_size_is_not_chosen(self):
        self.assertEqual(answer_of(search(threshold_share=1.8)).choice, 1)

    def test_what_smaller_renders_did_not_show_leads_to_a_search_at_full_size(self):
        self.assertIsNone(answer_of(search(threshold_share=1.8)).next)
        self.assertEqual(answer_of(search(threshold_share=1.8, scale=0.5)).next.act, SEARCH)

    def test_how_much_of_what_is_allowed_was_used_is_said_and_what_anyone_sees_of_it(self):
        answer = ANSWERS["A search whose thresholds are wide"]
        self.assertIn("(largest: 0.15 stops darker in frame 11, 99 % of what you allow)", answer.sentence)
        seen = "your thresholds allow what can be seen: it is 0.15 stops darker overall"
        self.assertEqual([claim.text for claim in answer.but], [seen])
        self.assertEqual(answer_of(search()).but, ())

    def test_pictures_that_cannot_be_compared_are_no_change_beyond_thresholds(self):
        answer = ANSWERS["A search that is not sure yet, its pictures are not comparable"]
        self.assertEqual((answer.sure, answer.choice), (UNSURE, 0))
        self.assertIn("but at full size the pictures cannot be compared: the control is black", answer.sentence)

    def test_settings_that_noise_hid_are_not_called_the_least(self):
        hidden = replace(search(), searches=(SearchFact("done", 6, 0, unsure=4),))
        self.assertEqual((answer_of(hidden).sure, answer_of(hidden).next.act), (UNSURE, HIGHER_LEVELS))
        self.assertEqual([claim.text for claim in answer_of(search(unsure=2)).but],
                         ["noise hides whether 2 more can be lower"])  # fmt: skip


class Uses(unittest.TestCase):
    def test_choice_time_production_what_would_overturn_it_and_where_it_fails(self):
        answer = ANSWERS["A use with a choice"]
        self.assertEqual(
            answer.sentence,
            "Animation: Tansy, 64 gather rays, 3 s a frame: within every limit, 1.8 × faster than the control; "
            "1,440 frames on 2 machines take 36 min instead of 65 min.",
        )
        self.assertEqual(
            answer.because[0].text,
            "It would be Alder, 48 samples if the limit on noise, worst zone were 16 % instead of 20 %.",
        )
        self.assertEqual(
            (answer.but[0].text, answer.but[0].proof.pair),
            ("it fails in Mist lane: 0.46 stops darker than the control", 12),
        )

    def test_a_limit_within_the_interval_is_no_certainty(self):
        self.assertEqual(ANSWERS["A use whose choice lies at a limit"].sure, UNSURE)
