"""Every option against its place's control: at the same noise, who is faster; in the same time, cleaner."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import product
from statistics import median
from typing import Any

from matchedpair.answers.thresholds import STOPS
from matchedpair.choose import OverScenes, over_scenes
from matchedpair.conditions import DENOISED
from matchedpair.curves import SameNoise, SameTime, same_noise, same_time
from matchedpair.curves.curve import BEYOND
from matchedpair.errors import RefusedError
from matchedpair.measures.cost import ratio_interval, time_basis, widest
from matchedpair.measures.figure import Ratio, three

from server.curves.curves import Ladder, LadderPoint, StudyCurves, render_seconds
from server.measuring.inputs import denoised_apart
from server.measuring.measuring import NOISE, ratio_of
from server.measuring.models import Comparison

ONE_STEP = "one step each"


@dataclass(frozen=True)
class SameCell:
    """One option at one place; None with the reason where nothing can be told.

    `shift` is how much brighter than the control it is in stops, where that is more than chance: noise says nothing of
    a picture that is smooth and wrong.
    """

    place: str
    control: Ladder | None
    trial: Ladder
    noise: SameNoise | None
    time: SameTime | None
    lacks: str
    shift: float | None = None


@dataclass(frozen=True)
class SameRow:
    """One option at all places, and what that sums up to."""

    how: str
    title: str
    cells: list[SameCell]
    summed: OverScenes


def same_table(curves: StudyCurves) -> list[SameRow]:
    """A row for each option that is not the control's; each cell at the quality of that place's control."""
    rows: dict[str, list[SameCell]] = {}
    titles: dict[str, str] = {}
    compared = _Comparisons(curves)
    for trial in curves.ladders:
        if trial.of_control:
            continue
        titles.setdefault(trial.how, trial.title)
        rows.setdefault(trial.how, []).append(_cell(curves, curves.control_at(trial.place), trial, compared))
    found = []
    for how, cells in rows.items():
        summed = over_scenes({place: _noise_at(cells, place) for place in curves.places})
        found.append(SameRow(how, titles[how], cells, summed))
    return found


def _noise_at(cells: list[SameCell], place: str) -> SameNoise | None:
    return next((cell.noise for cell in cells if cell.place == place), None)


def _cell(curves: StudyCurves, control: Ladder | None, trial: Ladder, compared: _Comparisons) -> SameCell:
    if control is None:
        return SameCell(trial.place, None, trial, None, None, "there is no control at this place")
    cell = _of_ladders(curves, control, trial, compared.unlike(control, trial))
    return replace(cell, shift=compared.shift(control, trial))


def _of_ladders(curves: StudyCurves, control: Ladder, trial: Ladder, unlike: str) -> SameCell:
    at = baseline_point(control)
    if unlike:
        return SameCell(trial.place, control, trial, None, None, unlike)
    if control.curve is not None and trial.curve is not None and at is not None:
        return SameCell(
            trial.place, control, trial, same_noise(control.curve, trial.curve, at.quality),
            same_time(control.curve, trial.curve, at.quality), "",
        )  # fmt: skip
    other = next((row for row in trial.points if row.point is not None), None)
    if at is None or at.point is None or other is None:
        lacks = (at or control.points[0]).lacks if at is None or at.point is None else trial.points[0].lacks
        return SameCell(trial.place, control, trial, None, None, lacks or trial.refused or control.refused)
    try:
        noise, time = _of_one_step(curves, at, other)
    except RefusedError as refusal:
        return SameCell(trial.place, control, trial, None, None, refusal.reason)
    return SameCell(trial.place, control, trial, noise, time, "")


class _Comparisons:
    """What the comparisons of a study's pairs say of two ladders, read once for all of them."""

    def __init__(self, curves: StudyCurves) -> None:
        rows = Comparison.objects.filter(zone=curves.zone, version=Comparison.VERSION, pair__study=curves.study)
        names = ("pair__control", "pair__trial", "noise_refused", "look")
        self._rows = {(control, trial): (refused, look) for control, trial, refused, look in rows.values_list(*names)}
        self._of_noise = curves.of == NOISE

    def _of(self, control: Ladder, trial: Ladder) -> list[tuple[str, dict[str, Any] | None]]:
        pairs = product(control.points, trial.points)
        keys = ((one.facts.option.pk, other.facts.option.pk) for one, other in pairs)
        return [self._rows[key] for key in keys if key in self._rows]

    def unlike(self, control: Ladder, trial: Ladder) -> str:
        """Why the noise of these two does not compare: their pictures were compared and it was refused, or not yet."""
        rows = self._of(control, trial)
        if not rows and all(any(row.facts.runs for row in ladder.points) for ladder in (control, trial)):
            return "the pictures are not compared yet"
        if self._of_noise and denoised_apart(*(row.points[0].facts.option for row in (control, trial))):
            return DENOISED
        return next((refused for refused, _ in rows if refused), "")

    def shift(self, control: Ladder, trial: Ladder) -> float | None:
        """The middle of the shifts of brightness that were found to be more than chance; None without one."""
        looks = [look for _, look in self._of(control, trial) if look and look["interval"]]
        told = [look["stops"] for look in looks if look["interval"][0] * look["interval"][1] > 0.0]
        return median(told) if told and abs(median(told)) >= STOPS else None


