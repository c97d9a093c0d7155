"""One setting of an engine: its type, range, default, what it affects, and the check of a value."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeGuard

Value = int | float | str | bool
KINDS = ("integer", "number", "choice", "switch", "text", "colour", "vector", "list")
WRITTEN = ("text", "colour", "vector", "list")  # whose values are texts: numbers or words by commas
MOST_TEXT, MOST_PARTS = 500, 64
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
    off: tuple[str, ...] = ()
    key: str = ""
    needs: Mapping[str, Value] = field(default_factory=dict, hash=False)
    needs_builds: tuple[str, ...] = ()
    denoiser: bool = False
    better_lower: bool = False

    def problem_with(self, value: Any) -> str | None:
        """What is wrong with a value for this setting, in words; None when it fits."""
        if self.kind == "choice":
            return None if value in self.choices else f"must be one of {', '.join(self.choices)}, got {value!r}"
        if self.kind == "switch":
            return None if isinstance(value, bool) else f"must be true or false, got {value!r}"
        if self.kind in WRITTEN:
            return self._problem_with_text(_as_text(value))
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            return f"must be a number, got {value!r}"
        if self.kind == "integer" and not (isinstance(value, int) or value.is_integer()):
            return f"must be a whole number, got {value}"
        below = self.minimum is not None and value < self.minimum
        above = self.maximum is not None and value > self.maximum
        return f"must be {self.range_in_words()}, got {value}" if below or above else None

    def _problem_with_text(self, value: Any) -> str | None:
        if not isinstance(value, str) or len(value) > MOST_TEXT or any(ord(each) < 32 for each in value):
            return f"must be a text of at most {MOST_TEXT} characters in one line, got {value!r}"[:200]
        if self.kind == "text":
            return None
        parts = [part.strip() for part in value.split(",")]
        if self.kind == "list":
            return None if len(parts) <= MOST_PARTS else f"must have at most {MOST_PARTS} parts, got {len(parts)}"
        numbers = [number for part in parts if (number := _as_number(part)) is not None]
        if len(numbers) != len(parts) or not (len(parts) == 3 if self.kind == "colour" else 2 <= len(parts) <= 4):
            what = "three numbers by commas: red, green, blue" if self.kind == "colour" else "2 to 4 numbers by commas"
            return f"must be {what}, got {value!r}"
        return None

    def parts(self, value: Value) -> tuple[str, ...]:
        """The parts of a colour, vector or list, as they were written; otherwise the value alone."""
        return tuple(part.strip() for part in str(value).split(",")) if self.kind in WRITTEN[1:] else (str(value),)

    def without_effect(self, settings: Mapping[str, Any], build: str) -> str:
        """Why this setting changes nothing beside these values and in this build; empty where it does."""
        if self.needs_builds and build and build not in self.needs_builds:
            return f"has no effect in build {build}; it needs {' or '.join(self.needs_builds)}"
        missing = [name for name, value in self.needs.items() if not reaches(settings.get(name), value)]
        if not missing:
            return ""
        needed = self.needs[missing[0]]
        said = ("on" if needed else "off") if isinstance(needed, bool) else str(needed)
        return f"has no effect while {missing[0].replace('_', ' ')} is not {said}"

    def cleaned(self, value: Value) -> Value:
        """A fitting value in the setting's own type."""
        if self.kind in WRITTEN:
            return str(_as_text(value))
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
        if self.kind in WRITTEN:
            return "a text" if self.kind == "text" else "parts by commas"
        return f"at most {high:g}" if high is not None else "any number"


def reaches(value: Any, needed: Value) -> bool:
    """A number reaches what is needed when it is at least as large; anything else must be equal."""
    if isinstance(needed, bool) or not isinstance(needed, int | float):
        return bool(value == needed)
    return isinstance(value, int | float) and value >= needed


def _as_text(value: Any) -> Any:
    """A number where a text is meant is what stands in it, as of a name that is a number."""
    return f"{value:g}" if is_number(value) else value


def _as_number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) else None
