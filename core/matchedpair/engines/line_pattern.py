"""Regular expressions over lines that programs in development print: none may take for ever on a line."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import regex

MOST_SECONDS = 0.2  # a thousand times what a plain pattern takes on the longest line
Match = regex.Match[str]


class TooSlowError(Exception):
    """A pattern took longer on a line than any needs to."""


@dataclass(frozen=True)
class LinePattern:
    """A regular expression of an engine definition."""

    text: str

    def search(self, line: str) -> Match | None:
        """Its first place in a line. Raises `TooSlowError`."""
        try:
            return _compiled(self.text).search(line, timeout=MOST_SECONDS)
        except TimeoutError as error:
            raise TooSlowError from error

    @property
    def groups(self) -> int:
        """How many pairs of brackets it has."""
        return _compiled(self.text).groups

    @property
    def names(self) -> frozenset[str]:
        """The names of its groups."""
        return frozenset(_compiled(self.text).groupindex)


def line_pattern(text: str) -> LinePattern:
    """Raises `ValueError` with what is wrong with it."""
    try:
        _compiled(text)
    except (regex.error, RecursionError, OverflowError) as error:
        raise ValueError(str(error)) from error
    return LinePattern(text)


@cache
def _compiled(text: str) -> regex.Pattern[str]:
    return regex.compile(text)
