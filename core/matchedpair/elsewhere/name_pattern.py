"""Reads facts out of a file's name, by a pattern such as ``{scene}_{view}_{samples}spp_s{seed}``."""

from __future__ import annotations

import re
from collections.abc import Iterator

from matchedpair.elsewhere.facts import SECONDS, WHOLES, Facts, facts_of
from matchedpair.errors import InputError

WHOLE, SECOND = re.compile(r"\d+"), re.compile(r"\d+(?:\.\d+)?")
PLACE = re.compile(r"\{([a-z][a-z0-9_]{0,39})\}")
LONGEST_PATTERN, LONGEST_NAME, MOST_PLACES = 200, 255, 20


def stem_of(name: str) -> str:
    """A file's name without its ending."""
    return name[:LONGEST_NAME].rpartition(".")[0] or name[:LONGEST_NAME]


class NamePattern:
    """A pattern over names without their ending. Each ``{name}`` takes as few letters as it can; ``*`` takes any."""

    def __init__(self, text: str) -> None:
        """Raises `InputError` when the pattern cannot be read."""
        if len(text) > LONGEST_PATTERN:
            raise InputError(f"a name pattern has at most {LONGEST_PATTERN} letters")
        names = PLACE.findall(text)
        rest = PLACE.sub("", text)
        if "{" in rest or "}" in rest:
            raise InputError("a place in the pattern is written {name}, in small letters, digits and underscores")
        if not names:
            raise InputError("the pattern has no place such as {seed}, so it would say nothing")
        if len(names) > MOST_PLACES:
            raise InputError(f"a name pattern has at most {MOST_PLACES} places")
        for name in names:
            if names.count(name) > 1:
                raise InputError(f"{{{name}}} stands there twice")
        if re.search(r"\}\{|\*\*|\}\*|\*\{", text):
            raise InputError("two places need something between them, or it cannot be told where one ends")
        self.text, self.names = text, tuple(names)
        # each with whether it is a place; then its name, or * for one without
        self._pieces = [
            (piece.strip("{}"), piece == "*" or PLACE.fullmatch(piece) is not None)
            for piece in re.split(r"(\{\w+\}|\*)", text)
            if piece
        ]

    def read(self, name: str) -> Facts | None:
        """What a file's name says; None when it does not follow the pattern. Raises `InputError` for a misfit."""
        found = self._read(stem_of(name))
        return facts_of(found, "file name") if found is not None else None

    def _read(self, stem: str) -> dict[str, str] | None:
        """What stands in each place, the first as short as it can be, then the next; None where it does not follow.

        A regular expression would try all ways to divide a name among eight places. Here what failed from a piece of
        the pattern and a letter of the name on is tried once, and a place for any letters that failed fails later in
        the name too, since it could end nowhere else.
        """
        failed: set[tuple[int, int]] = set()
        failed_from: dict[int, int] = {}
        taken: dict[str, str] = {}

        def follows(piece: int, at: int) -> bool:
            if piece == len(self._pieces):
                return at == len(stem)
            if (piece, at) in failed or at >= failed_from.get(piece, len(stem) + 1):
                return False
            text, place = self._pieces[piece]
            if place:
                good = any(follows(piece + 1, end) for end in _ends(stem, at, text))
            else:
                good = stem.startswith(text, at) and follows(piece + 1, at + len(text))
            if not good:
                failed.add((piece, at))
                if place and not _number(text):
                    failed_from[piece] = at
            return good

        if not follows(0, 0):
            return None
        at = 0
        for number, (text, place) in enumerate(self._pieces):
            if not place:
                at += len(text)
                continue
            end = next(each for each in _ends(stem, at, text) if follows(number + 1, each))
            if text != "*":
                taken[text] = stem[at:end]
            at = end
        return taken


def _number(name: str) -> bool:
    return name in WHOLES or name in SECONDS


def _ends(stem: str, at: int, name: str) -> Iterator[int]:
    """Where a place that begins here may end: numbers take as many digits as they can, all others as few letters."""
    if name == "*":
        yield from range(at, len(stem) + 1)
    elif not _number(name):
        yield from range(at + 1, len(stem) + 1)
    elif digits := (SECOND if name in SECONDS else WHOLE).match(stem, at):
        dot = digits[0].find(".")
        for end in range(digits.end(), at, -1):
            if end - 1 - at != dot:  # no number ends with its point
                yield end
