"""Curves as a drawing for the report: the same marks as on the screen, as SVG with the page's own font."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from matchedpair.curves import Curve
from matchedpair.measures.figure import Interval

from server.curves.curves import Ladder, StudyCurves

if TYPE_CHECKING:  # it takes as long to load as all else, and only reports need it
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

CONTROL = ("#1d5c9f", "s", "-")
TRIALS = (
    ("#a84a08", "D", "-"), ("#75640a", "^", "--"), ("#77386f", "o", ":"), ("#14665a", "x", "-."),
    ("#565a5c", "|", "--"),
)  # fmt: skip
STEPS = 48
KEPT = 256  # drawings of some 30 kB
BEYOND = 2.0
# shares of the drawing that the axes reach to: found from what is written there, it would be drawn twice
EDGES = {"left": 0.095, "right": 0.985, "bottom": 0.15}
TOP, NAMES_IN_A_ROW, ROW = 0.965, 2, 0.065  # less for each row of names above them, where no point lies


@dataclass(frozen=True)
class Drawn:
    """A ladder as it is drawn: its points with how far each may lie off, and its line; equal ones look alike."""

    title: str
    mark: tuple[str, str, str]
    points: tuple[tuple[float, float, Interval | None, Interval | None], ...]  # seconds, noise, how sure of each
    line: tuple[tuple[float, float], ...]


def curves_svg(curves: StudyCurves, place: str) -> str:
    """Noise against seconds at one place; empty when there is no point."""
    ladders = [row for row in curves.ladders if row.place == place]
    if not any(row.point is not None for ladder in ladders for row in ladder.points):
        return ""
    titles = list(dict.fromkeys(row.title for row in curves.ladders if not row.of_control))
    return _drawing(tuple(_drawn(row, titles) for row in ladders), curves.basis, curves.of)


def _drawn(ladder: Ladder, titles: list[str]) -> Drawn:
    mark = CONTROL if ladder.of_control else TRIALS[titles.index(ladder.title) % len(TRIALS)]
    points = [row.point for row in ladder.points if row.point is not None]
    return Drawn(
        ladder.title, mark, tuple((p.seconds, p.noise_percent, p.seconds_interval, p.noise_interval) for p in points),
        _line(ladder.curve) if ladder.curve is not None else (),
    )  # fmt: skip


def _line(curve: Curve) -> tuple[tuple[float, float], ...]:
    low, high = curve.lowest / BEYOND, curve.highest * BEYOND
    steps = [low * (high / low) ** (step / STEPS) for step in range(STEPS + 1)]
    return tuple((curve.seconds_at(q), curve.noise_at(q)) for q in steps)


@lru_cache(maxsize=KEPT)  # a report is asked for again after a note or a verdict, which no curve shows
def _drawing(ladders: tuple[Drawn, ...], basis: str, of: str) -> str:
    from matplotlib.backends.backend_svg import FigureCanvasSVG  # noqa: PLC0415 - see above
    from matplotlib.figure import Figure  # noqa: PLC0415

    figure = Figure(figsize=(7.2, 3.7))
    FigureCanvasSVG(figure)
    axes = figure.add_subplot()
    figure.subplots_adjust(**EDGES, top=TOP - ROW * -(-len(ladders) // NAMES_IN_A_ROW))
    for ladder in ladders:
        _draw(axes, ladder)
    _dress(axes, basis, of)
    return _svg(figure)


def _draw(axes: Axes, ladder: Drawn) -> None:
    hue, shape, dash = ladder.mark
    if not ladder.points:
        return
    x, y, of_x, of_y = zip(*ladder.points, strict=True)
    error: Any = [
        list(zip(*(_reach(v, ends) for v, ends in zip(values, intervals, strict=True)), strict=True))
        for values, intervals in ((x, of_x), (y, of_y))
    ]
    axes.errorbar(x, y, xerr=error[0], yerr=error[1], fmt=shape, color=hue, markersize=5, elinewidth=0.7,
                  label=ladder.title)  # fmt: skip
    if ladder.line:
        axes.plot(*zip(*ladder.line, strict=True), color=hue, linestyle=dash, linewidth=1.2)


def _reach(value: float, ends: Interval | None) -> Interval:
    return (max(value - ends[0], 0.0), max(ends[1] - value, 0.0)) if ends else (0.0, 0.0)


def _dress(axes: Axes, basis: str, of: str) -> None:
    from matplotlib.ticker import LogLocator, NullLocator, StrMethodFormatter  # noqa: PLC0415 - see above

    axes.set_xscale("log")
    axes.set_yscale("log")
    for axis in (axes.xaxis, axes.yaxis):
        axis.set_major_locator(LogLocator(subs=(1.0, 2.0, 5.0)))
        axis.set_major_formatter(StrMethodFormatter("{x:g}"))
        axis.set_minor_locator(NullLocator())
    axes.grid(which="major", color="#dcdbd6", linewidth=0.6)
    axes.set_axisbelow(True)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.set_xlabel("seconds a render" + (", CPU" if basis == "cpu" else ""), loc="right")
    axes.set_ylabel(f"{of}, %", loc="top")
    axes.legend(frameon=False, fontsize=9, loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=NAMES_IN_A_ROW,
                borderaxespad=0.2, labelspacing=0.3)  # fmt: skip


def _svg(figure: Figure) -> str:
    """Text stays text, so that the page's font shows it."""
    from matplotlib import rc_context  # noqa: PLC0415 - see above

    packed = io.StringIO()
    with rc_context({"svg.fonttype": "none", "font.family": "sans-serif", "svg.hashsalt": "matched pair"}):
        figure.savefig(packed, format="svg", transparent=True, metadata={"Date": None, "Creator": None})
    text = packed.getvalue()
    return re.sub(r"font-family: [^;\"]*;?|font: (\d+(?:\.\d+)?px) [^;\"]*;?", _size_alone, text[text.index("<svg") :])


def _size_alone(found: re.Match[str]) -> str:
    return f"font-size: {found[1]};" if found[1] else ""
