"""Django's test runner, which also says which tests took longest: where a slow run is to be made faster."""

from __future__ import annotations

import os
import shutil
import time
import unittest
from typing import Any

from django.conf import settings
from django.test.runner import DiscoverRunner

from tests.database import empty, keep_database

MOST = 12


class TimedResult(unittest.TextTestResult):
    """Notes how long each test takes, what it sets up for itself included."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.seconds: dict[str, float] = {}
        self._began = 0.0

    def startTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - its name there
        self._began = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802
        super().stopTest(test)
        self.seconds[test.id()] = time.perf_counter() - self._began


class SlowestRunner(DiscoverRunner):
    """Names the slowest tests at the end."""

    def get_resultclass(self) -> type[unittest.TextTestResult]:
        return super().get_resultclass() or TimedResult

    def setup_databases(self, **more: Any) -> Any:
        """From the database that `python -m tests` has made once, where there is one: migrating takes long."""
        made = os.environ.get("MATCHEDPAIR_TEST_DATABASE")
        if made:
            shutil.copyfile(made, settings.DATABASES["default"]["TEST"]["NAME"])
            self.keepdb = True
        made_here = super().setup_databases(**more)
        keep_database(empty())
        return made_here

    def run_suite(self, suite: Any, **more: Any) -> Any:
        result = super().run_suite(suite, **more)
        rows = sorted(getattr(result, "seconds", {}).items(), key=lambda row: -row[1])[:MOST]
        for test, seconds in rows:
            print(f"{seconds:7.1f} s  {test.removeprefix('tests.')}")
        return result
