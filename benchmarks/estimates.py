"""How far estimates of the demo data's renders are from what they took, each kind of basis by itself."""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import replace
from pathlib import Path
from statistics import median

from django.core.management import call_command
from matchedpair.plans import KnownCost, estimate, scatter_among
from matchedpair.plans.estimate import SCATTER

from benchmarks.figures import Measured, show
from server.runs.models import Run
from server.runs.planning import known_cost, time_budgets

ROOT = Path(__file__).parents[1]


def run() -> bool:
    """Each option is estimated from the runs of other studies, and from ever less alike ones; how far that may be off,
    those other studies tell.
    """
    call_command("load_data", str(ROOT / "demo" / "data"), verbosity=0)
    runs = Run.objects.filter(state="finished", warm_up=False, made_by=None, study__from_elsewhere=False)
    budgets = time_budgets()
    costs = [known_cost(run, budgets) for run in runs.order_by("-ended_at").select_related("option__setup__scene")]
    wrong: dict[str, list[float]] = defaultdict(list)
    held: dict[str, int] = defaultdict(int)
    for study in {each.study for each in costs}:
        others = [each for each in costs if each.study != study]
        scatter = scatter_among(others)
        for cost in (each for each in costs if each.study == study):
            for known in _ever_less_alike(cost, others):
                found = estimate(replace(cost, seconds=0.0), known, scatter)
                if found is None:
                    continue
                wrong[found.basis].append(abs(math.log(cost.seconds / found.seconds)))
                held[found.basis] += found.interval[0] <= cost.seconds <= found.interval[1]
    figures = []
    for basis in SCATTER:
        count = len(wrong[basis])
        if count:
            figures.append(Measured(f"{basis}: typical factor between estimate and truth, {count} tries",
                                    math.exp(median(wrong[basis])), "×"))  # fmt: skip
            figures.append(
                Measured(f"{basis}: outside the 95 % interval", 100.0 * (1 - held[basis] / count), "%", 10.0)
            )
    scatter = scatter_among(costs)
    figures += [Measured(f"{basis}: scatter of the logarithm, as learned", scatter[basis], "") for basis in SCATTER]
    return show("Estimates of the demo data's renders from other studies", figures)


def _ever_less_alike(cost: KnownCost, others: list[KnownCost]) -> list[list[KnownCost]]:
    """What else there is, then without the same render, the same settings, the same scene."""
    no_twin = [each for each in others if not _same(each, cost, "scene", "settings", "samples", "pixels")]
    no_size = [each for each in no_twin if not _same(each, cost, "scene", "settings", "samples")]
    no_settings = [each for each in no_size if not _same(each, cost, "scene", "settings")]
    return [others, no_twin, no_size, no_settings, [each for each in others if each.scene != cost.scene]]


def _same(one: KnownCost, other: KnownCost, *names: str) -> bool:
    return all(getattr(one, name) == getattr(other, name) for name in names)
