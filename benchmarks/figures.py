"""What a benchmark gives back, and how it is printed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


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
