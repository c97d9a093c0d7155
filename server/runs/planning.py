"""What a plan will cost, from the runs in the database, and the plan trimmed to its budget."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from matchedpair.engines import describe_machine
from matchedpair.engines.setting import Value, is_number
from matchedpair.plans import (
    TRIAL,
    BudgetRow,
    Estimate,
    KnownCost,
    PlanCost,
    Trimmed,
    estimate,
    plan_cost,
    position_of,
    scatter_among,
    trim,
)
from matchedpair.scenes import Setup

from server.catalogue.engines import engines_now
from server.runs.models import Run, RunState
from server.store.kept import Kept
from server.studies.draft import Draft, OptionDraft

MOST_KNOWN = 3000
PILOT_WIDTH = 80
LEAST_PILOT_SHARE = 0.05
_scatter: Kept[Mapping[str, float]] = Kept(20)


@dataclass(frozen=True)
class CostedPlan:
    """A draft trimmed to its budget, the estimate of each option, the whole cost, and how it was trimmed."""

    draft: Draft
    estimates: tuple[Estimate | None, ...]
    renders: Counter[int]
    warm_ups: int
    cost: PlanCost
    trimmed: Trimmed | None


def costed(draft: Draft) -> CostedPlan:
    """Estimate every option and trim the plan to its budget."""
    here, budgets = describe_machine().name, time_budgets()
    runs = _known_runs({option.side.engine.name for option in draft.options}, here)
    known = [known_cost(run, budgets) for run in runs]
    scatter = _scatter_among(runs, known, budgets)
    estimates = tuple(estimate(_wanted(option, here, budgets), known, scatter) for option in draft.options)
    trimmed = _trimmed(draft, estimates)
    if trimmed:
        draft = draft.trimmed(trimmed.left_out, trimmed.repeats)
    plan = draft.plan()
    renders = Counter(row.option for row in plan)
    frames = {number: draft.repeats for number, option in enumerate(draft.options) if option.in_one_go}
    cost = plan_cost([(estimates[number], count) for number, count in (renders + Counter(frames)).items()])
    return CostedPlan(draft, estimates, renders, sum(row.warm_up for row in plan), cost, trimmed)


def pilot_of(draft: Draft, only: Collection[int] | None = None) -> list[OptionDraft]:
    """Every option that has renders of its own, or these of them, at a tiny size."""
    rows = []
    for number in draft.kept() if only is None else [each for each in draft.kept() if each in only]:
        option = draft.options[number]
        if option.comes_with is None:
            share = max(PILOT_WIDTH / option.side.setup.width, LEAST_PILOT_SHARE)
            side = option.side.smaller(min(share, 1.0))
            rows.append(replace(option, side=side, key=f"pilot{side.key()}"[:64], control=None))
    return list({row.key: row for row in rows}.values())


def _known_runs(engines: set[str], machine: str) -> list[Run]:
    """The newest finished runs of these engines on a machine; warm-ups only when there is nothing else."""
    runs = Run.objects.filter(
        state=RunState.FINISHED, option__engine__in=engines, machine_name=machine, wall_seconds__gt=0,
        study__from_elsewhere=False,
    ).select_related("option__setup__scene")  # fmt: skip
    names = [
        "wall_seconds", "ready_seconds", "picture_bytes", "warm_up", "machine_name", "study", "option__engine",
        "option__build", "option__settings", "option__quality_knob", "option__setup__scene__name",
    ]  # fmt: skip
    rows = list(runs.order_by("-ended_at").only(*names, *_SETUP)[:MOST_KNOWN])
    return [run for run in rows if not run.warm_up] or rows


def _scatter_among(runs: Sequence[Run], known: Sequence[KnownCost], budgets: Mapping[str, str]) -> Mapping[str, float]:
    """How far estimates from these runs are off; kept while they are the same."""
    key = frozenset((run.option.engine, run.machine_name) for run in runs)
    stamp = tuple(run.pk for run in runs), sorted(budgets.items())
    scatter = _scatter.found(key, stamp)
    if scatter is None:
        scatter = scatter_among(known)
        _scatter.keep(key, stamp, scatter)
    return scatter


_SETUP = [
    f"option__setup__{name}"
    for name in ("scene__revision", "scene__title", "view", "variant", "frame", "width", "height", "crop", "quantities")
] + ["option__setup__output_format", "option__setup__view_transform"]


def time_budgets() -> dict[str, str]:
    """By engine the setting that ends a render by time, where its definition marks one."""
    return {each.name: each.time_budget.name for each in engines_now()[0] if each.time_budget}


def known_cost(run: Run, budgets: Mapping[str, str]) -> KnownCost:
    """What a finished run cost, as the estimates take it."""
    option = run.option
    setup, knob = option.setup.description(), option.quality_knob
    cost = _cost(option.engine, option.build, setup, option.settings, knob, run.machine_name, budgets)
    return replace(
        cost, seconds=run.wall_seconds or 0.0, ready_seconds=run.ready_seconds or 0.0, picture_bytes=run.picture_bytes,
        study=run.study_id,
    )  # fmt: skip


def _wanted(option: OptionDraft, machine: str, budgets: Mapping[str, str]) -> KnownCost:
    side = option.side
    return _cost(side.engine.name, side.build.name, side.setup, side.settings, side.knob, machine, budgets)


def _cost(
    engine: str, build: str, setup: Setup, settings: Mapping[str, Value], knob: str, machine: str,
    budgets: Mapping[str, str],
) -> KnownCost:  # fmt: skip
    """Without samples where a time budget ends the render, or the knob is no number: its time then follows neither."""
    width, height = setup.picture_size
    quantities = " ".join(f"{name}={value:g}" for name, value in sorted(setup.quantities.items()))
    samples = settings.get(knob)
    timed = bool(settings.get(budgets.get(engine, "")))
    return KnownCost(
        engine=f"{engine} {build}",
        scene=" ".join((setup.scene, setup.revision, setup.view, setup.variant, str(setup.frame), quantities)),
        machine=machine, pixels=width * height,
        samples=float(samples) if is_number(samples) and not timed else None,
        settings={name: value for name, value in settings.items() if name != knob},
    )  # fmt: skip


def _trimmed(draft: Draft, estimates: Sequence[Estimate | None]) -> Trimmed | None:
    budget: dict[str, Any] = draft.values.get("budget") or {}
    renders, minutes = budget.get("renders"), budget.get("minutes")
    if not renders and not minutes:
        return None
    kept = draft.kept()
    rows = []
    for number in kept:
        option = draft.options[number]
        changed = [place for place, level in enumerate(option.levels) if level.changed]
        # another's render brings it and it costs nothing of its own
        free = option.comes_with is not None and not option.in_one_go
        known = estimates[number]
        rows.append(BudgetRow(
            control=option.role != TRIAL, changes=len(changed), seconds=0.0 if free else known and known.seconds,
            position=position_of(option.levels[changed[0]].value) if changed else None,
            factor=changed[0] if changed else 0,
        ))  # fmt: skip
    found = trim(rows, draft.repeats, most_renders=renders, most_seconds=minutes * 60 if minutes else None)
    return replace(found, left_out={kept[place]: why for place, why in found.left_out.items()})
