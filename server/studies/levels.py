"""A factor's levels: what each subject can be, and a side with one of them taken."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from matchedpair.conditions.match_sheet import shown
from matchedpair.engines.setting import Setting
from matchedpair.errors import InputError, MatchedPairError, SettingsError
from matchedpair.plans.plan_kind import (
    ENGINE,
    FRAME,
    LIGHT,
    PRESET,
    QUALITY,
    QUANTITY,
    SCENE,
    SIZE,
    TIME_BUDGET,
    VERSION,
    VIEW,
)
from matchedpair.scenes import AS_IS, Scene, setup_problems, variant_words
from matchedpair.textures.maps import REDUCED

from server.catalogue.engines import engine_named
from server.catalogue.scenes import scene_named
from server.studies.side import SideDraft, make_side

DEFAULTS = "defaults"
# scene before what lies in it, engine before what belongs to it
ORDER = {SCENE: 0, ENGINE: 1, VERSION: 2, PRESET: 3}
TITLES = {
    SCENE: "Scene", VIEW: "View", FRAME: "Frame", LIGHT: "Variant", SIZE: "Size", ENGINE: "Engine", VERSION: "Build",
    PRESET: "Preset", TIME_BUDGET: "Time budget", QUALITY: "Quality knob",
}  # fmt: skip
CONDITIONS_OF = {
    SCENE: (SCENE, VIEW, FRAME, LIGHT, "quantities"), VIEW: (VIEW,), FRAME: (FRAME,), LIGHT: (LIGHT,), SIZE: (SIZE,),
    ENGINE: (ENGINE,), VERSION: (VERSION,), PRESET: ("settings",),
}  # fmt: skip


@dataclass(frozen=True)
class Level:
    """One level of a factor; `settings` tune an engine that is the level."""

    value: Any
    settings: dict[str, Any] | None = None


@dataclass(frozen=True)
class ShownLevel:
    """What an option has at one factor; `names` are the conditions and settings that the factor lets differ."""

    subject: str
    title: str
    value: Any
    shown: str
    changed: bool
    names: list[str]

    def words(self, knob: str = "") -> str:
        """Such as ``light picking estimate``, or ``8 samples`` of an engine's quality knob."""
        if self.subject == QUALITY and knob:
            return f"{self.shown} {knob.replace('_', ' ')}"
        if self.subject == LIGHT and str(self.value).startswith(REDUCED):
            return self.shown
        return f"{self.title[:1].lower()}{self.title[1:]} {self.shown}"


def with_level(side: SideDraft, subject: str, level: Level) -> SideDraft:
    """The side with this level taken. Raises `InputError` (or `SettingsError`) when it does not fit."""
    if subject.startswith(QUANTITY):
        return _with_quantity(side, subject.removeprefix(QUANTITY), level.value)
    take = _TAKERS.get(subject)
    return take(side, level) if take else _with_setting(side, subject, level.value)


def subject_title(side: SideDraft, subject: str) -> str:
    """What a factor is about, in words. Raises `InputError` for what neither scene nor engine has."""
    if subject.startswith(QUANTITY):
        quantity = side.scene.quantity(subject.removeprefix(QUANTITY))
        if quantity is None:
            known = ", ".join(each.name for each in side.scene.quantities) or "none"
            raise InputError(
                f"{side.scene.title} declares no quantity {subject.removeprefix(QUANTITY)!r}; it has {known}"
            )
        return quantity.title
    return TITLES.get(subject) or side.engine.setting(subject).title


def level_shown(side: SideDraft, subject: str) -> str:
    """What a side has at this factor, in words."""
    setup = side.setup
    texts: dict[str, Callable[[], str]] = {
        SCENE: lambda: side.scene.title, VIEW: lambda: setup.view, FRAME: lambda: str(setup.frame),
        LIGHT: lambda: variant_words(setup.variant),
        SIZE: lambda: f"{setup.width} × {setup.height}", ENGINE: lambda: _engine_shown(side),
        VERSION: lambda: side.build.title or side.build.name, PRESET: lambda: _preset_shown(side),
        TIME_BUDGET: lambda: _flagged(side, side.engine.time_budget),
        QUALITY: lambda: _flagged(side, side.engine.quality_knob),
    }  # fmt: skip
    if subject in texts:
        return texts[subject]()
    if subject.startswith(QUANTITY):
        name = subject.removeprefix(QUANTITY)
        quantity = side.scene.quantity(name)
        return shown(float(setup.quantities.get(name, quantity.default if quantity else 0.0)))
    return shown(side.settings.get(subject))


