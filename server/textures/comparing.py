"""What renders say of reduced copies: the pairs of a scene as it is with the scene with those copies."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import median

from matchedpair.engines import AS_IS
from matchedpair.measures.zones import WHOLE
from matchedpair.textures.maps import REDUCED

from server.measuring.models import Comparison
from server.pairs.pair import PairFigures, SideFigures, pair_figures, with_all
from server.studies.models import Pair
from server.textures.places import Place


@dataclass(frozen=True)
class BeforeAfter:
    """One pair: bytes of the engine's own structures on both sides, the zones in which a difference shows, and
    the smallest that would have been seen."""

    pair: Pair
    sentence: str
    before_bytes: float | None
    after_bytes: float | None
    compared: int
    differing: list[str]
    smallest_seen_percent: float | None


def before_and_after(place: Place) -> dict[str, list[BeforeAfter]]:
    """By the copies' name, the pairs that were rendered for them, newest first."""
    if place.scene is None:
        return {}
    rows = with_all(Pair.objects.filter(
        control__setup__scene__name=place.scene.name, control__setup__variant=AS_IS,
        trial__setup__variant__startswith=REDUCED, study__removed_at=None,
    )).order_by("-pk")  # fmt: skip
    found: dict[str, list[BeforeAfter]] = {}
    for pair in rows:
        if pair.under_test == ["light"]:
            found.setdefault(pair.trial.setup.variant, []).append(_said(pair_figures(pair)))
    return found


def _said(found: PairFigures) -> BeforeAfter:
    zones = [(WHOLE, found.comparison), *((zone.zone, zone.comparison) for zone in found.zones)]
    compared = [(name, row) for name, row in zones if row is not None and row.difference is not None]
    return BeforeAfter(
        found.pair, found.sentence, _memory(found.control), _memory(found.trial), len(compared),
        [name for name, row in compared if _differs(row)], _smallest(found.comparison),
    )  # fmt: skip


def _differs(row: Comparison) -> bool:
    return bool(row.difference and row.difference["found"])


def _smallest(row: Comparison | None) -> float | None:
    """The smallest change that the whole picture's cells would have shown."""
    return row.difference["smallest_seen_percent"] if row is not None and row.difference else None


def _memory(side: SideFigures) -> float | None:
    sizes = [run.structures_bytes for run in side.runs if run.structures_bytes is not None]
    return float(median(sizes)) if sizes else None
