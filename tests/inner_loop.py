"""What the inner loop leaves out beside whole suites: ``make test FAST=1`` tells what can be told in a minute or so."""

from __future__ import annotations

import os
import unittest
from collections.abc import Callable
from typing import Any, TypeVar

FAST = "MATCHEDPAIR_TESTS_FAST"
Test = TypeVar("Test", bound=Callable[..., Any])


def long(test: Test) -> Test:
    """A test, or all of a class, that the inner loop leaves out: a simulation of chance, or work on many files."""
    return unittest.skipIf(bool(os.environ.get(FAST)), "too long for the inner loop")(test)
