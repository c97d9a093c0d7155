"""Places in the texts of a definition that a call fills: ``{name}``, ``{view.camera}``, padded as ``{frame:04d}``; and
``####`` for a frame's number in the name of a picture.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

PLACE = re.compile(r"\{(?P<name>[a-z_]\w*(?:\.\w+)*)(?::0?(?P<digits>\d{1,2})d)?\}")

FRAME_MARKS = re.compile(r"#{2,}")


def placeholders(text: str) -> tuple[str, ...]:
    """The names of those in a text, in order."""
    return tuple(found["name"] for found in PLACE.finditer(text))


def filled(text: str, values: Mapping[str, str]) -> str:
    """The text with its places filled in one go, so that no value is searched for places itself. Those that are not
    among the values stay as they are.
    """

    def value(found: re.Match[str]) -> str:
        known = values.get(found["name"])
        if known is None:
            return found[0]
        return known.zfill(int(found["digits"])) if found["digits"] else known

    return PLACE.sub(value, text)


def with_frame(text: str, frame: int) -> str:
    """The text with ``####`` as the frame's number, in as many digits."""
    return FRAME_MARKS.sub(lambda found: str(frame).zfill(len(found[0])), text)
