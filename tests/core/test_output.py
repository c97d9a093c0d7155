"""What is read out of an engine's lines, some of them odd."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from matchedpair.engines import read_definition
from matchedpair.engines.line_pattern import line_pattern
from matchedpair.engines.output import EngineOutput

from tests.engines import add_engine


class Lines(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.definition = read_definition(add_engine(Path(folder.name), "good"))

    def test_a_pattern_that_takes_for_ever_is_left_out_and_the_others_go_on(self):
        definition = replace(
            self.definition,
            ready=line_pattern(r"^(a|aa)+$"),  # tries every way to part a row of a's
            progress=line_pattern(r"(\d+) of (\d+)"),
        )
        output = EngineOutput(definition)
        output.take("a" * 60 + "!\n")
        output.take("3 of 4\n" + "a" * 60 + "!\naa\n")
        self.assertFalse(output.ready)
        self.assertEqual(output.progress, 0.75)
        self.assertEqual(output.log().count("took longer than 0.2 s on this line and is left out"), 1)

    def test_numbers_that_are_none_and_wholes_of_nothing_are_passed_over(self):
        output = EngineOutput(replace(self.definition, progress=line_pattern(r"(\S+) of (\S+)")))
        for line in ("x of y\n", "1 of 0\n", "nan of 3\n", "inf of inf\n"):
            output.take(line)
        self.assertIsNone(output.progress)
        output.take("1 of 2\n")
        self.assertEqual(output.progress, 0.5)


if __name__ == "__main__":
    unittest.main()