def level_value(side: SideDraft, subject: str) -> Any:
    """The same as a plain value, for sorting and for finding where a level lies along its factor."""
    setting = {QUALITY: side.engine.quality_knob, TIME_BUDGET: side.engine.time_budget}.get(subject)
    name = setting.name if setting else subject
    if name in side.settings:
        return side.settings[name]
    plain = {
        ENGINE: f"{side.engine.name}, {_preset_shown(side)}", FRAME: side.setup.frame,
        SIZE: side.setup.width * side.setup.height,
        LIGHT: side.setup.variant if side.setup.variant != AS_IS else variant_words(AS_IS),
    }  # fmt: skip
    if subject.startswith(QUANTITY):
        return float(level_shown(side, subject))
    return plain.get(subject, level_shown(side, subject))


def tested_by(side: SideDraft, subject: str) -> list[str]:
    """The conditions and settings that a factor lets differ, by the names of the match sheet."""
    if subject.startswith(QUANTITY):
        return ["quantities"]
    if subject == QUALITY:
        return [side.knob]
    if subject == TIME_BUDGET:
        return [side.engine.time_budget.name, side.knob] if side.engine.time_budget else []
    return list(CONDITIONS_OF.get(subject, (subject,)))


def differing_levels(control: Iterable[ShownLevel], trial: Iterable[ShownLevel]) -> list[tuple[ShownLevel, ShownLevel]]:
    """The factors at which two options differ, each with the control's level and the trial's."""
    both = zip(control, trial, strict=False)
    return [(a, b) for a, b in both if (a.value, a.shown) != (b.value, b.shown)]


def under_test(differing: Iterable[tuple[ShownLevel, ShownLevel]], *, same_engine: bool) -> list[str]:
    """What is under test where two options differ: an engine that is tuned differs from itself in its settings."""
    names = (name for a, b in differing for name in (*a.names, *b.names))
    known = ("settings" if name == ENGINE and same_engine else name for name in names)
    return list(dict.fromkeys(name for name in known if name))


def in_words(differing: Iterable[tuple[ShownLevel, ShownLevel]]) -> str:
    """What the trial has there, such as ``size 96 × 54 and samples 64``."""
    return " and ".join(b.words() for _, b in differing)


def _with_scene(side: SideDraft, level: Level) -> SideDraft:
    scene = scene_named(str(level.value))
    old = side.setup
    has = {variant.name for variant in scene.variants}
    setup = replace(
        old, scene=scene.title, revision=scene.revision,
        view=old.view if scene.has_view(old.view) else scene.views[0].name,
        variant=old.variant if old.variant in has else AS_IS,
        frame=min(max(old.frame, scene.first_frame), scene.last_frame),
        quantities={name: value for name, value in old.quantities.items() if scene.quantity(name)},
    )  # fmt: skip
    return replace(side, scene=scene, setup=setup)


def _with_engine(side: SideDraft, level: Level) -> SideDraft:
    name = str(level.value)
    if name == side.engine.name:
        settings = level.settings if level.settings is not None else side.settings
        return make_side(side.scene, side.setup, side.engine, side.build.name, dict(settings))
    return make_side(side.scene, side.setup, engine_named(name), "", dict(level.settings or {}))


def _with_build(side: SideDraft, level: Level) -> SideDraft:
    return replace(side, build=side.engine.build(str(level.value)))


def _with_preset(side: SideDraft, level: Level) -> SideDraft:
    if level.value == DEFAULTS:
        return replace(side, settings=side.engine.complete({}))
    preset = next((row for row in side.engine.presets if row.name == level.value), None)
    if preset is None:
        known = ", ".join([DEFAULTS, *(row.name for row in side.engine.presets)])
        raise InputError(f"{side.engine.title} has no preset {level.value!r}; it has {known}")
    return replace(side, settings=side.engine.complete(preset.values))


