"""What a stored comparison says of the look, as plain values of the core's answers."""

from __future__ import annotations

from matchedpair.answers import CellFact, ZoneFact
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


def cell_facts(row: Comparison | None) -> tuple[CellFact, ...]:
    """What each cell of the picture changed by, and what would have shown."""
    cells = (row.difference or {}).get("cells", []) if row is not None else []
    return tuple(CellFact((cell[0], cell[1], cell[2], cell[3]), cell[4], cell[5]) for cell in cells)
