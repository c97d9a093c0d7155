"""A study before it exists: checked, with its match sheet and its plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from matchedpair.engines import EngineDefinition
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError, SettingsError
from matchedpair.trials import CONTROL, TRIAL, MatchSheet, PlannedRun, Scene, match_sheet, on_off_plan

from server.catalogue.engines import engine_named, missing_reason
from server.catalogue.scenes import scene_named

Problems = dict[str, list[str]]
Found = TypeVar("Found")


@dataclass(frozen=True)
class Draft:
    """What the study form holds, resolved."""

    question: str
    scene: Scene
    view: str
    width: int
    height: int
    engine: EngineDefinition
    settings: dict[str, dict[str, Value]]  # by side
    under_test: str
    repeats: int
    threads: int
    time_limit_seconds: float

    def plan(self) -> list[PlannedRun]:
        """The renders it will make."""
        return on_off_plan(self.repeats)

    def match_sheet(self) -> MatchSheet:
        """The sheet as far as it is known before anything has run."""
        return match_sheet(self._conditions(CONTROL), self._conditions(TRIAL), self.under_test)

    def _conditions(self, side: str) -> dict[str, Any]:
        knob = self.engine.quality_knob
        return {
            "scene": f"{self.scene.title}, revision {self.scene.revision[:8]}",
            "view": self.view,
            "frame": 1,
            "size": f"{self.width} × {self.height}",
            "light": "as in the scene",
            "exposure": "one for both",
            "engine": self.engine.title,
            "device": self.engine.device,
            "threads": self.threads,
            "settings": self.settings[side],
            "quality_knob": knob.name if knob else None,
            "seeds": ", ".join(str(row.seed) for row in self.plan() if row.side == side and not row.warm_up),
            "warm_up": "thrown away",
        }


def resolve(values: dict[str, Any]) -> tuple[Draft | None, Problems]:
    """A draft from the form's checked values, or what is wrong with them by field."""
    problems: Problems = {}
    scene = _found(problems, "scene", lambda: scene_named(values["scene"]))
    engine = _found(problems, "engine", lambda: engine_named(values["engine"]))
    if scene and not scene.has_view(values["view"]):
        known = ", ".join(view.name for view in scene.views)
        problems["view"] = [f"{scene.title} has no view {values['view']!r}; it has {known}"]
    if engine:
        missing = missing_reason(engine)
        if missing:
            problems["engine"] = [missing]
        problems |= _settings_problems(engine, values)
    if problems or scene is None or engine is None:
        return None, problems
    control = engine.complete(values["settings"])
    trial = engine.complete({**values["settings"], values["under_test"]: values["trial_value"]})
    settings = {CONTROL: control, TRIAL: trial}
    rest = {key: values[key] for key in ("question", "view", "width", "height", "repeats", "threads")}
    limit = values["time_limit_seconds"]
    under_test = values["under_test"]
    return Draft(
        scene=scene, engine=engine, settings=settings, under_test=under_test, time_limit_seconds=limit, **rest
    ), {}  # fmt: skip


def _settings_problems(engine: EngineDefinition, values: dict[str, Any]) -> Problems:
    problems: Problems = {}
    try:
        control = engine.complete(values["settings"])
    except SettingsError as error:
        return {f"settings.{name}": [text] for name, text in error.problems.items()}
    try:
        setting = engine.setting(values["under_test"])
    except SettingsError as error:
        return {"under_test": list(error.problems.values())}
    wrong = setting.problem_with(values["trial_value"])
    if wrong:
        problems["trial_value"] = [wrong]
    elif setting.cleaned(values["trial_value"]) == control[setting.name]:
        problems["trial_value"] = ["is the same as the control's; choose another value to have something under test"]
    return problems


def _found(problems: Problems, field: str, find: Callable[[], Found]) -> Found | None:
    try:
        return find()
    except InputError as error:
        problems[field] = [str(error)]
        return None
