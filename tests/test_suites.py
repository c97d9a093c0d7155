"""The test run itself."""

import unittest
from collections import Counter
from pathlib import Path

from tests.__main__ import ROOT, WEB, all_suites


class EverySuite(unittest.TestCase):
    def test_every_module_of_tests_is_run_once(self):
        there = {
            ".".join(Path(path).relative_to(ROOT).with_suffix("").parts) for path in (ROOT / "tests").rglob("test_*.py")
        }
        run = Counter(name for suite in all_suites() for name in suite)
        self.assertEqual(run.keys() - {WEB}, there)
        self.assertEqual(set(run.values()), {1})
