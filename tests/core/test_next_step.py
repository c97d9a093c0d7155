import unittest

from matchedpair.plans import PLAN_KINDS, QUESTIONS, is_place, question_named
from matchedpair.queue.next_step import BY_CODE, NOTHING_CHANGED, steps_for


class NextSteps(unittest.TestCase):
    def test_every_finding_that_stops_measuring_has_advice(self):
        for code in ("unreadable", "size", "not_finite", "black", "flat", "encoded"):
            self.assertEqual(steps_for([code]), [BY_CODE[code]])

    def test_identical_pictures_name_the_switch_that_is_off_where_it_is_known(self):
        self.assertEqual(steps_for(["identical"]), [NOTHING_CHANGED])
        (step,) = steps_for(["identical"], switched_off=["Photons", "Focused light"])
        self.assertEqual(step, "Switch on Photons and Focused light as well: the effect needs it.")

    def test_a_failed_render_is_read_by_its_reason(self):
        cases = {
            "Glint was ended at its time limit of 9 s.": "Raise the time limit",
            "Glint failed (signal SIGKILL).": "ended from outside or crashed",
            "Glint failed (exit code 3): out of memory": "end of its log",
        }
        for reason, words in cases.items():
            self.assertIn(words, steps_for([], reason=reason)[0])
        self.assertEqual(steps_for([], reason="Stopped by hand."), [])

    def test_nothing_is_said_twice(self):
        self.assertEqual(steps_for(["black", "black"]), [BY_CODE["black"]])


class Questions(unittest.TestCase):
    def test_each_names_a_kind_that_there_is_and_fits_the_number_of_its_factors(self):
        kinds = {kind.name: kind for kind in PLAN_KINDS}
        for question in QUESTIONS:
            kind = kinds[question.kind]
            self.assertLessEqual(len(question.subjects), kind.most_factors, question.name)
            if kind.subjects:
                named, all_of_it = set(question.subjects), set(kind.subjects)
                self.assertTrue(all_of_it - set(kind.may) <= named <= all_of_it, question.name)
            self.assertTrue(question.measures, question.name)
        self.assertEqual(len({question.name for question in QUESTIONS}), len(QUESTIONS))

    def test_one_that_is_not_known_is_one_s_own(self):
        self.assertEqual(question_named("anything").name, "own")

    def test_places_and_ways_are_told_apart(self):
        places = ("scene", "view", "frame", "light", "size", "quantity:mist_density")
        self.assertTrue(all(map(is_place, places)))
        self.assertFalse(any(map(is_place, ("engine", "version", "preset", "samples", "time_budget", "quality"))))
