"""Which renders people call references."""

from __future__ import annotations

import re
from collections.abc import Sequence

from matchedpair.elsewhere.name_pattern import stem_of

CALLED = frozenset(("reference", "ref", "groundtruth", "gt", "truth"))
WORD = re.compile(r"[^\W\d_]+")


def says_reference(name: str) -> bool:
    """Whether a word of it says that others are judged by what is called so."""
    return not CALLED.isdisjoint(WORD.findall(name.casefold()))


def called_references(names: Sequence[str]) -> frozenset[str]:
    """The names in which a word says that others are judged by it.

    None where half of them or more say so: then the word is about something else, such as reflections.
    """
    found = [name for name in names if says_reference(stem_of(name))]
    return frozenset(found if 2 * len(found) < len(names) else ())
