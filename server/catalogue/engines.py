"""The engine definitions in the operator's folder, read again whenever a file changes."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from django.conf import settings
from matchedpair.conditions import denoisers_on
from matchedpair.engines import EngineDefinition, engine_version, find_program, read_folder
from matchedpair.errors import DefinitionError, EngineMissingError, InputError

from server.catalogue.models import BrightnessFactor
from server.store.files import FolderStamp, folder_stamp

PIXELS = "px"
DEFINITION = ".toml"
Found = tuple[list[EngineDefinition], list[DefinitionError]]
_lock = threading.Lock()
_kept: dict[Path, tuple[FolderStamp, Found]] = {}
_versions: dict[tuple[str, str, int, FolderStamp], str] = {}


def engines_now() -> Found:
    """Definitions that can be used now, and the errors of the others."""
    folder = Path(settings.ENGINES)
    stamp = folder_stamp(folder, DEFINITION)
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


def knobs_that_go_down() -> set[tuple[str, str]]:
    """Engine and setting of the quality knobs of which less buys less noise, such as a threshold."""
    good, _ = engines_now()
    return {(each.name, setting.name) for each in good for setting in each.settings if setting.better_lower}


def missing_reason(definition: EngineDefinition, build: str = "") -> str:
    """Why this machine cannot call the engine; empty when it can."""
    try:
        find_program(definition.build(build).program, definition)
    except EngineMissingError as error:
        return str(error)
    return ""


def versions_here(definition: EngineDefinition) -> dict[str, str]:
    """What each build on this machine says its version is, asked side by side; empty where it is missing or silent."""
    names = [build.name for build in definition.builds]
    with ThreadPoolExecutor(max_workers=len(names)) as several:
        return dict(zip(names, several.map(lambda name: _version(definition, name), names), strict=True))


def _version(definition: EngineDefinition, build: str) -> str:
    """Asked once for each state of the program and of the folder."""
    try:
        program = find_program(definition.build(build).program, definition)
        key = (
            definition.name,
            build,
            Path(program).stat().st_mtime_ns,
            folder_stamp(Path(settings.ENGINES), DEFINITION),
        )
        if key not in _versions:
            _versions[key] = engine_version(definition, build)
    except (EngineMissingError, OSError):
        return ""
    return _versions[key]


def _defined(engine: str) -> EngineDefinition | None:
    good, _ = engines_now()
    return next((each for each in good if each.name == engine), None)


def denoisers_of(engine: str) -> list[str] | None:
    """The settings by which an engine smooths its pictures; None for an engine that is not defined here."""
    definition = _defined(engine)
    return None if definition is None else definition.denoisers


def denoisers_in(engine: str, settings: Mapping[str, Any]) -> dict[str, Any]:
    """The denoisers that are on with these settings, by name, with their strength."""
    return denoisers_on(settings, denoisers_of(engine))


def setting_titles(engine: str) -> dict[str, str]:
    """What an engine's settings are called, by name; empty for an engine that is not defined here."""
    definition = _defined(engine)
    return {} if definition is None else {setting.name: setting.title for setting in definition.settings}


def has_twins(engine: str) -> bool:
    """Whether anything makes two renders of an engine differ in noise alone, as far as is known."""
    good, _ = engines_now()
    return all(each.twins != "none" for each in good if each.name == engine)


def refining(engine: str, settings: Mapping[str, Any], knob: str) -> tuple[bool, float | None]:
    """Whether more of its quality knob makes a reference of renders with these settings, and as far as that goes; not
    of an engine whose renders have no noise to take away, nor where a denoiser is on.
    """
    definition = _defined(engine)
    own = definition.quality_knob if definition is not None else None
    if definition is None or own is None or own.name != knob or definition.twins == "none":
        return False, None
    if denoisers_on(settings, definition.denoisers):
        return False, None
    return True, own.minimum if own.better_lower else own.maximum


def pixel_settings(engine: str, settings: Mapping[str, Any]) -> dict[str, Any] | None:
    """Those of these settings that are measured in pixels; None for an engine that is not here."""
    definition = _defined(engine)
    if definition is None:
        return None
    return {
        each.name: settings[each.name] for each in definition.settings if each.unit == PIXELS and each.name in settings
    }


def factor_of(engine: str) -> BrightnessFactor | None:
    """The brightness factor in force for an engine."""
    return BrightnessFactor.objects.filter(engine=engine, withdrawn_at=None).first()
