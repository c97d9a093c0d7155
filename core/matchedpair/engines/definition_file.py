"""Reads engine definitions: one TOML file an engine, checked with errors that name file, key and what was expected."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeVar

from matchedpair.engines.definition import (
    DOES,
    FORMS,
    HOSTS,
    TWINS,
    Build,
    Effect,
    EngineDefinition,
    Preset,
    QuantityName,
    RenderPass,
    SettingsFile,
)
from matchedpair.engines.definition_keys import (
    BETTER,
    BUILD_NAME,
    CHANGES,
    COMMAND_KEYS,
    FORMATS,
    FURTHER,
    LATER,
    NAME,
    NEEDED,
    OF_SCENE,
    OUTPUT_KEYS,
    PLACEHOLDERS,
    RESERVED,
    SETTING_KEYS,
    SETTING_NAME,
    TOP_KEYS,
    VARIABLE,
)
from matchedpair.engines.line_pattern import LinePattern, line_pattern
from matchedpair.engines.placeholders import FRAME_MARKS, placeholders
from matchedpair.engines.setting import AFFECTS, KINDS, Setting, Value
from matchedpair.errors import DefinitionError, InputError
from matchedpair.plain_files import as_text, parsed_toml, read_plain

MOST_BYTES = 1_000_000
Row = TypeVar("Row", Build, Preset, Effect, QuantityName, RenderPass)


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
        raw = parsed_toml(as_text(read_plain(path, MOST_BYTES), path.name), path.name)
    except InputError as error:
        raise DefinitionError(path.name, "", str(error).removeprefix(f"{path.name}: ")) from error
    return _Reader(path).definition(raw)


class _Reader:
    """Reads keys and says which file and key was wrong."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.format: Any = None

    def wrong(self, key: str, expected: str) -> DefinitionError:
        return DefinitionError(self.path.name, key, expected)

    def definition(self, raw: dict[str, Any]) -> EngineDefinition:
        self.format = raw.get("format")
        if self.format not in FORMATS or isinstance(self.format, bool):
            raise self.wrong("format", f"expected 1 or 2, the version of this file format, got {self.format!r}")
        self.known(raw, "", TOP_KEYS)
        name = self.text(raw, "name")
        if not NAME.fullmatch(name):
            raise self.wrong("name", f"expected small letters, digits and hyphens, got {name!r}")
        command, output = self.table(raw, "command"), self.table(raw, "output")
        self.known(command, "command", COMMAND_KEYS)
        self.known(output, "output", OUTPUT_KEYS)
        settings = self.settings(raw.get("setting", []))
        changes = {key: self.change(command, key) for key in CHANGES}
        settings_file = self.settings_file(raw, settings)
        twins = self.one_of(raw, "twins", TWINS)
        picture = self.picture_name(output)
        lacking = [name for name, left in (("seed", twins != "seed"), ("picture", self.by_pattern(picture))) if left]
        on_line = [each for each in settings if each.argument or each.off]
        render = self.render_command(command, bool(on_line), any(changes.values()), lacking)
        device = self.text(raw, "device", "CPU")
        return EngineDefinition(
            name=name,
            title=self.text(raw, "title"),
            about=self.text(raw, "about", ""),
            render=render,
            changes=changes,
            version=self.words(command, "version", "command.version", required=False),
            version_pattern=self.pattern(command, "version_pattern", "command.version_pattern", 1),
            ready=self.pattern(output, "ready", "output.ready", 0),
            progress=self.pattern(output, "progress", "output.progress", 2),
            structures=self.pattern(output, "structures", "output.structures", 1),
            reached=self.pattern(output, "reached", "output.reached", 1),
            frames=self.pattern(output, "frames", "output.frames", 2),
            on_the_way=self.on_the_way(output, changes),
            picture=picture,
            settings=settings,
            builds=self.rows(raw, "build", lambda row, at: self.build(row, at, device, render[0]))
            or (Build("only", "", render[0], device),),
            presets=self.rows(raw, "preset", lambda row, at: self.preset(row, at, settings)),
            effects=self.rows(raw, "effect", lambda row, at: self.effect(row, at, settings)),
            quantities=self.rows(raw, "quantity", self.quantity),
            passes=self.rows(raw, "pass", self.render_pass),
            licence=self.text(raw, "licence", ""),
            cost=self.text(raw, "cost", ""),
            limits=self.text(raw, "limits", ""),
            runs_on=self.text(raw, "runs_on", ""),
            folder=self.path.parent.absolute(),
            before=self.words(command, "before", "command.before", required=False),
            works_in=self.filled_text(command, "works_in", "{folder}", "command.works_in"),
            environment=self.environment(command, "command"),
            settings_file=settings_file,
            percent=self.pattern(output, "percent", "output.percent", 1),
            success=self.pattern(output, "success", "output.success", 0),
            failure=self.pattern(output, "failure", "output.failure", 0),
            waiting=self.pattern(output, "waiting", "output.waiting", 0),
            waited=self.pattern(output, "waited", "output.waited", 0),
            twins=twins,
            layer=self.text(output, "layer", "", "output.layer"),
            host=self.one_of(raw, "host", HOSTS),
            gathers=self.flag(raw, "gathers", "definition"),
            frame_done=self.frame_done(output, changes, picture),
        )

    def on_the_way(self, output: dict[str, Any], changes: dict[str, tuple[str, ...]]) -> LinePattern | None:
        pattern = self.pattern(output, "on_the_way", "output.on_the_way", 0)
        if (pattern is None) == bool(changes["on_the_way"]):
            raise self.wrong("output.on_the_way", "command.on_the_way and output.on_the_way belong together")
        missing = [name for name in ("file", "level") if pattern and name not in pattern.names]
        if missing:
            raise self.wrong("output.on_the_way", f"expected a group named {missing[0]}, such as (?P<{missing[0]}>…)")
        return pattern

    def frame_done(
        self, output: dict[str, Any], changes: dict[str, tuple[str, ...]], picture: str
    ) -> LinePattern | None:
        pattern = self.pattern(output, "frame_done", "output.frame_done", 1)
        if pattern is not None and not changes["sequence"]:
            raise self.wrong("output.frame_done", "belongs to command.sequence, which is missing")
        if changes["sequence"] and not (FRAME_MARKS.search(picture) or "frame" in placeholders(picture)):
            raise self.wrong("output.picture", "expected #### or {frame} in it, since command.sequence renders many")
        return pattern

    def picture_name(self, output: dict[str, Any]) -> str:
        name = self.text(output, "picture", "picture.exr", "output.picture")
        if not self.by_pattern(name):
            return self.plain_name(name, "output.picture")
        self.places((name,), "output.picture", (*PLACEHOLDERS, *FURTHER))
        if name.startswith(("/", "\\")) or ".." in name.split("/"):
            raise self.wrong("output.picture", f"expected a pattern below the render's folder, got {name!r}")
        return name

    def by_pattern(self, name: str) -> bool:
        """Whether a picture is to be found by a pattern, in the second format."""
        return self.format != 1 and any(mark in name for mark in "*?[{/")

    def settings_file(self, raw: dict[str, Any], settings: tuple[Setting, ...]) -> SettingsFile | None:
        if "settings_file" not in raw:
            return None
        table = self.table(raw, "settings_file")
        self.known(table, "settings_file", {"name", "form", "section", "text"})
        form = self.one_of(table, "form", FORMS, "settings_file.form", required=True)
        if (form == "template") != ("text" in table):
            raise self.wrong("settings_file.text", 'belongs to form = "template", which needs it')
        text = self.text(table, "text", "", "settings_file.text")
        names = tuple(setting.name for setting in settings)
        self.places((text,), "settings_file.text", (*PLACEHOLDERS, *FURTHER, *names))
        name = self.text(table, "name", f"settings.{form}", "settings_file.name")
        return SettingsFile(
            self.plain_name(name, "settings_file.name"), form,
            self.text(table, "section", "", "settings_file.section"), text,
        )  # fmt: skip

    def environment(self, raw: dict[str, Any], where: str) -> dict[str, str]:
        table = raw.get("environment", {})
        if not isinstance(table, dict) or not all(isinstance(value, str) for value in table.values()):
            raise self.wrong(f"{where}.environment", "expected a table of names and texts")
        for name, value in table.items():
            if not VARIABLE.fullmatch(name):
                raise self.wrong(f"{where}.environment", f"{name!r} is no name of a variable")
            self.places((value,), f"{where}.environment.{name}", (*PLACEHOLDERS, *FURTHER))
        return dict(table)

    def filled_text(self, raw: dict[str, Any], key: str, default: str, where: str) -> str:
        text = self.text(raw, key, default, where)
        self.places((text,), where, (*PLACEHOLDERS, *FURTHER))
        return text

    def one_of(
        self, raw: dict[str, Any], key: str, known: tuple[str, ...], where: str = "", *, required: bool = False
    ) -> str:
        value = raw.get(key, None if required else known[0])
        if value not in known:
            raise self.wrong(where or key, f"expected one of {', '.join(known)}, got {value!r}")
        return str(value)

    def places(self, words: Sequence[str], where: str, known: Sequence[str]) -> set[str]:
        """The placeholders in some texts, all of which must be known."""
        used = {name for word in words for name in placeholders(word)}
        for name in sorted(used - set(known)):
            if not (self.format != 1 and name.startswith(OF_SCENE)):
                raise self.wrong(where, f"unknown placeholder {{{name}}}; expected {', '.join(known)}")
        return used

    def plain_name(self, name: str, where: str) -> str:
        if "/" in name or "\\" in name or name.startswith("."):
            raise self.wrong(where, f"expected a plain file name, got {name!r}")
        return name

    def render_command(
        self, command: dict[str, Any], has_settings: bool, has_changes: bool, lacking: Sequence[str]
    ) -> tuple[str, ...]:
        words = self.words(command, "render", "command.render")
        before = self.words(command, "before", "command.before", required=False)
        further = FURTHER if self.format != 1 else ()
        used = self.places((*words, *before), "command.render", (*PLACEHOLDERS, *further, "settings", "changes"))
        for group in ("settings", "changes"):
            if group in used and f"{{{group}}}" not in words:
                raise self.wrong("command.render", f"{{{group}}} must be an argument of its own")
        needed = [*NEEDED, *(["settings"] if has_settings else []), *(["changes"] if has_changes else [])]
        missing = [name for name in needed if name not in used and name not in lacking]
        if missing:
            raise self.wrong("command.render", f"expected the placeholder {{{missing[0]}}} somewhere")
        return words

    def change(self, command: dict[str, Any], key: str) -> tuple[str, ...]:
        words = self.words(command, key, f"command.{key}", required=False)
        used = {name for word in words for name in placeholders(word)}
        missing = [name for name in CHANGES[key] if words and name not in used]
        if missing:
            raise self.wrong(f"command.{key}", f"expected the placeholder {{{missing[0]}}} somewhere")
        return words

    def rows(self, raw: dict[str, Any], key: str, read: Callable[[dict[str, Any], str], Row]) -> tuple[Row, ...]:
        """The [[key]] tables, each read by `read`; a name stands only once."""
        tables = raw.get(key, [])
        if not isinstance(tables, list) or not all(isinstance(table, dict) for table in tables):
            raise self.wrong(key, f"expected [[{key}]] tables")
        found: dict[str, Row] = {}
        for index, table in enumerate(tables):
            row = read(table, f"{key}[{index}]")
            name = next(iter(vars(row).values()))
            if name in found:
                raise self.wrong(key, f"{name!r} stands there twice")
            found[name] = row
        return tuple(found.values())

    def build(self, raw: dict[str, Any], where: str, device: str, program: str) -> Build:
        name = self.named(raw, "name", where, BUILD_NAME, "small letters, digits, dots and hyphens")
        self.known(raw, where, {"name", "title", "program", "device"})
        return Build(
            name,
            self.text(raw, "title", name, f"{where}.title"),
            self.text(raw, "program", None if self.format == 1 else program, f"{where}.program"),
            self.text(raw, "device", device, f"{where}.device"),
            self.environment(raw, where),
            self.words(raw, "arguments", f"{where}.arguments", required=False),
        )

    def preset(self, raw: dict[str, Any], where: str, settings: tuple[Setting, ...]) -> Preset:
        name = self.named(raw, "name", where, NAME, "small letters, digits and hyphens")
        self.known(raw, where, {"name", "title", "about", "values"})
        return Preset(
            name,
            self.text(raw, "title", name.replace("-", " ").capitalize(), f"{where}.title"),
            self.text(raw, "about", "", f"{where}.about"),
            self.values(raw, "values", where, settings),
        )

    def effect(self, raw: dict[str, Any], where: str, settings: tuple[Setting, ...]) -> Effect:
        name = self.named(raw, "effect", where, NAME, "small letters, digits and hyphens")
        self.known(raw, where, {"effect", "does", "switch_on", "needs", "limits", "tested"})
        does = raw.get("does")
        if does not in DOES:
            raise self.wrong(f"{where}.does", f"expected one of {', '.join(DOES)}, got {does!r}")
        return Effect(
            name,
            does,
            self.text(raw, "switch_on", "", f"{where}.switch_on"),
            self.values(raw, "needs", where, settings),
            self.text(raw, "limits", "", f"{where}.limits"),
            self.text(raw, "tested", "", f"{where}.tested"),
        )

    def quantity(self, raw: dict[str, Any], where: str) -> QuantityName:
        quantity = self.named(raw, "quantity", where, NAME, "small letters, digits and hyphens")
        self.known(raw, where, {"quantity", "name", "unit", "scale", "about"})
        scale = self.bound(raw, "scale", where)
        if scale is not None and scale <= 0:
            raise self.wrong(f"{where}.scale", f"expected a number above 0, got {scale:g}")
        return QuantityName(
            quantity,
            self.text(raw, "name", None, f"{where}.name"),
            self.text(raw, "unit", "", f"{where}.unit"),
            scale,
            self.text(raw, "about", "", f"{where}.about"),
        )

    def render_pass(self, raw: dict[str, Any], where: str) -> RenderPass:
        name = self.named(raw, "name", where, NAME, "small letters, digits and hyphens")
        self.known(raw, where, {"name", "title", "file", "unit", "about"})
        return RenderPass(
            name,
            self.text(raw, "title", name.replace("-", " ").capitalize(), f"{where}.title"),
            self.plain_name(self.text(raw, "file", f"{name}.exr", f"{where}.file"), f"{where}.file"),
            self.text(raw, "unit", "", f"{where}.unit"),
            self.text(raw, "about", "", f"{where}.about"),
            self.text(raw, "layer", "", f"{where}.layer"),
        )

    def values(self, raw: dict[str, Any], key: str, where: str, settings: tuple[Setting, ...]) -> dict[str, Any]:
        """A table of setting names to values that fit."""
        table = raw.get(key, {})
        if not isinstance(table, dict):
            raise self.wrong(f"{where}.{key}", f"expected a table of settings and values, got {table!r}")
        known = {setting.name: setting for setting in settings}
        for name, value in table.items():
            if name not in known:
                raise self.wrong(f"{where}.{key}", f"there is no setting {name!r}; expected some of {', '.join(known)}")
            problem = known[name].problem_with(value)
            if problem:
                raise self.wrong(f"{where}.{key}.{name}", problem)
        return {name: known[name].cleaned(value) for name, value in table.items()}

    def named(self, raw: dict[str, Any], key: str, where: str, pattern: re.Pattern[str], words: str) -> str:
        name = self.text(raw, key, None, f"{where}.{key}")
        if not pattern.fullmatch(name):
            raise self.wrong(f"{where}.{key}", f"expected {words}, got {name!r}")
        return name

    def known(self, raw: dict[str, Any], where: str, keys: set[str]) -> None:
        """Each key of a table must be known; of one that is not, the nearest that is stands in the error."""
        later = LATER.get(re.sub(r"\W.*", "", where), set())
        for key in raw:
            at = f"{where}.{key}" if where else key
            if key in later and self.format == 1:
                raise self.wrong(at, "belongs to the second format; write format = 2 at the top")
            here = sorted(keys if self.format == 1 else keys | later)
            if key not in here:
                near = difflib.get_close_matches(str(key), here, 1)
                meant = f"did you mean {near[0]}?" if near else f"expected {', '.join(here)}"
                raise self.wrong(at, f"is not known; {meant}")

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
        if sum(setting.time_budget for setting in settings) > 1:
            raise self.wrong("setting", "only one setting can be the time budget")
        known = {setting.name: setting for setting in settings}
        for setting in settings:
            for name, value in setting.needs.items():
                problem = known[name].problem_with(value) if name in known else f"there is no setting {name!r}"
                if problem:
                    raise self.wrong(f"setting {setting.name!r}.needs", problem)
        return tuple(settings)

    def setting(self, raw: Any, where: str) -> Setting:
        if not isinstance(raw, dict):
            raise self.wrong(where, "expected a table")
        name = self.text(raw, "name", None, f"{where}.name")
        if not SETTING_NAME.fullmatch(name):
            raise self.wrong(f"{where}.name", f"expected small letters, digits and underscores, got {name!r}")
        where = f"setting {name!r}"
        self.known(raw, where, SETTING_KEYS)
        if name in RESERVED:
            raise self.wrong(f"{where}.name", "is a reserved word; choose another name, the argument may stay")
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
            argument=self.words(raw, "argument", f"{where}.argument", required=self.format == 1),
            unit=self.text(raw, "unit", "", f"{where}.unit"),
            minimum=self.bound(raw, "minimum", where),
            maximum=self.bound(raw, "maximum", where),
            choices=choices,
            about=self.text(raw, "about", "", f"{where}.about"),
            affects=affects,
            too_low=self.text(raw, "too_low", "", f"{where}.too_low"),
            too_high=self.text(raw, "too_high", "", f"{where}.too_high"),
            quality_knob=self.flag(raw, "quality_knob", where),
            time_budget=self.flag(raw, "time_budget", where),
            off=self.words(raw, "off", f"{where}.off", required=False),
            key=self.text(raw, "key", "", f"{where}.key"),
            needs=self.needed(raw, where),
            needs_builds=self.words(raw, "needs_builds", f"{where}.needs_builds", required=False),
            denoiser=self.flag(raw, "denoiser", where) or (self.format == 1 and "denois" in name),
            better_lower=self.one_of(raw, "better", BETTER, f"{where}.better") == "lower",
        )
        problem = setting.problem_with(raw.get("default"))
        if problem:
            raise self.wrong(f"{where}.default", problem)
        if kind != "switch" and setting.argument and not any(takes_value(word) for word in setting.argument):
            raise self.wrong(f"{where}.argument", "expected {value} somewhere in it")
        if setting.off and kind != "switch":
            raise self.wrong(f"{where}.off", "is the argument of a switch that is off; this is none")
        return setting

    def needed(self, raw: dict[str, Any], where: str) -> dict[str, Value]:
        table = raw.get("needs", {})
        plain = isinstance(table, dict) and all(isinstance(value, bool | int | float | str) for value in table.values())
        if not plain:
            raise self.wrong(f"{where}.needs", "expected a table of settings and values")
        return dict(table)

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

    def pattern(self, raw: dict[str, Any], key: str, where: str, groups: int) -> LinePattern | None:
        if key not in raw:
            return None
        try:
            pattern = line_pattern(self.text(raw, key, None, where))
        except ValueError as error:
            raise self.wrong(where, f"expected a regular expression: {error}") from error
        if pattern.groups < groups:
            raise self.wrong(where, f"expected at least {groups} group(s) in brackets")
        return pattern


def takes_value(word: str) -> bool:
    """Whether a word of a setting's argument holds its value, or one part of it."""
    return any(name == "value" or name.startswith("value.") for name in placeholders(word))
