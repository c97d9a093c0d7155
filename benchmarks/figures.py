"""What a benchmark gives back, and how it is printed."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Measured:
    """One figure with what it should not exceed; None where there is only something to know."""

    name: str
    value: float
    unit: str
    most: float | None = None

    def line(self) -> str:
        """As one line of the printed table."""
        goal = "" if self.most is None else f"   at most {self.most:g}: {'yes' if self.value <= self.most else 'NO'}"
        return f"  {self.name:<66}{self.value:>10.4g} {self.unit:<8}{goal}"


def show(title: str, figures: Iterable[Measured]) -> bool:
    """Print a table; whether everything stayed within what it should."""
    rows = list(figures)
    print(f"\n{title}")
    for row in rows:
        print(row.line(), flush=True)
    return all(row.most is None or row.value <= row.most for row in rows)


def seconds_of(work: Callable[[], object]) -> float:
    """How long a call takes."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def peak_bytes() -> float:
    """The most memory this process held since its program began; the kernel's other figure counts its parent's too."""
    status = Path("/proc/self/status").read_text(encoding="utf-8")
    return 1024.0 * int(status.partition("VmHWM:")[2].split()[0])
