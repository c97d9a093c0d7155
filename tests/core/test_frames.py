"""How the seconds of a process are shared out over the frames that it rendered."""

import unittest

from matchedpair.engines.frames import frame_shares


class Shares(unittest.TestCase):
    def test_lines_tell_wall_and_processor_seconds_and_the_last_frame_has_the_rest(self):
        said = {1: (3.0, 2.5), 2: (4.0, 3.25), 3: (5.5, 4.0)}
        found = frame_shares((1, 2, 3), 6.0, 4.5, said, {})
        self.assertEqual(found.wall, {1: 3.0, 2: 1.0, 3: 2.0})
        self.assertEqual(found.cpu, {1: 2.5, 2: 0.75, 3: 1.25})
        self.assertFalse(found.even)

    def test_files_tell_where_a_line_is_missing(self):
        said = {1: (3.0, 2.5)}
        found = frame_shares((7, 8, 9), 6.0, 4.5, said, {7: 103.0, 8: 104.5, 9: 105.5})
        self.assertEqual(found.wall, {7: 3.5, 8: 1.5, 9: 1.0})
        self.assertEqual(found.cpu, {})

    def test_lines_that_were_read_in_one_breath_leave_it_to_the_files(self):
        said = {1: (3.0, 2.5), 2: (3.0, 2.5), 3: (5.5, 4.0)}
        found = frame_shares((1, 2, 3), 6.0, 4.5, said, {1: 103.0, 2: 104.5, 3: 105.5})
        self.assertEqual((found.wall, found.cpu, found.even), ({1: 3.5, 2: 1.5, 3: 1.0}, {}, False))

    def test_frames_written_all_at_once_or_backwards_share_evenly(self):
        for written in ({1: 9.0, 2: 9.0, 3: 9.0}, {1: 9.0, 2: 8.0, 3: 7.0}):
            found = frame_shares((1, 2, 3), 6.0, None, {}, written)
            self.assertEqual((found.wall, found.even), ({1: 2.0, 2: 2.0, 3: 2.0}, True))

    def test_processor_seconds_of_work_handed_elsewhere_are_not_known(self):
        found = frame_shares((1, 2), 6.0, None, {1: (3.0, 0.1), 2: (6.0, 0.1)}, {})
        self.assertEqual(found.cpu, {})
