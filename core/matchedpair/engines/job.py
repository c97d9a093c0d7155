"""From a definition and a description of one render to the command that makes it."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from matchedpair.engines.definition import EngineDefinition
from matchedpair.engines.setting import Setting, Value
from matchedpair.errors import EngineMissingError


@dataclass(frozen=True)
class RenderJob:
    """One render, as plain values: what to render with which settings."""

    scene: Path
    view: str
    frame: int
    width: int
    height: int
    seed: int
    threads: int
    settings: Mapping[str, Value]
    time_limit_seconds: float


def command_for(definition: EngineDefinition, job: RenderJob, folder: Path) -> list[str]:
    """Program and arguments; no shell is involved, so no value can be read as a command.

    Raises
    ------
    SettingsError
        When a setting does not fit.
    EngineMissingError
        When the program is not found.
    """
    values = {
        "scene": str(job.scene), "view": job.view, "frame": str(job.frame), "width": str(job.width),
        "height": str(job.height), "seed": str(job.seed), "threads": str(job.threads),
        "picture": str(folder / definition.picture), "folder": str(folder),
    }  # fmt: skip
    settings = definition.complete(job.settings)
    words: list[str] = []
    for word in definition.render:
        if word == "{settings}":
            for setting in definition.settings:
                words += _arguments(setting, settings[setting.name])
        else:
            words.append(_filled(word, values))
    return [find_program(words[0], definition), *words[1:]]


def find_program(program: str, definition: EngineDefinition) -> str:
    """Full path of an engine's program: on PATH, beside this Python, or relative to its definition.

    Raises `EngineMissingError`.
    """
    if os.sep in program:
        program = os.path.normpath(definition.folder / program)
    search = os.pathsep.join([str(Path(sys.executable).parent), os.environ.get("PATH", os.defpath)])
    found = shutil.which(program, path=search)
    if found is None:
        raise EngineMissingError(
            f"{definition.title}: the program {program!r} is not on this machine; install it or correct its definition"
        )
    return found


def _arguments(setting: Setting, value: Value) -> list[str]:
    if setting.kind == "switch":
        return list(setting.argument) if value else []
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return [word.replace("{value}", text) for word in setting.argument]


def _filled(word: str, values: Mapping[str, str]) -> str:
    for name, value in values.items():
        word = word.replace(f"{{{name}}}", value)
    return word
