"""Reads facts out of a file's name, by a pattern such as ``{scene}_{view}_{samples}spp_s{seed}``."""

from __future__ import annotations

import re

from matchedpair.elsewhere.facts import SECONDS, WHOLES, Facts, facts_of
from matchedpair.errors import InputError

PLACE = re.compile(r"\{([a-z][a-z0-9_]{0,39})\}")
LONGEST_PATTERN, LONGEST_NAME, MOST_PLACES = 200, 255, 20


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
        self._expression = re.compile("".join(self._piece(piece) for piece in re.split(r"(\{\w+\}|\*)", text)))

    def read(self, name: str) -> Facts | None:
        """What a file's name says; None when it does not follow the pattern. Raises `InputError` for a misfit."""
        stem = name[:LONGEST_NAME].rpartition(".")[0] or name[:LONGEST_NAME]
        match = self._expression.fullmatch(stem)
        return facts_of(match.groupdict(), "file name") if match else None

    @staticmethod
    def _piece(piece: str) -> str:
        if piece == "*":
            return ".*?"
        place = PLACE.fullmatch(piece)
        if place is None:
            return re.escape(piece)
        name = place[1]
        kind = r"\d+" if name in WHOLES else (r"\d+(?:\.\d+)?" if name in SECONDS else ".+?")
        return f"(?P<{name}>{kind})"
