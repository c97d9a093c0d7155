"""What a search renders: its options, their pairs, and what they cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from statistics import median

from django.db.models import Sum
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError
from matchedpair.measures.cost import time_basis
from matchedpair.measures.drawn_zones import MEASURE, DrawnZone

from server.catalogue.zones import zones_of
from server.measuring.inputs import timed_runs
from server.pairs.partners import as_side
from server.runs.models import Run, RunState
from server.searches.models import Search
from server.studies.actions import any_pair, keep_variant
from server.studies.models import AS_CONTROL, Option, Pair, Purpose
from server.studies.side import SideDraft


def frames_of(row: Search) -> list[int]:
    """The frames that are looked at, in order."""
    return list(row.frames) or [row.base.setup.frame]


def option_of(row: Search, frame: int, settings: Mapping[str, Value], *, small: bool) -> Option:
    """The option that is rendered with these settings. Raises `InputError` when scene or engine is another by now.

    At full size and at the present frame it counts as one of the study; everything else is the search's own.
    """
    side = replace(as_side(row.base), settings=dict(settings))
    side = replace(side, setup=replace(side.setup, frame=frame))
    cheap = small and (row.scale < 1.0 or row.zone != "")
    if cheap:
        side = _cheap(row, side)
    changed = [f"{name.replace('_', ' ')} {value:g}" for name, value in settings.items()
               if value != row.base.settings.get(name) and isinstance(value, int | float)]  # fmt: skip
    size = [row.zone or f"{side.setup.width} × {side.setup.height}"] if cheap else []
    at = [f"frame {frame}"] if frame != row.base.setup.frame else []
    counted = not cheap and frame == row.base.setup.frame
    return keep_variant(
        row.base, side, ", ".join([*changed, *at, *size]) or AS_CONTROL, control=row.base.control,
        purpose=Purpose.COUNTED if counted else Purpose.SEARCH,
    )  # fmt: skip


def _cheap(row: Search, side: SideDraft) -> SideDraft:
    """Smaller, or the search's zone alone. Raises `InputError` when the zone is gone."""
    made = side.smaller(row.scale) if row.scale < 1.0 else side
    if not row.zone:
        return made
    box = zone_named(side.scene.name, side.setup.view, row.zone).pixel_box((made.setup.width, made.setup.height))
    return replace(made, setup=replace(made.setup, crop=box))


def zone_named(scene: str, view: str, name: str) -> DrawnZone:
    """A zone of a view that is measured. Raises `InputError`."""
    for zone in zones_of(scene, view):
        if zone.name == name and zone.kind == MEASURE:
            return zone.drawn()
    raise InputError(f"there is no zone {name!r} on this view any more")


def pair_of(control: Option, trial: Option) -> Pair:
    """Their pair, with the settings under test in which they differ."""
    pair = any_pair(control, trial)
    differing = sorted(name for name, value in trial.settings.items() if control.settings.get(name) != value)
    pair.under_test = list(dict.fromkeys([*pair.under_test, *differing]))
    pair.save()
    return pair


def seconds_of(option: Option) -> float | None:
    """Rendering seconds, getting ready apart where the engine tells: the median of its runs; None without any."""
    times = [times for run in timed_runs(option) if (times := run.times()) is not None]
    if not times:
        return None
    basis = time_basis(times)
    whole = [each.seconds(basis) for each in times]
    rendering = [each.render_seconds(basis) for each in times]
    return median(whole if None in rendering else [each for each in rendering if each is not None])


def options_of(row: Search) -> list[int]:
    """The search's own options, without the one it began from."""
    named = [pk for each in row.compared for pk in each["options"]]
    named += [each[name] for each in row.confirmed for name in ("present", "found", "constant") if each.get(name)]
    return sorted(set(named) - {row.base_id})


def spent_seconds(row: Search) -> float:
    """Wall seconds of all renders that the search made."""
    runs = Run.objects.filter(option__in=options_of(row), state=RunState.FINISHED)
    return runs.aggregate(sum=Sum("wall_seconds"))["sum"] or 0.0
