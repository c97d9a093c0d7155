"""Reads engine definitions: one TOML file an engine, checked with errors that name file, key and what was expected."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from matchedpair.engines.setting import AFFECTS, KINDS, Setting, Value
from matchedpair.errors import DefinitionError, SettingsError

FORMAT = 1
PLACEHOLDERS = ("scene", "view", "frame", "width", "height", "seed", "threads", "picture", "folder")
NEEDED = ("scene", "seed", "picture")
NAME = re.compile(r"[a-z][a-z0-9-]{0,39}")
SETTING_NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")
TOP_KEYS = {"format", "name", "title", "about", "command", "output", "setting", "licence", "cost", "device"}


@dataclass(frozen=True)
class EngineDefinition:
    """How one engine is called and understood; see docs/engine-definitions.md.

    Parameters
    ----------
    render : tuple of str
        Program and arguments; ``{settings}`` stands for the arguments of all settings.
    ready, progress : compiled pattern or None
        Lines of its output that end getting-ready, and that tell how far it is (groups 1 of 2).
    folder : Path
        Where the definition lies; a program given by a relative path is sought from here.
    """

    name: str
    title: str
    about: str
    device: str
    render: tuple[str, ...]
    version: tuple[str, ...]
    version_pattern: re.Pattern[str] | None
    ready: re.Pattern[str] | None
    progress: re.Pattern[str] | None
    picture: str
    settings: tuple[Setting, ...]
    licence: str
    cost: str
    folder: Path

    def defaults(self) -> dict[str, Value]:
        """Every setting at its default."""
        return {setting.name: setting.default for setting in self.settings}

    def setting(self, name: str) -> Setting:
        """The named setting. Raises `SettingsError`."""
        for setting in self.settings:
            if setting.name == name:
                return setting
        raise SettingsError({name: f"{self.title} has no such setting"})

    @property
    def quality_knob(self) -> Setting | None:
        """The setting that buys less noise for more time, if the definition marks one."""
        return next((setting for setting in self.settings if setting.quality_knob), None)

    def complete(self, values: Mapping[str, Any]) -> dict[str, Value]:
        """These values, checked, with defaults for the rest. Raises `SettingsError` naming every misfit."""
        known = {setting.name: setting for setting in self.settings}
        problems = {name: f"{self.title} has no such setting" for name in values if name not in known}
        for name, setting in known.items():
            problem = setting.problem_with(values.get(name, setting.default))
            if problem:
                problems[name] = problem
        if problems:
            raise SettingsError(problems)
        return {name: setting.cleaned(values.get(name, setting.default)) for name, setting in known.items()}


def read_folder(folder: Path) -> tuple[list[EngineDefinition], list[DefinitionError]]:
    """All definitions in a folder, by name, and the errors of the rest. One bad file spoils no other."""
    good: dict[str, EngineDefinition] = {}
    bad: list[DefinitionError] = []
    for path in sorted(folder.glob("*.toml")):
        try:
            definition = read_definition(path)
            if definition.name in good:
                raise DefinitionError(path.name, "name", f"{definition.name!r} is taken by another file here")
            good[definition.name] = definition
        except DefinitionError as error:
            bad.append(error)
    return [good[name] for name in sorted(good)], bad


def read_definition(path: Path) -> EngineDefinition:
    """Read and check one definition. Raises `DefinitionError`."""
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise DefinitionError(path.name, "", f"cannot be read: {error.strerror}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise DefinitionError(path.name, "", f"is not TOML: {error}") from error
    return _Reader(path).definition(raw)


class _Reader:
    """Reads keys and says which file and key was wrong."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def wrong(self, key: str, expected: str) -> DefinitionError:
        return DefinitionError(self.path.name, key, expected)

    def definition(self, raw: dict[str, Any]) -> EngineDefinition:
        if raw.get("format") != FORMAT:
            raise self.wrong("format", f"expected {FORMAT}, the version of this file format, got {raw.get('format')!r}")
        for key in raw:
            if key not in TOP_KEYS:
                raise self.wrong(key, f"is not known; expected {', '.join(sorted(TOP_KEYS))}")
        name = self.text(raw, "name")
        if not NAME.fullmatch(name):
            raise self.wrong("name", f"expected small letters, digits and hyphens, got {name!r}")
        command, output = self.table(raw, "command"), self.table(raw, "output")
        settings = self.settings(raw.get("setting", []))
        return EngineDefinition(
            name=name,
            title=self.text(raw, "title"),
            about=self.text(raw, "about", ""),
            device=self.text(raw, "device", "CPU"),
            render=self.render_command(command, bool(settings)),
            version=self.words(command, "version", "command.version", required=False),
            version_pattern=self.pattern(command, "version_pattern", "command.version_pattern", 1),
            ready=self.pattern(output, "ready", "output.ready", 0),
            progress=self.pattern(output, "progress", "output.progress", 2),
            picture=self.picture_name(output),
            settings=settings,
            licence=self.text(raw, "licence", ""),
            cost=self.text(raw, "cost", ""),
            folder=self.path.parent.absolute(),
        )

    def picture_name(self, output: dict[str, Any]) -> str:
        name = self.text(output, "picture", "picture.exr", "output.picture")
        if "/" in name or "\\" in name or name.startswith("."):
            raise self.wrong("output.picture", f"expected a plain file name, got {name!r}")
        return name

    def render_command(self, command: dict[str, Any], has_settings: bool) -> tuple[str, ...]:
        words = self.words(command, "render", "command.render")
        used = {name for word in words for name in re.findall(r"\{(\w*)\}", word)}
        unknown = used - set(PLACEHOLDERS) - {"settings"}
        if unknown:
            known = ", ".join((*PLACEHOLDERS, "settings"))
            raise self.wrong("command.render", f"unknown placeholder {{{min(unknown)}}}; expected {known}")
        if "settings" in used and "{settings}" not in words:
            raise self.wrong("command.render", "{settings} must be an argument of its own")
        needed = (*NEEDED, "settings") if has_settings else NEEDED
        missing = [name for name in needed if name not in used]
        if missing:
            raise self.wrong("command.render", f"expected the placeholder {{{missing[0]}}} somewhere")
        return words

    def settings(self, raw: Any) -> tuple[Setting, ...]:
        if not isinstance(raw, list):
            raise self.wrong("setting", "expected [[setting]] tables")
        settings = [self.setting(row, f"setting[{index}]") for index, row in enumerate(raw)]
        names = [setting.name for setting in settings]
        for name in names:
            if names.count(name) > 1:
                raise self.wrong("setting", f"{name!r} stands there twice")
        if sum(setting.quality_knob for setting in settings) > 1:
            raise self.wrong("setting", "only one setting can be the quality knob")
        return tuple(settings)

    def setting(self, raw: Any, where: str) -> Setting:
        if not isinstance(raw, dict):
            raise self.wrong(where, "expected a table")
        name = self.text(raw, "name", None, f"{where}.name")
        if not SETTING_NAME.fullmatch(name):
            raise self.wrong(f"{where}.name", f"expected small letters, digits and underscores, got {name!r}")
        where = f"setting {name!r}"
        kind = self.text(raw, "type", None, f"{where}.type")
        if kind not in KINDS:
            raise self.wrong(f"{where}.type", f"expected one of {', '.join(KINDS)}, got {kind!r}")
        affects = self.words(raw, "affects", f"{where}.affects", required=False)
        for effect in affects:
            if effect not in AFFECTS:
                raise self.wrong(f"{where}.affects", f"expected some of {', '.join(AFFECTS)}, got {effect!r}")
        choices = self.words(raw, "choices", f"{where}.choices", required=kind == "choice")
        setting = Setting(
            name=name,
            title=self.text(raw, "title", name.replace("_", " ").capitalize(), f"{where}.title"),
            kind=kind,
            default=raw.get("default"),  # type: ignore[arg-type]  # checked against the setting itself below
            argument=self.words(raw, "argument", f"{where}.argument"),
            unit=self.text(raw, "unit", "", f"{where}.unit"),
            minimum=self.bound(raw, "minimum", where),
            maximum=self.bound(raw, "maximum", where),
            choices=choices,
            about=self.text(raw, "about", "", f"{where}.about"),
            affects=affects,
            too_low=self.text(raw, "too_low", "", f"{where}.too_low"),
            too_high=self.text(raw, "too_high", "", f"{where}.too_high"),
            quality_knob=self.flag(raw, "quality_knob", where),
        )
        problem = setting.problem_with(raw.get("default"))
        if problem:
            raise self.wrong(f"{where}.default", problem)
        if kind != "switch" and not any("{value}" in word for word in setting.argument):
            raise self.wrong(f"{where}.argument", "expected {value} somewhere in it")
        return setting

    def text(self, raw: dict[str, Any], key: str, default: str | None = None, where: str = "") -> str:
        value = raw.get(key, default)
        if not isinstance(value, str) or (default is None and not value):
            raise self.wrong(where or key, f"expected text, got {value!r}")
        return value

    def flag(self, raw: dict[str, Any], key: str, where: str) -> bool:
        value = raw.get(key, False)
        if not isinstance(value, bool):
            raise self.wrong(f"{where}.{key}", f"expected true or false, got {value!r}")
        return value

    def table(self, raw: dict[str, Any], key: str) -> dict[str, Any]:
        value = raw.get(key, {} if key == "output" else None)
        if not isinstance(value, dict):
            raise self.wrong(key, f"expected a [{key}] table")
        return value

    def words(self, raw: dict[str, Any], key: str, where: str, *, required: bool = True) -> tuple[str, ...]:
        value = raw.get(key, None if required else [])
        if not isinstance(value, list) or not all(isinstance(word, str) for word in value) or (required and not value):
            raise self.wrong(where, f"expected a list of texts, got {value!r}")
        return tuple(value)

    def bound(self, raw: dict[str, Any], key: str, where: str) -> float | None:
        value = raw.get(key)
        if value is not None and (isinstance(value, bool) or not isinstance(value, int | float)):
            raise self.wrong(f"{where}.{key}", f"expected a number, got {value!r}")
        return None if value is None else float(value)

    def pattern(self, raw: dict[str, Any], key: str, where: str, groups: int) -> re.Pattern[str] | None:
        if key not in raw:
            return None
        try:
            pattern = re.compile(self.text(raw, key, None, where))
        except re.error as error:
            raise self.wrong(where, f"expected a regular expression: {error}") from error
        if pattern.groups < groups:
            raise self.wrong(where, f"expected at least {groups} group(s) in brackets")
        return pattern