def _with_budget(side: SideDraft, level: Level) -> SideDraft:
    """So many seconds of rendering; the quality knob is opened as far as it goes, so that only time ends the render."""
    budget, knob = side.engine.time_budget, side.engine.quality_knob
    if budget is None:
        raise InputError(
            f"{side.engine.title} cannot end a render after a given time: its definition marks no time budget"
        )
    opened = {knob.name: knob.cleaned(knob.maximum)} if knob and knob.maximum is not None and level.value else {}
    return _with_setting(replace(side, settings={**side.settings, **opened}), budget.name, level.value)


def _with_quality(side: SideDraft, level: Level) -> SideDraft:
    if not side.knob:
        raise InputError(f"{side.engine.title} has no quality knob")
    return _with_setting(side, side.knob, level.value)


def _with_setting(side: SideDraft, name: str, value: Any) -> SideDraft:
    setting = side.engine.setting(name)
    wrong = setting.problem_with(value)
    if wrong:
        raise InputError(wrong)
    return replace(side, settings={**side.settings, name: setting.cleaned(value)})


def _with_quantity(side: SideDraft, name: str, value: Any) -> SideDraft:
    quantity = side.scene.quantity(name)
    if quantity is None:
        raise InputError(f"{side.scene.title} declares no quantity {name!r}")
    wrong = quantity.problem_with(value)
    if wrong:
        raise InputError(wrong)
    changed = changed_quantities(side.scene, {**side.setup.quantities, name: float(value)})
    return replace(side, setup=replace(side.setup, quantities=changed))


def _with_place(part: str, parse: Callable[[Any], dict[str, Any]]) -> Callable[[SideDraft, Level], SideDraft]:
    def take(side: SideDraft, level: Level) -> SideDraft:
        setup = replace(side.setup, **parse(level.value))
        problem = setup_problems(setup, side.scene).get(part)
        if problem:
            raise InputError(problem)
        return replace(side, setup=setup)

    return take


def _size(value: Any) -> dict[str, Any]:
    width, _, height = str(value).replace("×", "x").replace(" ", "").partition("x")
    if not (width.isdigit() and height.isdigit() and 16 <= int(width) <= 8192 and 16 <= int(height) <= 8192):
        raise InputError(f"must be a size such as 480x270, from 16 to 8192 pixels each, got {value!r}")
    return {"width": int(width), "height": int(height), "crop": None}


def _frame(value: Any) -> dict[str, Any]:
    if isinstance(value, bool) or not isinstance(value, int | float) or value != int(value):
        raise InputError(f"must be a whole number, got {value!r}")
    return {"frame": int(value)}


_TAKERS: dict[str, Callable[[SideDraft, Level], SideDraft]] = {
    SCENE: _with_scene, ENGINE: _with_engine, VERSION: _with_build, PRESET: _with_preset, TIME_BUDGET: _with_budget,
    QUALITY: _with_quality, SIZE: _with_place("crop", _size), FRAME: _with_place("frame", _frame),
    VIEW: _with_place("view", lambda value: {"view": str(value)}),
    LIGHT: _with_place("variant", lambda value: {"variant": str(value)}),
}  # fmt: skip


def changed_quantities(scene: Scene, quantities: dict[str, float]) -> dict[str, float]:
    """Only those that are not at the scene's own value."""
    own = {quantity.name: quantity.default for quantity in scene.quantities}
    return {name: value for name, value in quantities.items() if own.get(name) != value}


def _engine_shown(side: SideDraft) -> str:
    preset = _preset_shown(side)
    how = {"defaults": "default settings", "own values": "tuned"}.get(preset, f"preset {preset}")
    return f"{side.engine.title} ({how})"


def _preset_shown(side: SideDraft) -> str:
    if side.settings == side.engine.defaults():
        return "defaults"
    for preset in side.engine.presets:
        if side.settings == side.engine.complete(preset.values):
            return preset.title
    return "own values"


def _flagged(side: SideDraft, setting: Setting | None) -> str:
    return shown(side.settings[setting.name]) if setting else "none"


def level_problem(error: MatchedPairError) -> str:
    """What is wrong with a level, as one text."""
    if isinstance(error, SettingsError):
        return "; ".join(f"{name}: {text}" for name, text in error.problems.items())
    return str(error)
