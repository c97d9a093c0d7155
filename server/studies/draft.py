"""A study before it exists: checked, with its match sheet and its plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from matchedpair.engines import EngineDefinition, RenderJob, unsupported
from matchedpair.engines.definition import Build, Effect
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError, SettingsError
from matchedpair.pictures.view_transform import view_transforms
from matchedpair.trials import (
    CONTROL,
    DEPTHS,
    TRIAL,
    MatchSheet,
    PlannedRun,
    Scene,
    Setup,
    match_sheet,
    on_off_plan,
    setup_problems,
)

from server.catalogue.engines import engine_named, factor_of, missing_reason
from server.catalogue.scenes import scene_named

Problems = dict[str, list[str]]
Found = TypeVar("Found")
SAME = "is the same as the control's; choose another value to have something under test"
QUANTITY, PRESET = "quantity:", "preset"
WIDE_TITLES = {"engine": "Engine", "version": "Build", "light": "Variant", PRESET: "Preset"}


@dataclass(frozen=True)
class SideDraft:
    """One side, resolved."""

    setup: Setup
    engine: EngineDefinition
    build: Build
    settings: dict[str, Value]
    brightness: dict[str, Any] | None

    @property
    def knob(self) -> str:
        """The name of the quality knob; empty when there is none."""
        return self.engine.quality_knob.name if self.engine.quality_knob else ""

    def conditions(self) -> dict[str, Any]:
        """What is known of this side before anything has run."""
        return self.setup.conditions() | {
            "engine": self.engine.title,
            "version": self.build.title or (self.build.name if len(self.engine.builds) > 1 else None),
            "device": self.build.device,
            "settings": self.settings,
            "quality_knob": self.knob or None,
            "brightness": self.brightness,
        }


@dataclass(frozen=True)
class Draft:
    """What the study form holds, resolved."""

    question: str
    scene: Scene
    sides: dict[str, SideDraft]
    under_test: str
    under_test_title: str
    repeats: int
    threads: int
    time_limit_seconds: float
    passes: tuple[str, ...]

    def plan(self) -> list[PlannedRun]:
        """The renders it will make."""
        return on_off_plan(self.repeats)

    def match_sheet(self) -> MatchSheet:
        """The sheet as far as it is known before anything has run."""
        return match_sheet(self._conditions(CONTROL), self._conditions(TRIAL), self.under_test)

    def notes(self) -> list[str]:
        """What may surprise when it has run: a switch that is off elsewhere, brightness not brought together."""
        control, trial = self.sides[CONTROL], self.sides[TRIAL]
        notes = [self._off(effect) for effect in trial.engine.effects if self.under_test in effect.needs]
        if self.under_test == "engine" and not control.brightness and not trial.brightness:
            notes.append(
                f"{control.engine.title} and {trial.engine.title} have not been brought together in brightness; "
                "their pair offers it once both have rendered."
            )
        return [note for note in notes if note]

    def _off(self, effect: Effect) -> str:
        control, trial = self.sides[CONTROL], self.sides[TRIAL]
        off = trial.engine.switched_off(effect, trial.settings)
        if not off or not control.engine.switched_off(effect, control.settings):
            return ""
        names = " and ".join(trial.engine.setting(name).title for name in off)
        title = effect.effect.replace("-", " ").capitalize()
        return f"{title} stays off on both sides: {names} must be on as well. The pictures will come out the same."

    def _conditions(self, side: str) -> dict[str, Any]:
        seeds = ", ".join(str(row.seed) for row in self.plan() if row.side == side and not row.warm_up)
        return self.sides[side].conditions() | {"threads": self.threads, "seeds": seeds, "warm_up": "thrown away"}


def resolve(values: dict[str, Any]) -> tuple[Draft | None, Problems]:
    """A draft from the form's checked values, or what is wrong with them by field."""
    problems: Problems = {}
    scene = _found(problems, "scene", lambda: scene_named(values["scene"]))
    engine = _found(problems, "engine", lambda: engine_named(values["engine"]))
    if scene is None or engine is None:
        return None, problems
    setup = _setup(scene, values)
    problems |= {part: [text] for part, text in setup_problems(setup, scene).items()}
    _found(problems, "view_transform", lambda: _known_transform(setup.view_transform))
    control = _found(problems, "settings", lambda: _side(setup, engine, values.get("build", ""), values["settings"]))
    if control is None or problems:
        return None, problems
    trial = _trial(problems, scene, control, values)
    if trial is None or problems:
        return None, problems
    passes = tuple(values.get("passes") or ())
    for side in (control, trial):
        problems |= {name: [text] for name, text in _unsupported(side, passes).items()}
        missing = missing_reason(side.engine, side.build.name)
        if missing:
            problems["engine" if side is control else "trial_value"] = [missing]
    if problems:
        return None, problems
    tested, title = _subject(scene, control, values["under_test"])
    rest = {key: values[key] for key in ("question", "repeats", "threads", "time_limit_seconds")}
    sides = {CONTROL: control, TRIAL: trial}
    return Draft(scene=scene, sides=sides, under_test=tested, under_test_title=title, passes=passes, **rest), {}


def _setup(scene: Scene, values: dict[str, Any]) -> Setup:
    crop = values.get("crop")
    return Setup(
        scene=scene.title, revision=scene.revision, view=values["view"], width=values["width"], height=values["height"],
        variant=values.get("variant") or "as-is", frame=values.get("frame", scene.first_frame),
        crop=(crop["x"], crop["y"], crop["width"], crop["height"]) if crop else None,
        quantities=_changed(scene, values.get("quantities") or {}),
        output_format=values.get("output_format") or "exr-half",
        view_transform=values.get("view_transform") or view_transforms().default,
    )  # fmt: skip


