"""Compares the sides of pairs: shift, difference, look and visible difference, zone by zone. Done between renders."""

from __future__ import annotations

from collections.abc import Sequence

from django.db.models import Prefetch, Q, QuerySet
from matchedpair.measures.pair import PairMeasures
from matchedpair.measures.pair_report import difference_row
from matchedpair.measures.pair_side import OTHER_SIZE
from matchedpair.measures.report import look_row, visible_row
from matchedpair.pictures.picture import Mask

from server.catalogue.zones import signature
from server.measuring.inputs import (
    ZonesByView,
    comparison_inputs,
    comparison_is_current,
    counted_runs,
    has_open_runs,
    made_or_reason,
    zone_mask,
    zones_to_measure,
)
from server.measuring.models import Comparison
from server.measuring.reading import ControlKept, pair_measures
from server.runs.models import Run
from server.studies.models import Pair


def compare_outstanding(options: Sequence[int], zones: ZonesByView) -> int:
    """Compare the sides of the pairs that these options are in, where anything changed. Returns how many zones."""
    done, kept = 0, ControlKept()
    for start in range(0, len(options), 500):
        some = options[start : start + 500]
        pairs = Pair.objects.filter(Q(control__in=some) | Q(trial__in=some))
        for pair in with_sides(pairs).distinct().order_by("control_id", "pk"):
            done += _compare(pair, zones, kept)
    return done


def with_sides(pairs: QuerySet[Pair]) -> QuerySet[Pair]:
    """Pairs with their sides' setups, runs and comparisons."""
    runs = Run.objects.defer("log", "command")
    return pairs.select_related("control__setup__scene", "trial__setup__scene").prefetch_related(
        Prefetch("control__runs", runs), Prefetch("trial__runs", runs), "comparisons"
    )


def _compare(pair: Pair, zones: ZonesByView, control: ControlKept) -> int:
    """Compare a pair's sides again in every zone that changed. Returns how many."""
    runs = [counted_runs(option) for option in (pair.control, pair.trial)]
    if not all(runs) or not all(run.picture for side in runs for run in side):
        return 0
    if any(has_open_runs(option) for option in (pair.control, pair.trial)):
        return 0
    wanted = zones_to_measure(pair.control.setup, zones)
    pair.comparisons.exclude(zone__in=wanted).delete()
    kept = {row.zone: row for row in pair.comparisons.all()}
    inputs = comparison_inputs(*runs)
    stale = {
        zone: within
        for zone, within in wanted.items()
        if zone not in kept or not comparison_is_current(kept[zone], inputs, signature(within))
    }
    if not stale:
        return 0
    first = next(iter(stale.values()))
    measures, failed = made_or_reason(lambda: pair_measures(pair, first, control), f"pair {pair.pk} cannot be compared")
    for zone, within in stale.items():
        fields = {"inputs": inputs, "area": signature(within), "version": Comparison.VERSION}
        if measures is None:
            fields |= _nothing_compared(failed)
        else:
            fields |= _compared(measures, zone_mask(pair.control.setup, zone, within, measures.valid))
        Comparison.objects.update_or_create(pair=pair, zone=zone, defaults=fields)
    return len(stale)


def _nothing_compared(reason: str) -> dict[str, object]:
    names = ("difference", "look", "visible")
    unlike = reason if reason == OTHER_SIZE else ""
    return {
        "shift_pixels": None, "noise_refused": unlike, "difference": None, "look": None, "visible": None,
        "refused": dict.fromkeys(names, reason),
    }  # fmt: skip


def _compared(measures: PairMeasures, mask: Mask) -> dict[str, object]:
    zone = measures.zone(mask, ratios=False)
    unlike = "" if measures.identical else measures.alignment.shifted or measures.alignment.filtered
    return {
        "shift_pixels": 0.0 if measures.identical else measures.alignment.shift_pixels,
        "noise_refused": unlike,
        "difference": difference_row(zone.difference),
        "look": look_row(zone.look),
        "visible": visible_row(zone.visible),
        "refused": zone.refused,
    }
