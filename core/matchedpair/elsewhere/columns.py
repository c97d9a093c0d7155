"""What the columns of a table beside renders mean: proposed from their names, in any case and common spellings."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from typing import Any

from matchedpair.elsewhere.facts import FIELDS, SECONDS, Value, facts_of
from matchedpair.elsewhere.intake import ENDINGS
from matchedpair.errors import InputError

FILE, IGNORE, SETTING = "file", "ignore", "setting"
KNOB, KNOB_DOWN = "knob", "knob_down"  # a setting too: more of it, or less of it, buys less noise
MEANINGS = (FILE, *FIELDS, SETTING, KNOB, KNOB_DOWN, IGNORE)
SPELLINGS: Mapping[str, tuple[str, ...]] = {
    FILE: ("file", "filename", "file name", "image", "picture", "path", "output", "render file", "frame file"),
    "engine": ("engine", "renderer", "render engine"),
    "version": ("version", "engine version", "renderer version", "build"),
    "device": ("device", "render device"), "machine": ("machine", "host", "hostname", "node", "worker", "computer"),
    "scene": ("scene", "shot", "scene name"), "view": ("view", "camera", "cam"),
    "variant": ("variant", "light", "lighting", "light rig", "light set up", "light setup", "lighting set up",
                "lighting setup", "light variant", "lighting variant"),
    "frame": ("frame", "frame number", "frame no"),
    "seed": ("seed", "random seed", "rng seed", "noise seed", "sampling seed"),
    "threads": ("threads", "thread count", "cores used"),
    "memory_bytes": ("memory bytes", "peak memory bytes", "memory", "peak memory", "ram"),
    "seconds": ("seconds", "render time", "rendertime", "time", "render seconds", "wall time", "wall", "elapsed",
                "elapsed time", "duration", "total time", "wall seconds", "wall clock", "wallclock", "wall clock time",
                "time taken", "render duration"),
    "ready_seconds": ("ready seconds", "ready", "load time", "scene load", "startup", "startup time"),
    "cpu_seconds": ("cpu seconds", "cpu time", "cpu"),
}  # fmt: skip
# what says nothing of how it was rendered: as a setting it would part what belongs together
PASSED_OVER = (
    "notes", "note", "comment", "comments", "date", "timestamp", "started", "finished", "start", "end", "job", "job id",
    "id", "task", "task id", "status", "state", "user", "artist", "submitted by", "index", "size bytes", "file size",
    "ticket", "job name", "log", "priority", "attempt", "retries", "pool", "group",
)  # fmt: skip
UNITS = {"s": 1.0, "sec": 1.0, "secs": 1.0, "second": 1.0, "seconds": 1.0, "ms": 0.001, "min": 60.0, "minutes": 60.0,
         "h": 3600.0, "hours": 3600.0}  # fmt: skip
BYTES = {"b": 1.0, "bytes": 1.0, "kb": 1e3, "mb": 1e6, "mib": 2.0**20, "gb": 1e9, "gib": 2.0**30}
ENOUGH_ROWS = 8  # before values that never come twice say anything
CLOCK = re.compile(r"(?:(\d+):)?(\d{1,2}):(\d{1,2}(?:\.\d+)?)")
SPOKEN = re.compile(r"(?:(\d+) ?h\w*[ ,]*)?(?:(\d+) ?m(?:in\w*)?[ ,]*)?(?:(\d+(?:\.\d+)?) ?s(?:ec\w*)?)?")
# what a picture's header may say: shorter names, such as time or duration, mean a time of day or of a shot there
IN_HEADERS: Mapping[str, tuple[str, ...]] = {
    "seconds": ("render time", "rendertime", "render seconds", "render duration", "elapsed time", "wall clock time"),
    "cpu_seconds": ("cpu seconds", "cpu time"),
    "memory_bytes": ("peak memory bytes", "peak memory"),
    "seed": SPELLINGS["seed"],
}


def proposed(columns: Sequence[str], rows: Sequence[Mapping[str, Any]] = ()) -> dict[str, str]:
    """By column what it means: a field, `FILE`, or `SETTING`; each field but once, the first column that fits.

    Where no column is called so, the first whose values end as pictures do is taken for `FILE`.
    """
    found: dict[str, str] = {}
    for column in columns:
        name, _ = _name_and_unit(column)
        meant = next((field for field, names in SPELLINGS.items() if name in names), "")
        otherwise = IGNORE if name in PASSED_OVER else SETTING
        found[column] = meant if meant and meant not in found.values() else otherwise
    if FILE not in found.values():
        named = next((each for each in columns if _holds_pictures(rows, each)), None)
        if named is not None:
            found[named] = FILE
    return found


def alike_nowhere(rows: Sequence[Mapping[str, Any]]) -> dict[str, str]:
    """Columns that would be settings and differ in every row: they number the rows, and mean `IGNORE`."""
    if len(rows) < ENOUGH_ROWS:
        return {}
    columns = list(dict.fromkeys(str(each) for row in rows for each in row))
    unknown = [column for column, meant in proposed(columns, rows).items() if meant == SETTING]
    return {column: IGNORE for column in unknown if len({str(row.get(column)) for row in rows}) == len(rows)}


def read_by(row: Mapping[str, Any], meanings: Mapping[str, str]) -> dict[str, Any]:
    """A row's values by field, settings by their column's name; times in seconds, memory in bytes."""
    values: dict[str, Any] = {}
    for column, value in row.items():
        meant = meanings.get(column, SETTING)
        if meant in (FILE, IGNORE) or value in ("", None):
            continue
        if meant in (SETTING, KNOB, KNOB_DOWN):
            values[column] = value
        else:
            values[meant] = _in_unit(value, meant, _name_and_unit(column)[1])
    return values


def said_in_header(attributes: Mapping[str, Any]) -> dict[str, Value]:
    """What attributes by plain names say of a render: its times, memory and seed. What before a name says whose it is,
    as in ``pass/render time``, is passed over, and so is a value that is no such thing, or that another contradicts.
    """
    found: dict[str, set[Value]] = {}
    for attribute, value in attributes.items():
        name, unit = _name_and_unit(re.split(r"[/:]", attribute)[-1])
        meant = next((field for field, names in IN_HEADERS.items() if name in names), "")
        if meant:
            with suppress(InputError):
                for field, read in facts_of({meant: _in_unit(value, meant, unit)}, "header").fields.items():
                    found.setdefault(field, set()).add(read)
    return {field: values.pop() for field, values in found.items() if len(values) == 1}


def _name_and_unit(column: str) -> tuple[str, str]:
    """A column's name in small letters with single spaces, and the unit in brackets or at its end."""
    text = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", column.strip())
    bracket = re.fullmatch(r"(.*?)\s*[(\[]\s*([A-Za-z]+)\s*[)\]]", text)
    name, unit = (bracket[1], bracket[2].lower()) if bracket else (text, "")
    words = [word for word in re.split(r"[\s_\-.]+", name.lower()) if word]
    if not unit and len(words) > 1 and words[-1] in {**UNITS, **BYTES} and " ".join(words) not in _ALL:
        unit = words.pop()
    return " ".join(words), unit


def _in_unit(value: Any, meant: str, unit: str) -> Any:
    if meant in SECONDS:
        text = value.strip().lower() if isinstance(value, str) else ""
        if text and (said := CLOCK.fullmatch(text) or SPOKEN.fullmatch(text)):
            hours, minutes, seconds = said.groups()
            return 3600.0 * int(hours or 0) + 60.0 * int(minutes or 0) + float(seconds or 0)
        return _times(value, UNITS.get(unit, 1.0))
    if meant == "memory_bytes":
        made = _times(value, BYTES.get(unit, 1.0))
        return round(made) if isinstance(made, float) else made
    return value


def _times(value: Any, factor: float) -> Any:
    try:
        return float(value) * factor
    except (TypeError, ValueError):
        return value  # whoever takes it says what is wrong


def _holds_pictures(rows: Iterable[Mapping[str, Any]], column: str) -> bool:
    values = [row.get(column) for row in rows]
    return bool(values) and all(isinstance(each, str) and each.lower().endswith(ENDINGS) for each in values)


_ALL = {name for names in SPELLINGS.values() for name in names}
