"""What an engine definition holds; `definition_file` reads it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from matchedpair.engines.line_pattern import LinePattern
from matchedpair.engines.placeholders import placeholders
from matchedpair.engines.setting import Setting, Value, reaches
from matchedpair.errors import SettingsError

AS_IS = "as-is"
DOES = ("yes", "partly", "no")
FORMS = ("toml", "json", "ini", "lines", "template")
TWINS = ("seed", "frame", "none")
HOSTS = ("here", "elsewhere")


@dataclass(frozen=True)
class Build:
    """One version of an engine on one device; its program replaces the command's first word."""

    name: str
    title: str
    program: str
    device: str
    environment: Mapping[str, str] = field(default_factory=dict, hash=False)
    arguments: tuple[str, ...] = ()


@dataclass(frozen=True)
class SettingsFile:
    """Values written into a file instead of onto the command line; `form` is one of `FORMS`.

    With ``template`` the file is `text`, in which ``{name}`` stands for a setting or any placeholder of the command.
    """

    name: str
    form: str
    section: str = ""
    text: str = ""


@dataclass(frozen=True)
class Preset:
    """A named set of values; settings that it does not name are at their defaults."""

    name: str
    title: str
    about: str
    values: Mapping[str, Value]


@dataclass(frozen=True)
class Effect:
    """Whether the engine does an effect, how to switch it on, its limits, and the version that was tried."""

    effect: str
    does: str
    switch_on: str
    needs: Mapping[str, Value]
    limits: str
    tested: str


@dataclass(frozen=True)
class QuantityName:
    """What the engine calls a quantity; one unit of the scene's is `scale` of the engine's."""

    quantity: str
    name: str
    unit: str
    scale: float | None
    about: str


@dataclass(frozen=True)
class RenderPass:
    """A further picture that a render can write."""

    name: str
    title: str
    file: str
    unit: str
    about: str
    layer: str = ""


@dataclass(frozen=True)
class EngineDefinition:
    """How one engine is called and understood; see docs/engine-definitions.md.

    Parameters
    ----------
    render : tuple of str
        Program and arguments; ``{settings}`` stands for the arguments of all settings, ``{changes}`` for those of crop,
        scene quantities, brightness factor and passes, as far as they are asked.
    changes : mapping
        Arguments by ``crop``, ``quantity``, ``brightness``, ``passes``, ``on_the_way``, ``texture_use``,
        ``sequence``; empty where the engine has none.
    ready, progress, structures, reached, frames, on_the_way, frame_done : compiled pattern or None
        Lines of its output that end getting-ready; tell how far it is (groups 1 of 2), the bytes of its own structures
        (group 1), the value of the quality knob that it reached (group 1), how many frames it drew in how many seconds
        (groups 1 and 2), and that a picture on the way is written (groups ``file``, ``level`` and, where it says so,
        ``spent``: the seconds that all such pictures have cost so far).
    folder : Path
        Where the definition lies; a program given by a relative path is sought from here.
    before : tuple of str
        Words before the program: a wrapper and its arguments.
    works_in : str
        Its working folder, with placeholders.
    environment : mapping
        Variables by name, with placeholders.
    settings_file : SettingsFile or None
    percent, success, failure, waiting, waited : compiled pattern or None
        Lines of its output that tell how far it is in percent (group 1); one that must have come; one that must not
        (group 1 where there is one, else the line, is the reason); and those between which it waits for a licence.
    twins : str
        What makes two renders differ in noise alone: the ``seed``, another ``frame``, or ``none``.
    host : str
        ``here``, or ``elsewhere``: it hands the work to another machine, so that processor seconds say nothing.
    layer : str
        The layer of the picture's file that is the picture; empty for R, G and B.
    gathers : bool
        Whether the files of a scene are put into the render's own folder rather than used where they lie.
    """

    name: str
    title: str
    about: str
    render: tuple[str, ...]
    changes: Mapping[str, tuple[str, ...]]
    version: tuple[str, ...]
    version_pattern: LinePattern | None
    ready: LinePattern | None
    progress: LinePattern | None
    structures: LinePattern | None
    reached: LinePattern | None
    frames: LinePattern | None
    on_the_way: LinePattern | None
    picture: str
    settings: tuple[Setting, ...]
    builds: tuple[Build, ...]
    presets: tuple[Preset, ...]
    effects: tuple[Effect, ...]
    quantities: tuple[QuantityName, ...]
    passes: tuple[RenderPass, ...]
    licence: str
    cost: str
    limits: str
    runs_on: str
    folder: Path
    before: tuple[str, ...] = ()
    works_in: str = "{folder}"
    environment: Mapping[str, str] = field(default_factory=dict)
    settings_file: SettingsFile | None = None
    percent: LinePattern | None = None
    success: LinePattern | None = None
    failure: LinePattern | None = None
    waiting: LinePattern | None = None
    waited: LinePattern | None = None
    twins: str = "seed"
    host: str = "here"
    gathers: bool = False
    layer: str = ""
    frame_done: LinePattern | None = None

    def build(self, name: str) -> Build:
        """The named build; the first for an empty name. Raises `SettingsError`."""
        for build in self.builds:
            if not name or build.name == name:
                return build
        known = ", ".join(build.name for build in self.builds)
        raise SettingsError({"build": f"{self.title} has no build {name!r}; it has {known}"})

    def cannot(self, what: str) -> bool:
        """Whether a call cannot carry this: ``variant``, ``frame``, ``view``, ``depth``, or a key of `changes`."""
        if what == "passes" and any(row.layer for row in self.passes):
            return False  # they lie in the picture, asked for or not
        if what in self.changes:
            return not self.changes[what]
        return not any(what in placeholders(word) for word in self.called_with)

    @property
    def called_with(self) -> tuple[str, ...]:
        """All texts in which a placeholder can carry something to the engine."""
        builds = [word for build in self.builds for word in (*build.environment.values(), *build.arguments)]
        text = (self.settings_file.text,) if self.settings_file else ()
        return (*self.render, *self.before, self.works_in, *self.environment.values(), *builds, *text)

    def switched_off(self, effect: Effect, settings: Mapping[str, Any]) -> dict[str, Value]:
        """The settings that the effect needs and that these values do not have."""
        return {name: value for name, value in effect.needs.items() if not reaches(settings.get(name), value)}

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

    @property
    def time_budget(self) -> Setting | None:
        """The setting that ends a render after so many seconds, if the definition marks one."""
        return next((setting for setting in self.settings if setting.time_budget), None)

    @property
    def denoisers(self) -> list[str]:
        """The settings that smooth the picture."""
        return [setting.name for setting in self.settings if setting.denoiser]

    def without_effect(self, settings: Mapping[str, Any], build: str, names: Iterable[str]) -> dict[str, str]:
        """Of the settings of these names, those that change nothing beside these values, and why."""
        found = {
            setting.name: setting.without_effect(settings, build) for setting in self.settings if setting.name in names
        }
        return {name: reason for name, reason in found.items() if reason}

    @property
    def writes_on_the_way(self) -> bool:
        """Whether one render can give pictures at lower values of the quality knob."""
        return bool(self.changes["on_the_way"]) and self.on_the_way is not None and self.quality_knob is not None

    @property
    def renders_sequences(self) -> bool:
        """Whether one process can render frame after frame."""
        return bool(self.changes["sequence"]) and self.twins == "seed"

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
