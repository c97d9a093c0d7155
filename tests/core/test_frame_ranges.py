"""Settings at some frames joined to ranges, with known answers."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from matchedpair.search.frame_ranges import FrameRange, constant, joined, waste
from matchedpair.search.raising import Ladder

LADDERS = [Ladder("bounces", (1, 2, 4, 8)), Ladder("rays", (16, 64, 256))]


def at(bounces, rays, **more):
    return {"bounces": bounces, "rays": rays, **more}


class Ranges(unittest.TestCase):
    def test_between_two_frames_the_higher_of_both_holds(self):
        found = {1: at(2, 64, clamp=5.0), 5: at(8, 16, clamp=5.0), 9: at(8, 16, clamp=5.0)}
        self.assertEqual(joined(found, LADDERS, first=1, last=10), (
            FrameRange(1, 1, at(2, 64, clamp=5.0)), FrameRange(2, 4, at(8, 64, clamp=5.0)),
            FrameRange(5, 10, at(8, 16, clamp=5.0)),
        ))  # fmt: skip

    def test_before_the_first_and_after_the_last_the_nearest_holds(self):
        found = {5: at(2, 16), 6: at(4, 16)}
        ranges = joined(found, LADDERS, first=1, last=20)
        self.assertEqual([(row.first, row.last, row.settings["bounces"]) for row in ranges], [(1, 5, 2), (6, 20, 4)])

    def test_safety_adds_levels_as_far_as_the_ladder_goes(self):
        (only,) = joined({1: at(2, 256)}, LADDERS, first=1, last=4, more_levels=1)
        self.assertEqual(only, FrameRange(1, 4, at(4, 256)))

    def test_constant_settings_are_the_highest_of_all_frames(self):
        self.assertEqual(constant({1: at(2, 64), 9: at(1, 256)}, LADDERS), at(2, 256))

    def test_what_is_no_range_is_refused(self):
        for found, first, last, words in (
            ({}, 1, 2, "no frame was looked at"),
            ({1: at(1, 16)}, 5, 4, "5 to 4 holds no frame"),
            ({1: at(3, 16)}, 1, 2, "bounces: a level is not on its ladder"),
            ({1: {"bounces": 1}}, 1, 2, "rays: a level is not on its ladder"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValueError, words):
                joined(found, LADDERS, first=first, last=last)

    @given(
        st.dictionaries(st.integers(1, 30), st.tuples(st.sampled_from((1, 2, 4, 8)), st.sampled_from((16, 64, 256))),
                        min_size=1),
        st.integers(0, 2),
    )  # fmt: skip
    def test_every_frame_has_one_range_that_is_never_below_what_was_found_there(self, rows, more):
        found = {frame: at(*levels) for frame, levels in rows.items()}
        ranges = joined(found, LADDERS, first=1, last=30, more_levels=more)
        covered = [frame for row in ranges for frame in range(row.first, row.last + 1)]
        self.assertEqual(covered, list(range(1, 31)))
        by_frame = {frame: row.settings for row in ranges for frame in range(row.first, row.last + 1)}
        for frame, settings in found.items():
            for name in ("bounces", "rays"):
                self.assertGreaterEqual(by_frame[frame][name], settings[name])
                self.assertLessEqual(by_frame[frame][name], constant(found, LADDERS, more_levels=more)[name])


class Wasted(unittest.TestCase):
    def test_times_in_between_lie_on_straight_lines(self):
        found = waste({1: 10.0, 11: 20.0}, {1: 20.0, 11: 20.0}, first=1, last=11)
        self.assertAlmostEqual(found.by_range_seconds, 11 * 15.0)
        self.assertAlmostEqual(found.constant_seconds, 220.0)
        self.assertAlmostEqual(found.share, 0.25)

    def test_alike_times_waste_nothing_and_untimed_frames_say_nothing(self):
        self.assertEqual(waste({1: 3.0}, {1: 3.0}, first=1, last=9).share, 0.0)
        self.assertIsNone(waste({1: 3.0}, {2: 3.0}, first=1, last=9))