def baseline_point(control: Ladder) -> LadderPoint | None:
    """The control's own step of its ladder."""
    return next((row for row in control.points if row.facts.option.control_id is None), None)


def _of_one_step(curves: StudyCurves, control: LadderPoint, trial: LadderPoint) -> tuple[SameNoise, SameTime]:
    """Without ladders: t_eq = t0 + (t − t0)·ratio², with t0 the getting ready that the engines tell.

    Raises `RefusedError` where an engine does not tell it, or the noise does not compare.
    """
    if curves.of != NOISE:
        raise RefusedError("same_noise", "an error needs a ladder: how it falls with time is not known from one step")
    ratio = ratio_of(control.measure, trial.measure)
    assert ratio is not None and control.point is not None and trial.point is not None
    basis = time_basis([*control.times, *trial.times])
    (whole_c, ready_c), (whole_t, ready_t) = (render_seconds(side.times, basis) for side in (control, trial))
    if len(ready_t) < len(whole_t) or len(ready_c) < len(whole_c):
        raise RefusedError("same_noise", "an engine does not tell how long it got ready; render a ladder instead")
    if not 1.0 / BEYOND <= ratio.value**2 <= BEYOND:
        how = f"one step each, {three(ratio.value)} of the noise: too far apart to tell without rendering"
        raise RefusedError("same_noise", f"{how}; match on noise, or render a ladder")
    t_c, t_t = median(whole_c), median(whole_t)
    t0_t = median(ready_t)
    seconds = t0_t + (t_t - t0_t) * ratio.value**2
    habit = widest([each.habit for each in [*control.times, *trial.times]])
    reach = _reach(ratio, seconds, t0_t, ratio_interval(1.0, whole_c, whole_t, habit))
    value = t_c / seconds
    noise = SameNoise(
        control.quality, control.point.noise_percent, None, seconds, value,
        (value * math.exp(-reach), value * math.exp(reach)), True, ONE_STEP,
    )  # fmt: skip
    share = (t_c - t0_t) / (t_t - t0_t)
    if share <= 0.0:
        note = f"getting ready alone takes the trial {t0_t:.3g} s"
        return noise, SameTime(control.quality, t_c, None, None, None, None, note)
    times = ratio.value / math.sqrt(share)
    spread = (times * math.exp(-reach / 2), times * math.exp(reach / 2))
    return noise, SameTime(
        control.quality, t_c, None, control.point.noise_percent * times, times, spread, ONE_STEP
    )  # fmt: skip


def _reach(ratio: Ratio, seconds: float, ready: float, times: tuple[float, float]) -> float:
    """Half-width of log speed-up: the noise ratio counts twice, in the part of the time that grows."""
    of_noise = 2 * ratio.reach * (seconds - ready) / seconds
    return math.hypot(of_noise, math.log(times[1] / times[0]) / 2)
