"""What is known of a render that was made elsewhere, and where it was learned."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from matchedpair.errors import InputError

Value = int | float | str | bool
TEXTS = ("engine", "version", "device", "machine", "scene", "view", "variant")
WHOLES = ("frame", "seed", "threads", "memory_bytes")
SECONDS = ("seconds", "ready_seconds", "cpu_seconds")
FIELDS = (*TEXTS, *WHOLES, *SECONDS)
NEEDED = ("engine", "scene", "view")  # without these no comparison says what it compares
LONGEST = 200
SWITCHES = {"true": True, "on": True, "yes": True, "false": False, "off": False, "no": False}


@dataclass(frozen=True)
class Facts:
    """Fields by the names of `FIELDS`, settings by the engine's own names, and where each was learned."""

    fields: Mapping[str, Value] = field(default_factory=dict)
    settings: Mapping[str, Value] = field(default_factory=dict)
    sources: Mapping[str, str] = field(default_factory=dict)


def facts_of(values: Mapping[str, Any], source: str) -> Facts:
    """Facts from plain names and values; names that are no field are settings. Raises `InputError`.

    ``settings`` may hold a mapping of its own. Empty values are not known.
    """
    fields: dict[str, Value] = {}
    settings: dict[str, Value] = {}
    for name, value in values.items():
        if name == "settings" and isinstance(value, Mapping):
            settings |= {str(key): _plain(key, each) for key, each in value.items() if each not in ("", None)}
        elif value in ("", None):
            continue
        elif name in FIELDS:
            fields[name] = _fitting(name, value)
        else:
            settings[str(name)[:LONGEST]] = _plain(name, value)
    return Facts(fields, settings, dict.fromkeys([*fields, *settings], source))


def merged(*facts: Facts) -> Facts:
    """All facts together; what comes first wins."""
    fields: dict[str, Value] = {}
    settings: dict[str, Value] = {}
    sources: dict[str, str] = {}
    for each in reversed(facts):
        fields |= each.fields
        settings |= each.settings
        sources |= each.sources
    return Facts(fields, settings, sources)


def missing_fields(facts: Facts) -> list[str]:
    """The needed fields that are not known."""
    return [name for name in NEEDED if name not in facts.fields]


def _fitting(name: str, value: Any) -> Value:
    if name in TEXTS:
        return str(value).strip()[:LONGEST]
    try:
        number = float(str(value))
    except ValueError:
        number = math.nan
    if not math.isfinite(number) or (name in SECONDS and number < 0):
        raise InputError(f"{name} must be a number, got {str(value)[:40]!r}")
    if name in SECONDS:
        return number
    if not number.is_integer():
        raise InputError(f"{name} must be a whole number, got {str(value)[:40]!r}")
    return int(number)


def _plain(name: Any, value: Any) -> Value:
    """A setting's value in the type that it looks like."""
    if isinstance(value, bool | int):
        return value
    if isinstance(value, float) and math.isfinite(value):
        return value
    if not isinstance(value, str):
        raise InputError(f"{name}: expected a number or a text, got {str(value)[:40]!r}")
    text = value.strip()
    if text.lower() in SWITCHES:
        return SWITCHES[text.lower()]
    try:
        number = float(text)
    except ValueError:
        return text[:LONGEST]
    if not math.isfinite(number):
        return text[:LONGEST]
    return int(number) if number.is_integer() and "." not in text else number
