"""The engine definitions in the operator's folder, read again whenever a file changes."""

from __future__ import annotations

import threading
from pathlib import Path

from django.conf import settings
from matchedpair.engines import EngineDefinition, find_program, read_folder
from matchedpair.errors import DefinitionError, EngineMissingError, InputError

Stamp = tuple[tuple[str, int, int], ...]
Found = tuple[list[EngineDefinition], list[DefinitionError]]
_lock = threading.Lock()
_kept: dict[Path, tuple[Stamp, Found]] = {}


def engines_now() -> Found:
    """Definitions that can be used now, and the errors of the others."""
    folder = Path(settings.ENGINES)
    stamp = _stamp(folder)
    with _lock:
        if folder not in _kept or _kept[folder][0] != stamp:
            _kept[folder] = (stamp, read_folder(folder))
        return _kept[folder][1]


def engine_named(name: str) -> EngineDefinition:
    """Raises `InputError` listing the engines there are."""
    good, _ = engines_now()
    for definition in good:
        if definition.name == name:
            return definition
    known = ", ".join(definition.name for definition in good) or "none"
    raise InputError(f"there is no engine {name!r}; there are: {known}")


def missing_reason(definition: EngineDefinition) -> str:
    """Why this machine cannot call the engine; empty when it can."""
    try:
        find_program(definition.render[0], definition)
    except EngineMissingError as error:
        return str(error)
    return ""


def _stamp(folder: Path) -> Stamp:
    rows = []
    for path in sorted(folder.glob("*.toml")):
        try:
            status = path.stat()
        except OSError:
            continue
        rows.append((path.name, status.st_mtime_ns, status.st_size))
    return tuple(rows)
