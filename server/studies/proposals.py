"""What a question proposes for a scene and an engine, and levels to begin with for any factor."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from matchedpair.engines.setting import Setting
from matchedpair.errors import InputError
from matchedpair.plans import PlanKind, kind_named, ladder, question_named, same_work, through_range
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
from matchedpair.scenes import AS_IS

from server.catalogue.engines import engine_named, engines_now, missing_reason
from server.catalogue.scenes import scenes_now
from server.studies.side import SideDraft

Levels = list[dict[str, Any]]
BUDGETS = (1.0, 2.0, 5.0, 10.0)
SHARES = (0.5, 0.7, 1.4)
COUNT = 5
WIDE = 8  # a range is gone through from this share of the value to this many times it
TUNED = "everyday"


def proposed_factors(asked: str, baseline: SideDraft) -> tuple[PlanKind, Levels]:
    """Plan kind and factors of a question for this baseline; a subject that it does not have is left out."""
    question = question_named(asked)
    kind = kind_named(question.kind)
    factors = []
    for wanted in question.subjects:
        subject = _subject(wanted, baseline)
        levels = proposed_levels(baseline, subject, kind) if subject else []
        if subject == ENGINE and question.passes:
            levels = [level for level in levels if _writes(level["value"], question.passes)]
        if levels:
            factors.append({"subject": subject, "levels": levels})
    return kind, factors


def proposed_levels(baseline: SideDraft, subject: str, kind: PlanKind) -> Levels:
    """Levels to begin with, other than the baseline's own; as many as the kind takes. Raises `InputError`."""
    if kind.shape == "together" and subject in (SIZE, QUALITY, baseline.knob):
        return _same_time(baseline, subject)
    if subject.startswith(QUANTITY):
        levels = _of_quantity(baseline, subject.removeprefix(QUANTITY))
    elif subject in _OF_PLACE:
        levels = _OF_PLACE[subject](baseline)
    elif subject == TIME_BUDGET:
        levels = _plain(BUDGETS)
    else:
        name = baseline.knob if subject == QUALITY else subject
        setting = baseline.engine.setting(name)
        levels = _of_setting(setting, baseline.settings[name], kind)
    return levels[: kind.most_levels]


def _writes(engine: str, passes: Sequence[str]) -> bool:
    return set(passes) <= {row.name for row in engine_named(engine).passes}


def _subject(wanted: str, baseline: SideDraft) -> str:
    """The subject that a question's word stands for with this engine; empty when it has none."""
    settings = baseline.engine.settings
    if wanted == QUALITY:
        return baseline.knob
    if wanted == "switch":
        return next((s.name for s in settings if s.kind == "switch"), "") or next(
            (s.name for s in settings if s.kind == "choice"), ""
        )
    if wanted.startswith("setting:"):
        part = wanted.removeprefix("setting:")
        return next((s.name for s in settings if part in s.name), "")
    return wanted


def _of_setting(setting: Setting, value: Any, kind: PlanKind) -> Levels:
    if setting.kind == "switch":
        return _plain([not value])
    if setting.kind == "choice":
        return _plain(choice for choice in setting.choices if choice != value)
    whole = setting.kind == "integer"
    low = setting.minimum if setting.minimum is not None else 0.0
    high = setting.maximum if setting.maximum is not None else max(value, 1) * WIDE
    if kind.most_levels == 1:
        other = value * 2 if value > 0 else min(high, max(1.0, low))
        return _numbers([other if other <= high else value / 2], setting, value)
    if setting.quality_knob and value > 0:
        least = max(low, value / 4, 1 if whole else 1e-9)
        return _numbers(ladder(least, min(high, value * 4), whole=whole), setting, value)
    low, high = (max(low, value / WIDE), min(high, value * WIDE)) if value > 0 else (low, min(high, low + COUNT))
    if whole and low > 0 and high / low > WIDE:
        return _numbers(ladder(low, high), setting, value)
    return _numbers(through_range(low, high, COUNT, whole=whole) if high > low else [], setting, value)


def _of_quantity(baseline: SideDraft, name: str) -> Levels:
    quantity = baseline.scene.quantity(name)
    if quantity is None:
        raise InputError(f"{baseline.scene.title} declares no quantity {name!r}")
    now = baseline.setup.quantities.get(name, quantity.default)
    levels = through_range(quantity.minimum, quantity.maximum, COUNT, whole=False)
    return _plain(level for level in levels if level != now)


def _same_time(baseline: SideDraft, subject: str) -> Levels:
    size = (baseline.setup.width, baseline.setup.height)
    samples = baseline.settings.get(baseline.knob)
    if isinstance(samples, bool) or not isinstance(samples, int | float):
        raise InputError(f"{baseline.engine.title} has no quality knob in numbers to spend the same time with")
    rows = same_work(size, int(samples), SHARES)
    return _plain(f"{w}x{h}" for (w, h), _ in rows) if subject == SIZE else _plain(n for _, n in rows)


def _engines(baseline: SideDraft) -> Levels:
    """Every other engine on this machine as the control is, so that like is compared with like: at its defaults, or
    tuned by its everyday preset where it has one; then the control's own engine the other way.
    """
    plain = baseline.engine.complete({}) == baseline.settings
    rows: Levels = []
    for engine in engines_now()[0]:
        tuned = next((dict(preset.values) for preset in engine.presets if preset.name == TUNED), {})
        own = engine.name == baseline.engine.name
        settings = tuned if plain == own else {}
        if not missing_reason(engine) and not (own and baseline.engine.complete(settings) == baseline.settings):
            rows.append({"value": engine.name, "settings": settings})
    return sorted(rows, key=lambda row: row["value"] == baseline.engine.name)


def _scenes(baseline: SideDraft) -> Levels:
    """All others that stress something."""
    others = [scene for scene in scenes_now([])[0] if scene.name != baseline.scene.name and scene.stresses]
    return _plain(scene.name for scene in others)


def _frames(baseline: SideDraft) -> Levels:
    first, last = baseline.scene.first_frame, baseline.scene.last_frame
    levels = through_range(first, last, min(COUNT, last - first + 1), whole=True) if last > first else []
    return _plain(level for level in levels if level != baseline.setup.frame)


def _sizes(baseline: SideDraft) -> Levels:
    width, height = baseline.setup.width, baseline.setup.height
    return _plain(f"{round(width * share)}x{round(height * share)}" for share in (0.5, 2.0))


_OF_PLACE: dict[str, Callable[[SideDraft], Levels]] = {
    ENGINE: _engines, SCENE: _scenes, FRAME: _frames, SIZE: _sizes,
    VERSION: lambda side: _plain(build.name for build in side.engine.builds if build != side.build),
    PRESET: lambda side: _plain(preset.name for preset in side.engine.presets),
    LIGHT: lambda side: _plain(row.name for row in side.scene.variants if row.name not in (AS_IS, side.setup.variant)),
    VIEW: lambda side: _plain(view.name for view in side.scene.views if view.name != side.setup.view),
}  # fmt: skip


def _plain(values: Any) -> Levels:
    return [{"value": value, "settings": None} for value in values]


def _numbers(values: list[float], setting: Setting, own: Any) -> Levels:
    cleaned = [setting.cleaned(value) for value in values if setting.problem_with(value) is None]
    return _plain(value for value in dict.fromkeys(cleaned) if value != own)
