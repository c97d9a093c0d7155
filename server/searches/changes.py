"""What one picture of a search changes against another, as a share of the thresholds; chance is no change."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.answers.caveats import most_seen, part_stops
from matchedpair.answers.phrases import in_specks, number, part_of, percent, stops
from matchedpair.errors import PictureError, RefusedError
from matchedpair.measures.detail import Octave
from matchedpair.measures.pair import NO_EFFECT
from matchedpair.measures.region import Region
from matchedpair.measures.zones import WHOLE
from matchedpair.search.raising import Change

from server.catalogue.zones import zones_by_view
from server.measuring.inputs import zone_mask, zones_to_measure
from server.measuring.models import Comparison
from server.measuring.reading import pair_measures
from server.pairs.look_facts import part_facts
from server.pairs.pair import pair_figures, with_all
from server.runs.models import OPEN_STATES
from server.searches.models import Search
from server.studies.models import Pair

PENDING = "pending"
SURE = 2.0  # half-widths of the 95 % interval: detail is looked at in many octaves and zones
NOT_COMPARABLE = 99.0  # of the threshold: what cannot be compared is no "unchanged", and the setting is raised
Part = tuple[float, str]


@dataclass(frozen=True)
class Thresholds:
    """Above which a change counts: stops of brightness, ΔE00 of colour, percent in a cell that differs by itself, and
    percent of an octave's detail; detail is left aside where it is None.
    """

    stops: float
    colour: float
    percent: float
    detail: float | None = None


def thresholds_of(row: Search) -> Thresholds:
    """Those of a search."""
    return Thresholds(row.most_stops, row.most_colour, row.most_percent, row.most_detail)


def change_of(pair: int, most: Thresholds) -> Change | str | None:
    """What a pair's trial changes; None when a side could not be rendered, `PENDING` while it is to come."""
    kept = with_all(Pair.objects.filter(pk=pair)).first()
    if kept is None:
        return None
    found = pair_figures(kept)
    runs = [run for option in (kept.control, kept.trial) for run in option.runs.all() if not run.warm_up]
    if any(run.state in OPEN_STATES for run in runs):
        return PENDING
    if len(found.control.runs) < 2 or len(found.trial.runs) < 2:
        return None
    if found.comparison is None:
        return PENDING
    if (refused := _refused(found.comparison)) is not None:
        return Change(True, NOT_COMPARABLE, f"cannot be compared: {refused}")
    zones = [("", found.comparison), *((zone.zone, zone.comparison) for zone in found.zones if zone.comparison)]
    size = kept.control.setup.description().picture_size
    parts = [part for zone, comparison in zones for part in _compared(zone, comparison, size, most)]
    if most.detail is not None:
        parts += _detail(kept, most.detail)
    differs = any(comparison.difference and comparison.difference["found"] for _, comparison in zones)
    amount, words = max(parts, default=(0.0, ""))
    return Change(differs or amount > 0.0, amount, words, max((_seen(each, most) for _, each in zones), default=0.0))


def _seen(comparison: Comparison, most: Thresholds) -> float:
    """The smallest change of brightness, overall and in a usual cell, that would have been seen, over its threshold."""
    look, difference = comparison.look, comparison.difference
    shares = [0.0]
    if look and look["interval"]:
        shares.append((look["interval"][1] - look["interval"][0]) / 2 / most.stops)
    if difference:
        shares.append(difference["smallest_seen_percent"] / most.percent)
    return max(shares)


def _refused(comparison: Comparison) -> str | None:
    """Why the pictures cannot be compared; None where they can, or where they are bit-equal, which is no change."""
    reason = comparison.refused.get("difference", "")
    return reason if comparison.difference is None and reason != NO_EFFECT else None


def _compared(zone: str, comparison: Comparison, size: tuple[int, int], most: Thresholds) -> list[Part]:
    """Brightness, colour and single parts of a zone, each as a share of its threshold, in words."""
    where = _where(zone)
    found = []
    look, difference = comparison.look, comparison.difference
    if look and look["interval"] and look["interval"][0] * look["interval"][1] > 0.0:
        found.append((abs(look["stops"]) / most.stops, f"{stops(look['stops'])}{where}"))
    if difference and difference["found"]:
        if look:
            colour = look["delta_e_after_gain"]
            found.append((colour / most.colour, f"the colour off by {number(colour)} ΔE{where}"))
        part = most_seen(part_facts(comparison))
        if part is not None:
            told = f"{stops(part_stops(part.percent))} in {part_of(part, size)}{where}{in_specks(part)}"
            found.append((part.seen * abs(part.percent) / most.percent, told))
    return found


def _detail(pair: Pair, most: float) -> list[Part]:
    """Detail of the control that the trial loses or adds, where that is sure."""
    to_measure = zones_to_measure(pair.control.setup, zones_by_view())
    try:
        measures = pair_measures(pair, next(iter(to_measure.values())))
    except (RefusedError, PictureError):
        return []
    found: list[Part] = []
    for zone, drawn in to_measure.items():
        try:
            region = Region(zone_mask(pair.control.setup, zone, drawn, measures.valid) & measures.valid)
            octaves = measures.detail(region)
        except RefusedError:
            continue
        found += [part for octave in octaves if (part := _octave(octave, most, zone)) is not None]
    return found


def _octave(octave: Octave, most: float, zone: str) -> Part | None:
    kept = octave.kept
    if kept is None or kept.interval is None:
        return None
    off = abs(1.0 - kept.value)
    if off <= SURE * (kept.interval[1] - kept.interval[0]) / 2.0:
        return None
    more = "more" if kept.value > 1.0 else "less"
    where = _where("" if zone == WHOLE else zone)
    return 100.0 * off / most, f"{percent(off)} {more} detail of {number(octave.pixels)} px{where}"


def _where(zone: str) -> str:
    return f" in {zone}" if zone else ""
