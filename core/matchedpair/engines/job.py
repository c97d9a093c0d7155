"""From a definition and a description of one render to the command that makes it."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path
from typing import Any

from matchedpair.engines.definition import AS_IS, Build, EngineDefinition
from matchedpair.engines.placeholders import filled, with_frame
from matchedpair.engines.setting import Setting, Value
from matchedpair.engines.settings_file import settings_text
from matchedpair.errors import EngineMissingError, SettingsError

TEXTURE_USE_FILE = "texture-use.json"


@dataclass(frozen=True)
class RenderJob:
    """One render, as plain values: what to render with which settings.

    Parameters
    ----------
    width, height : int
        Of the full picture, in pixels.
    crop : tuple of int or None
        x, y, width, height of the part to render.
    quantities : mapping
        Scene quantities that are not at their own value.
    brightness : float
        Multiplies all light, so that two engines agree.
    depth : str
        ``half`` or ``float``: the values in the files.
    on_the_way : tuple of float
        Values of the quality knob, below the one set, at which a picture is to be written on the way.
    frames : tuple of int
        All frames that one process is to render, `frame` first and one after the other; empty for `frame` alone.
    texture_use : bool
        Whether to write how large the view shows each texture, in the place of a picture.
    of_scene : mapping
        What the scene's description hands over, by placeholder: ``view.NAME``, ``variant.NAME``.
    """

    scene: Path
    view: str
    frame: int
    width: int
    height: int
    seed: int
    threads: int
    settings: Mapping[str, Value]
    time_limit_seconds: float
    build: str = ""
    variant: str = AS_IS
    crop: tuple[int, int, int, int] | None = None
    quantities: Mapping[str, float] = field(default_factory=dict)
    brightness: float = 1.0
    passes: tuple[str, ...] = ()
    depth: str = "half"
    on_the_way: tuple[float, ...] = ()
    frames: tuple[int, ...] = ()
    texture_use: bool = False
    of_scene: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Call:
    """How a render is started: its command, variables, working folder, and a settings file to be written before."""

    command: tuple[str, ...]
    environment: Mapping[str, str]
    works_in: Path
    settings_file: Path | None
    settings_text: str


def call_for(definition: EngineDefinition, job: RenderJob, folder: Path) -> Call:
    """All that starts this render. Raises as `command_for` does."""
    values = _values(definition, job, folder)
    build = definition.build(job.build)
    complete = definition.complete(job.settings)
    written_into = definition.settings_file
    text = ""
    if written_into is not None:
        in_file = {each: complete[each.name] for each in definition.settings if not each.argument and not each.off}
        text = settings_text(written_into, in_file, values | _as_texts(definition, complete))
    environment = {**definition.environment, **build.environment}
    return Call(
        tuple(command_for(definition, job, folder)),
        {name: filled(value, values) for name, value in environment.items()},
        Path(filled(definition.works_in, values)),
        None if written_into is None else folder / written_into.name,
        text,
    )


def command_for(definition: EngineDefinition, job: RenderJob, folder: Path) -> list[str]:
    """Program and arguments; no shell is involved, so no value can be read as a command.

    Raises
    ------
    SettingsError
        When a setting does not fit, or the engine's definition gives no way to ask for what the job asks.
    EngineMissingError
        When the program is not found.
    """
    problems = unsupported(definition, job)
    if problems:
        raise SettingsError(problems)
    values = _values(definition, job, folder)
    build = definition.build(job.build)
    words: list[str] = []
    for word in definition.render[1:]:
        if word == "{settings}":
            words += setting_arguments(definition, job.settings)
        elif word == "{changes}":
            words += _changes(definition, job, folder)
        else:
            words.append(filled(word, values))
    words = [find_program(build.program, definition), *build.arguments, *words]
    if not definition.before:
        return words
    wrapper, *more = definition.before
    return [find_program(wrapper, definition), *(filled(word, values) for word in more), *words]


def picture_pattern(definition: EngineDefinition, job: RenderJob, folder: Path) -> str:
    """Where the picture of the job's frame appears, below the render's folder: a name, or a pattern."""
    values = _values(definition, job, folder)
    return with_frame(filled(definition.picture, values), int(values["frame"]))


def _values(definition: EngineDefinition, job: RenderJob, folder: Path) -> dict[str, str]:
    """What the placeholders stand for."""
    frame = job.frame + job.seed if definition.twins == "frame" else job.frame
    written_into = definition.settings_file
    return {
        "scene": str(job.scene), "view": job.view, "frame": str(frame), "width": str(job.width),
        "height": str(job.height), "seed": str(job.seed), "threads": str(job.threads),
        "picture": str(folder / definition.picture), "folder": str(folder), "variant": job.variant, "depth": job.depth,
        "scene_folder": str(job.scene.parent), "build": definition.build(job.build).name,
        "settings_file": "" if written_into is None else str(folder / written_into.name), **job.of_scene,
    }  # fmt: skip


def _as_texts(definition: EngineDefinition, complete: Mapping[str, Value]) -> dict[str, str]:
    return {each.name: as_text(complete[each.name]) for each in definition.settings}


def setting_arguments(definition: EngineDefinition, settings: Mapping[str, Any]) -> list[str]:
    """The arguments of all settings, those that are not given at their defaults. Raises `SettingsError`."""
    complete = definition.complete(settings)
    return [word for setting in definition.settings for word in _arguments(setting, complete[setting.name])]


def unsupported(definition: EngineDefinition, job: RenderJob) -> dict[str, str]:
    """What the job asks and the engine's definition gives no way to say, by part of the setup; empty when all is well.

    Left unsaid, the engine would silently render something else.
    """
    asked = {
        "variant": job.variant != AS_IS, "frame": job.frame != 1 or definition.twins == "frame",
        "crop": job.crop is not None,
        "quantity": bool(job.quantities), "brightness": job.brightness != 1.0, "passes": bool(job.passes),
        "depth": job.depth != "half", "on_the_way": bool(job.on_the_way),
        "texture_use": job.texture_use, "sequence": bool(job.frames),
    }  # fmt: skip
    title = definition.title
    problems = {
        part: f"{title}'s definition has no way to ask for it; see docs/engine-definitions.md"
        for part, wanted in asked.items()
        if wanted and definition.cannot(part)
    }
    known = [row.name for row in definition.passes]
    unknown = [name for name in job.passes if name not in known]
    if unknown:
        problems["passes"] = f"{title} has no pass {unknown[0]!r}; it has {', '.join(known) or 'none'}"
    return problems


def version_command(definition: EngineDefinition, build: Build) -> list[str]:
    """How a build is asked its version: like the engine itself when it is the same program, else by its own program."""
    asked = list(definition.version)
    if asked and asked[0] == definition.render[0]:
        asked[0] = build.program
    return asked


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
    return str(Path(found).absolute())  # an engine is started in another folder


def _changes(definition: EngineDefinition, job: RenderJob, folder: Path) -> list[str]:
    words: list[str] = []
    if job.crop is not None:
        places = dict(zip(("x", "y", "width", "height"), map(str, job.crop), strict=True))
        words += [filled(word, places) for word in definition.changes["crop"]]
    for name, value in job.quantities.items():
        words += [filled(word, {"name": name, "value": written(value)}) for word in definition.changes["quantity"]]
    if job.brightness != 1.0:
        words += [filled(word, {"value": written(job.brightness)}) for word in definition.changes["brightness"]]
    if job.passes:
        words += [filled(word, {"passes": ",".join(job.passes)}) for word in definition.changes["passes"]]
    if job.on_the_way:
        levels = ",".join(written(level) for level in job.on_the_way)
        words += [filled(word, {"levels": levels}) for word in definition.changes["on_the_way"]]
    if job.frames:
        ends = {"first": str(job.frames[0]), "last": str(job.frames[-1])}
        words += [filled(word, ends) for word in definition.changes["sequence"]]
    if job.texture_use:
        file = str(folder / TEXTURE_USE_FILE)
        words += [filled(word, {"file": file}) for word in definition.changes["texture_use"]]
    return words


def _arguments(setting: Setting, value: Value) -> list[str]:
    if setting.kind == "switch":
        return list(setting.argument if value else setting.off)
    if setting.kind in ("text", "list") and not value:
        return []  # left to the engine
    parts = {f"value.{index}": part for index, part in enumerate(setting.parts(value))}
    return [filled(word, {"value": as_text(value), **parts}) for word in setting.argument]


def as_text(value: Value) -> str:
    """A value as an engine reads it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    return written(value) if isinstance(value, float) else str(value)


def written(value: float) -> str:
    """A number as an engine reads it: all of its digits, no exponent, and no point where it is whole."""
    text = f"{Decimal(repr(float(value))):f}"
    return text.rstrip("0").rstrip(".") if "." in text else text
