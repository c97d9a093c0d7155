"""What curves say first: one sentence."""

from __future__ import annotations

from matchedpair.curves.words import curve_in_words
from matchedpair.measures.figure import three

from server.curves.curves import Ladder, StudyCurves
from server.curves.same import SameRow
from server.measuring.measuring import NOISE


def sentence(curves: StudyCurves, table: list[SameRow]) -> str:
    """At the same noise, which is faster, with its interval; or what is missing to tell."""
    what = "noise" if curves.of == NOISE else "error"
    told = [row for row in table if row.summed.worst is not None]
    if told:
        row = max(told, key=lambda row: row.summed.worst or 0.0)
        return f"At the same {what} {_best(row)}{_but(row) or _other_engine(curves, row)}."
    if table and all(row.summed.unreachable for row in table):
        return f"No option gets down to the control's {what}."
    fitted = [row for row in curves.ladders if row.curve is not None]
    if len(fitted) == 1 and fitted[0].curve is not None:
        return curve_in_words(fitted[0].curve, fitted[0].knob)[0]
    if fitted:
        return f"{len(fitted)} curves of {what} against time."
    return f"No curve yet: a ladder needs at least two steps of the quality knob, each with a time and a {what}."


def _but(row: SameRow) -> str:
    """That it does not look the same, where it does not: the largest shift of brightness."""
    told = [(cell.shift, cell.place) for cell in row.cells if cell.shift is not None]
    if not told:
        return ""
    shift, place = max(told, key=lambda each: abs(each[0]))
    where = f" in {place}" if len(row.cells) > 1 else ""
    return f"; but it is {abs(shift):.2f} stops {'brighter' if shift > 0 else 'darker'}{where}"


def _other_engine(curves: StudyCurves, row: SameRow) -> str:
    """Engines that cheat differently are not ranked by their noise: what is smooth may be wrong."""
    if curves.of != NOISE or not any(_engine(cell.control) != _engine(cell.trial) for cell in row.cells):
        return ""
    return "; but how close another engine comes to the reference, its noise does not say"


def _engine(ladder: Ladder | None) -> str:
    return "" if ladder is None or not ladder.points else ladder.points[0].facts.option.engine


def _best(row: SameRow) -> str:
    """What is said of the option whose worst place is best; never only its best place."""
    own = next(cell.noise for cell in row.cells if cell.noise is not None and cell.noise.speed_up is not None)
    if row.summed.told > 1 or row.summed.unreachable:
        wins = (row.summed.worst or 0.0) > 1.0 and not row.summed.unreachable
        start = (
            f"{row.title} is faster than the control at every place"
            if wins
            else f"nothing is faster than the control everywhere; nearest is {row.title}"
        )
        return f"{start}: {row.summed.words}"
    interval = "no interval" if own.interval is None else f"{three(own.interval[0])}–{three(own.interval[1])}"
    if own.tie:
        return f"{row.title} takes the same time as the control ({interval})"
    return f"{row.title} is {three(own.speed_up or 0.0)} × faster than the control ({interval})"
