"""Curves as a drawing for the report: the same marks as on the screen, as SVG with the page's own font."""

from __future__ import annotations

import io
import re
from typing import TYPE_CHECKING, Any

from matchedpair.curves import Curve

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
BEYOND = 2.0
# shares of the drawing that the axes reach to: found from what is written there, it would be drawn twice
EDGES = {"left": 0.095, "right": 0.985, "bottom": 0.15}
TOP, NAMES_IN_A_ROW, ROW = 0.965, 2, 0.065  # less for each row of names above them, where no point lies


def curves_svg(curves: StudyCurves, place: str) -> str:
    """Noise against seconds at one place; empty when there is no point."""
    from matplotlib.backends.backend_svg import FigureCanvasSVG  # noqa: PLC0415 - see above
    from matplotlib.figure import Figure  # noqa: PLC0415

    ladders = [row for row in curves.ladders if row.place == place]
    if not any(row.point is not None for ladder in ladders for row in ladder.points):
        return ""
    titles = list(dict.fromkeys(row.title for row in curves.ladders if not row.of_control))
    figure = Figure(figsize=(7.2, 3.7))
    FigureCanvasSVG(figure)
    axes = figure.add_subplot()
    figure.subplots_adjust(**EDGES, top=TOP - ROW * -(-len(ladders) // NAMES_IN_A_ROW))
    for ladder in ladders:
        mark = CONTROL if ladder.of_control else TRIALS[titles.index(ladder.title) % len(TRIALS)]
        _draw(axes, ladder, mark)
    _dress(axes, curves)
    return _svg(figure)


def _draw(axes: Axes, ladder: Ladder, mark: tuple[str, str, str]) -> None:
    hue, shape, dash = mark
    points = [row.point for row in ladder.points if row.point is not None]
    if not points:
        return
    x, y = [p.seconds for p in points], [p.noise_percent for p in points]
    spreads = [
        [
            [max(v - e[0], 0.0), max(e[1] - v, 0.0)] if e else [0.0, 0.0]
            for v, e in zip(values, ends, strict=True)
        ]
        for values, ends in (
            (x, [p.seconds_interval for p in points]), (y, [p.noise_interval for p in points]),
        )
    ]  # fmt: skip
    error: Any = [list(zip(*spread, strict=True)) for spread in spreads]
    axes.errorbar(x, y, xerr=error[0], yerr=error[1], fmt=shape, color=hue, markersize=5, elinewidth=0.7,
                  label=ladder.title)  # fmt: skip
    if ladder.curve is not None:
        axes.plot(*_line(ladder.curve), color=hue, linestyle=dash, linewidth=1.2)


def _line(curve: Curve) -> tuple[list[float], list[float]]:
    low, high = curve.lowest / BEYOND, curve.highest * BEYOND
    steps = [low * (high / low) ** (step / STEPS) for step in range(STEPS + 1)]
    return [curve.seconds_at(q) for q in steps], [curve.noise_at(q) for q in steps]


def _dress(axes: Axes, curves: StudyCurves) -> None:
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
    axes.set_xlabel("seconds a render" + (", CPU" if curves.basis == "cpu" else ""), loc="right")
    axes.set_ylabel(f"{curves.of}, %", loc="top")
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
