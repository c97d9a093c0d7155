"""One setting of an engine: its type, range, default, what it affects, and the check of a value."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, TypeGuard

Value = int | float | str | bool
KINDS = ("integer", "number", "choice", "switch")
AFFECTS = ("noise", "time", "memory", "look", "detail")


def is_number(value: object) -> TypeGuard[int | float]:
    """Whether a value counts or measures; a switch, which Python takes for 0 and 1, does not."""
    return isinstance(value, int | float) and not isinstance(value, bool)


@dataclass(frozen=True)
class Setting:
    """See docs/engine-definitions.md for the meaning of each field."""

    name: str
    title: str
    kind: str
    default: Value
    argument: tuple[str, ...]
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    choices: tuple[str, ...] = ()
    about: str = ""
    affects: tuple[str, ...] = ()
    too_low: str = ""
    too_high: str = ""
    quality_knob: bool = False
    time_budget: bool = False

    def problem_with(self, value: Any) -> str | None:
        """What is wrong with a value for this setting, in words; None when it fits."""
        if self.kind == "choice":
            return None if value in self.choices else f"must be one of {', '.join(self.choices)}, got {value!r}"
        if self.kind == "switch":
            return None if isinstance(value, bool) else f"must be true or false, got {value!r}"
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            return f"must be a number, got {value!r}"
        if self.kind == "integer" and not (isinstance(value, int) or value.is_integer()):
            return f"must be a whole number, got {value}"
        below = self.minimum is not None and value < self.minimum
        above = self.maximum is not None and value > self.maximum
        return f"must be {self.range_in_words()}, got {value}" if below or above else None

    def cleaned(self, value: Value) -> Value:
        """A fitting value in the setting's own type."""
        if self.kind == "integer":
            return int(value)
        return float(value) if self.kind == "number" else value

    def range_in_words(self) -> str:
        """The values it takes, for a message."""
        if self.kind == "choice":
            return ", ".join(self.choices)
        if self.kind == "switch":
            return "on or off"
        low, high = self.minimum, self.maximum
        if low is not None and high is not None:
            return f"between {low:g} and {high:g}"
        if low is not None:
            return f"at least {low:g}"
        return f"at most {high:g}" if high is not None else "any number"
