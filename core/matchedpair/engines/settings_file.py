"""Writes an engine's settings into a file, in the form that it reads."""

from __future__ import annotations

import configparser
import io
import json
from collections.abc import Mapping

import tomli_w

from matchedpair.engines.definition import SettingsFile
from matchedpair.engines.placeholders import filled
from matchedpair.engines.setting import Setting, Value


def settings_text(file: SettingsFile, settings: Mapping[Setting, Value], values: Mapping[str, str]) -> str:
    """The file's contents.

    Parameters
    ----------
    settings : mapping
        Those that no argument carries, with their values; each stands under its `key`, or its name.
    values : mapping
        By placeholder, for a template.
    """
    if file.form == "template":
        return filled(file.text, values)
    named = {setting.key or setting.name: _typed(setting, value) for setting, value in settings.items()}
    if file.form == "toml":
        return tomli_w.dumps(_nested(named, file.section))
    if file.form == "json":
        return json.dumps(_nested(named, file.section), indent=1, ensure_ascii=False) + "\n"
    if file.form == "ini":
        parser = configparser.RawConfigParser()
        parser.optionxform = str  # type: ignore[assignment,method-assign]  # names keep their capitals
        parser.read_dict({file.section or "settings": {name: _plain(value) for name, value in named.items()}})
        written = io.StringIO()
        parser.write(written)
        return written.getvalue()
    return "".join(f"{name} {_plain(value)}\n" for name, value in named.items())


def _nested(named: Mapping[str, object], section: str) -> dict[str, object]:
    """Keys with dots are tables within tables."""
    found: dict[str, object] = {}
    for name, value in named.items():
        *tables, last = f"{section}.{name}".removeprefix(".").split(".")
        place: dict[str, object] = found
        for table in tables:
            inner = place.setdefault(table, {})
            place = inner if isinstance(inner, dict) else {}
        place[last] = value
    return found


def _typed(setting: Setting, value: Value) -> object:
    if setting.kind in ("colour", "vector"):
        return [float(part) for part in setting.parts(value)]
    return list(setting.parts(value)) if setting.kind == "list" and value else value


def _plain(value: object) -> str:
    if isinstance(value, list):
        return " ".join(_plain(part) for part in value)
    if isinstance(value, bool):
        return "true" if value else "false"
    return repr(value) if isinstance(value, float) else str(value)
