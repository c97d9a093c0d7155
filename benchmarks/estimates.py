"""How far estimates of the demo data's renders are from what they took, each kind of basis by itself."""

from __future__ import annotations

import math
from collections import defaultdict
from dataclasses import replace
from pathlib import Path
from statistics import median

from django.core.management import call_command
from matchedpair.plans import KnownCost, estimate
from matchedpair.plans.estimate import SCATTER

from benchmarks.figures import Measured, show
from server.runs.models import Run
from server.runs.planning import known_cost, time_budgets

ROOT = Path(__file__).parents[1]


def run() -> bool:
    """Each option is estimated from the runs of the others, and from ever less alike ones."""
    call_command("load_data", str(ROOT / "demo" / "data"), verbosity=0)
    runs = Run.objects.filter(state="finished", warm_up=False, made_by=None, study__from_elsewhere=False)
    budgets = time_budgets()
    costs = [known_cost(run, budgets) for run in runs.select_related("option__setup__scene")]
    wrong: dict[str, list[float]] = defaultdict(list)
    held: dict[str, int] = defaultdict(int)
    for cost in costs:
        for others in _ever_less_alike(cost, costs):
            found = estimate(replace(cost, seconds=0.0), others)
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
    return show("Estimates of the demo data's renders", figures)


def _ever_less_alike(cost: KnownCost, costs: list[KnownCost]) -> list[list[KnownCost]]:
    """What else there is, then without the same render, the same settings, the same scene."""
    others = [each for each in costs if each is not cost]
    no_twin = [each for each in others if not _same(each, cost, "scene", "settings", "samples", "pixels")]
    no_size = [each for each in no_twin if not _same(each, cost, "scene", "settings", "samples")]
    no_settings = [each for each in no_size if not _same(each, cost, "scene", "settings")]
    return [others, no_twin, no_size, no_settings, [each for each in others if each.scene != cost.scene]]


def _same(one: KnownCost, other: KnownCost, *names: str) -> bool:
    return all(getattr(one, name) == getattr(other, name) for name in names)
