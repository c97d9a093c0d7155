"""What a stored comparison says of the look, as plain values of the core's answers."""

from __future__ import annotations

import math
from statistics import median

from matchedpair.answers import PartFact, ZoneFact
from matchedpair.measures.figure import Ratio

from server.measuring.models import Comparison


def zone_fact(name: str, noise: Ratio | None, visible: Ratio | None, row: Comparison | None) -> ZoneFact:
    """A zone's ratios and how its brightness and colour moved, as far as it is compared."""
    look = row.look if row is not None else None
    if not look:
        return ZoneFact(name, noise, visible, None, None, None)
    ends = look["interval"]
    return ZoneFact(
        name, noise, visible, look["stops"], (ends[0], ends[1]) if ends else None, look["delta_e_after_gain"]
    )


def cell_facts(row: Comparison | None) -> tuple[PartFact, ...]:
    """What each cell of the picture changed by, and what would have shown."""
    cells = (row.difference or {}).get("cells", []) if row is not None else []
    specks = _specks(row)
    return tuple(PartFact(box, cell[4], cell[5], specks=box in specks) for cell in cells if (box := tuple(cell[:4])))


def island_facts(row: Comparison | None, cells: tuple[PartFact, ...]) -> tuple[PartFact, ...]:
    """The parts that changed most, finer than its cells."""
    islands = (row.difference or {}).get("islands", []) if row is not None else []
    if not islands:
        return ()
    cell = median(part.box[2] * part.box[3] for part in cells)
    specks = _specks(row)
    return tuple(
        PartFact(box, island["percent"], island["smallest_seen_percent"], min(1.0, math.sqrt(island["pixels"] / cell)),
                 box in specks)
        for island in islands if (box := tuple(island["box"]))
    )  # fmt: skip


def _specks(row: Comparison | None) -> set[tuple[int, ...]]:
    """The boxes whose change lies in bright specks."""
    return {tuple(box) for box in (row.difference or {}).get("specks", [])} if row is not None else set()


def part_facts(row: Comparison | None) -> tuple[PartFact, ...]:
    """Cells and islands."""
    cells = cell_facts(row)
    return cells + island_facts(row, cells)
