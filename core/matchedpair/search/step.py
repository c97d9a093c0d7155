"""What every search says next, whichever it is.

A search is a function without input or output: all that it asked for goes in, with what came of it; out comes what to
render next, or why it is over. It remembers nothing, so that it can be stopped, gone on with, and played again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from matchedpair.engines.setting import Value

Settings = Mapping[str, Value]


@dataclass(frozen=True)
class Wanted:
    """A way to render that a search asks for: the settings it says something of, and what it is compared with; None
    where a figure of its own is what counts.
    """

    settings: dict[str, Value]
    against: dict[str, Value] | None = None


@dataclass(frozen=True, kw_only=True)
class SearchStep:
    """A step of any search: what it wants rendered, None once it is over, and in words why."""

    words: str
    wanted: Wanted | None = None
