"""Which settings a search may raise, and through which levels, to begin with."""

from __future__ import annotations

import math
from dataclasses import dataclass

from matchedpair.conditions.match_sheet import denoisers_on
from matchedpair.engines import Setting
from matchedpair.engines.setting import Value

from server.catalogue.engines import engine_named
from server.studies.models import Option

MOST_LEVELS = 6
CHANGES_THE_PICTURE = ("look", "detail")


@dataclass(frozen=True)
class Proposed:
    """A setting with its levels from low to high; `wanted` tells those that a search begins with."""

    setting: Setting
    levels: list[Value]
    wanted: bool


def proposed_ladders(base: Option) -> list[Proposed]:
    """The numbers that change the picture, in the definition's order; halved from the present value down.

    A denoiser's numbers are none while it is off.
    """
    definition = engine_named(base.engine)
    denoising = bool(denoisers_on(base.settings, definition.denoisers))
    found = []
    for setting in definition.settings:
        if setting.kind not in ("integer", "number") or setting.quality_knob or setting.time_budget:
            continue
        if setting.denoiser and not denoising:
            continue
        if setting.without_effect(base.settings, base.build):
            continue
        levels = _levels(setting, base.settings.get(setting.name, setting.default))
        if len(levels) > 1:
            found.append(Proposed(setting, levels, bool(set(CHANGES_THE_PICTURE) & set(setting.affects))))
    return found


def _levels(setting: Setting, present: object) -> list[Value]:
    """The present value, or the default where that is higher, and half of it, and so on."""
    values = [float(each) for each in (present, setting.default) if isinstance(each, int | float)]
    top = max(values, default=0.0)
    low = setting.minimum if setting.minimum is not None else 0.0
    levels: list[Value] = []
    while top > 0.0 and top >= low and len(levels) < MOST_LEVELS:
        value = setting.cleaned(math.floor(top) if setting.kind == "integer" else top)
        if setting.problem_with(value) is None and value not in levels:
            levels.append(value)
        top /= 2.0
        if setting.kind == "integer" and top < 1.0:
            break
    return levels[::-1]
