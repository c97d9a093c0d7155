"""Reads what an engine prints: progress, the end of getting-ready, what it wrote, and a log of bounded length."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

from matchedpair.engines.definition import EngineDefinition
from matchedpair.engines.line_pattern import MOST_SECONDS, LinePattern, Match, TooSlowError

HEAD_LINES, TAIL_LINES, LINE_LENGTH = 400, 800, 2000


@dataclass(frozen=True)
class Written:
    """A picture that the engine says it wrote on the way: file, value of the quality knob, seconds spent on such."""

    file: str
    level: float
    spent_seconds: float


class EngineOutput:
    """Takes the output in pieces of any length; a carriage return ends a line too."""

    def __init__(self, definition: EngineDefinition) -> None:
        self._definition = definition
        self._unfinished = ""
        self._head: list[str] = []
        self._tail: deque[str] = deque(maxlen=TAIL_LINES)
        self._dropped = 0
        self._too_slow: set[LinePattern] = set()
        self.progress: float | None = None
        self.ready = False
        self.structures_bytes: int | None = None
        self.reached: float | None = None
        self.frames_per_second: float | None = None
        self.written: list[Written] = []
        self.frames_done: list[tuple[int, float | None]] = []  # each with the quality that it reached
        self.succeeded = False
        self.failure = ""
        self.waits = False  # for a licence

    def take(self, piece: str) -> None:
        """Read a piece of output."""
        *lines, rest = (self._unfinished + piece).replace("\r\n", "\n").replace("\r", "\n").split("\n")
        for line in lines:
            self._line(line)
        self._unfinished = rest[-LINE_LENGTH:]

    def close(self) -> None:
        """The output has ended."""
        if self._unfinished:
            self._line(self._unfinished)
            self._unfinished = ""

    def log(self) -> str:
        """The output, with its middle left out when it was long."""
        middle = [f"… {self._dropped} lines left out …"] if self._dropped else []
        return "\n".join([*self._head, *middle, *self._tail])

    def note(self, words: str) -> None:
        """Add a line of ours to the log."""
        self._tail.append(f"… {words} …")

    def last_words(self) -> str:
        """The last line that says something."""
        return next((line for line in reversed([*self._head, *self._tail]) if line.strip()), "").strip()

    def _line(self, line: str) -> None:
        line = line[:LINE_LENGTH]
        if len(self._head) < HEAD_LINES:
            self._head.append(line)
        else:
            self._dropped += len(self._tail) == TAIL_LINES
            self._tail.append(line)
        if not self.ready and self._found(self._definition.ready, line):
            self.ready = True
        self._judge(line)
        for pattern, take in (
            (self._definition.structures, self._structures),
            (self._definition.reached, self._reached),
            (self._definition.frames, self._frames),
            (self._definition.progress, self._progress),
            (self._definition.percent, self._percent),
            (self._definition.on_the_way, self._written),
            (self._definition.frame_done, self._frame_done),
        ):
            self._told(line, pattern, take)

    def _told(self, line: str, pattern: LinePattern | None, take: Callable[[Match], None]) -> None:
        match = self._found(pattern, line)
        if match is None:
            return
        try:
            take(match)
        except (ValueError, TypeError):
            return  # a line that looks alike but holds no number

    def _found(self, pattern: LinePattern | None, line: str) -> Match | None:
        """A pattern that takes too long on a line is not asked again, and the log says so."""
        if pattern is None or pattern in self._too_slow:
            return None
        try:
            return pattern.search(line)
        except TooSlowError:
            self._too_slow.add(pattern)
            said = f"… the pattern {pattern.text!r} took longer than {MOST_SECONDS} s on this line and is left out …"
            self._tail.append(said)
            return None

    def _judge(self, line: str) -> None:
        """Whether it says that it succeeded, failed, or waits for a licence."""
        if self._found(self._definition.success, line):
            self.succeeded = True
        failed = self._found(self._definition.failure, line)
        if failed is not None and not self.failure:
            named = failed[1] if self._definition.failure and self._definition.failure.groups else None
            self.failure = (named or line).strip()
        if self.waits and self._found(self._definition.waited, line):
            self.waits = False
        elif self._found(self._definition.waiting, line):
            self.waits = True

    def _percent(self, match: Match) -> None:
        self.progress = min(max(_number(match[1]) / 100.0, 0.0), 1.0)

    def _structures(self, match: Match) -> None:
        self.structures_bytes = int(match[1])

    def _reached(self, match: Match) -> None:
        self.reached = _number(match[1])

    def _frames(self, match: Match) -> None:
        frames, seconds = _number(match[1]), _number(match[2])
        if frames > 0 and seconds > 0:
            self.frames_per_second = frames / seconds

    def _progress(self, match: Match) -> None:
        done, whole = _number(match[1]), _number(match[2])
        if whole > 0:
            self.progress = min(max(done / whole, 0.0), 1.0)

    def _frame_done(self, match: Match) -> None:
        self.frames_done.append((int(match[1]), self.reached))
        self.progress = self.reached = None  # of the next frame nothing is known yet

    def _written(self, match: Match) -> None:
        spent = match["spent"] if "spent" in match.groupdict() else None
        self.written.append(Written(match["file"], _number(match["level"]), _number(spent or "0")))


def _number(text: str) -> float:
    """Raises `ValueError` for what is no finite number."""
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value