def _changed(scene: Scene, quantities: dict[str, float]) -> dict[str, float]:
    """Only those that are not at the scene's own value."""
    own = {quantity.name: quantity.default for quantity in scene.quantities}
    return {name: value for name, value in quantities.items() if own.get(name) != value}


def _side(setup: Setup, engine: EngineDefinition, build: str, settings: dict[str, Any]) -> SideDraft:
    factor = factor_of(engine.name)
    brightness = {"factor": factor.factor, "evidence": factor.evidence()} if factor else None
    return SideDraft(setup, engine, engine.build(build), engine.complete(settings), brightness)


def _trial(problems: Problems, scene: Scene, control: SideDraft, values: dict[str, Any]) -> SideDraft | None:
    """The control with the one thing changed; None and a problem when that cannot be."""
    tested, value = values["under_test"], values["trial_value"]
    if tested.startswith(QUANTITY):
        return _with_quantity(problems, scene, control, tested.removeprefix(QUANTITY), value)
    if tested == "engine":
        return _with_engine(problems, control, str(value), values.get("trial_settings") or {})
    if tested == "light":
        setup = replace(control.setup, variant=str(value))
        _refuse(problems, setup_problems(setup, scene).get("variant"))
        return _other(problems, control, setup != control.setup, setup=setup)
    if tested == "version":
        build = _found(problems, "trial_value", lambda: control.engine.build(str(value)))
        return _other(problems, control, build != control.build, build=build) if build else None
    if tested == PRESET:
        return _with_preset(problems, control, value)
    return _with_setting(problems, control, tested, value)


def _with_engine(problems: Problems, control: SideDraft, name: str, settings: dict[str, Any]) -> SideDraft | None:
    engine = _found(problems, "trial_value", lambda: engine_named(name))
    if engine is None:
        return None
    if engine.name == control.engine.name:
        _refuse(problems, SAME)
    return _found(problems, "trial_settings", lambda: _side(control.setup, engine, "", settings))


def _with_preset(problems: Problems, control: SideDraft, name: Any) -> SideDraft | None:
    preset = next((row for row in control.engine.presets if row.name == name), None)
    if preset is None:
        _refuse(problems, f"{control.engine.title} has no preset {name!r}")
        return None
    settings = control.engine.complete(preset.values)
    return _other(problems, control, settings != control.settings, settings=settings)


def _with_setting(problems: Problems, control: SideDraft, name: str, value: Any) -> SideDraft | None:
    setting = _found(problems, "under_test", lambda: control.engine.setting(name))
    if setting is None:
        return None
    wrong = setting.problem_with(value)
    if wrong:
        _refuse(problems, wrong)
        return None
    settings = {**control.settings, name: setting.cleaned(value)}
    return _other(problems, control, settings != control.settings, settings=settings)


def _with_quantity(problems: Problems, scene: Scene, control: SideDraft, name: str, value: Any) -> SideDraft | None:
    quantity = scene.quantity(name)
    if quantity is None:
        problems["under_test"] = [f"{scene.title} declares no quantity {name!r}"]
        return None
    wrong = quantity.problem_with(value)
    if wrong:
        _refuse(problems, wrong)
        return None
    now = control.setup.quantities.get(name, quantity.default)
    setup = replace(control.setup, quantities=_changed(scene, {**control.setup.quantities, name: float(value)}))
    return _other(problems, control, now != float(value), setup=setup)


def _other(problems: Problems, control: SideDraft, differs: bool, **changes: Any) -> SideDraft:
    if not differs:
        _refuse(problems, SAME)
    return replace(control, **changes)


def _refuse(problems: Problems, why: str | None) -> None:
    if why:
        problems["trial_value"] = [why]


def _subject(scene: Scene, control: SideDraft, tested: str) -> tuple[str, str]:
    """The condition or setting under test, as the match sheet knows it, and its title."""
    if tested.startswith(QUANTITY):
        quantity = scene.quantity(tested.removeprefix(QUANTITY))
        return "quantities", quantity.title if quantity else tested
    if tested == PRESET:
        return "settings", WIDE_TITLES[PRESET]
    if tested in WIDE_TITLES:
        return tested, WIDE_TITLES[tested]
    return tested, control.engine.setting(tested).title


def _unsupported(side: SideDraft, passes: tuple[str, ...]) -> dict[str, str]:
    """What the engine's definition gives no way to ask for."""
    setup = side.setup
    job = RenderJob(
        scene=None, view=setup.view, frame=setup.frame, width=setup.width, height=setup.height, seed=0, threads=1,  # type: ignore[arg-type]  # never called
        settings=side.settings, time_limit_seconds=1, build=side.build.name, variant=setup.variant, crop=setup.crop,
        quantities=setup.quantities, passes=passes, depth=DEPTHS[setup.output_format],
    )  # fmt: skip
    return unsupported(side.engine, job)


def _known_transform(name: str) -> bool:
    if name not in view_transforms().names:
        raise InputError(f"there is no view transform {name!r}; there are {', '.join(view_transforms().names)}")
    return True


def _found(problems: Problems, field: str, find: Callable[[], Found]) -> Found | None:
    try:
        return find()
    except SettingsError as error:
        if field in ("settings", "trial_settings"):
            problems |= {
                name if name == "build" else f"{field}.{name}": [text] for name, text in error.problems.items()
            }
        else:
            problems[field] = list(error.problems.values())
    except InputError as error:
        problems[field] = [str(error)]
    return None
