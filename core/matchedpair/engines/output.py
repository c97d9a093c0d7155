"""Reads what an engine prints: progress, the end of getting-ready, and a log of bounded length."""

from __future__ import annotations

from collections import deque

from matchedpair.engines.definition import EngineDefinition

HEAD_LINES, TAIL_LINES, LINE_LENGTH = 400, 800, 2000


class EngineOutput:
    """Takes the output as it comes, in pieces of any length; a carriage return ends a line too."""

    def __init__(self, definition: EngineDefinition) -> None:
        self._definition = definition
        self._unfinished = ""
        self._head: list[str] = []
        self._tail: deque[str] = deque(maxlen=TAIL_LINES)
        self._dropped = 0
        self.progress: float | None = None
        self.ready = False
        self.structures_bytes: int | None = None

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
        if not self.ready and self._definition.ready and self._definition.ready.search(line):
            self.ready = True
        told = self._definition.structures.search(line) if self._definition.structures else None
        if told and told[1].isdigit():
            self.structures_bytes = int(told[1])
        match = self._definition.progress.search(line) if self._definition.progress else None
        if match:
            try:
                done, whole = float(match[1]), float(match[2])
            except ValueError:
                return
            if whole > 0:
                self.progress = min(max(done / whole, 0.0), 1.0)
