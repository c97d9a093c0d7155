"""A contact sheet: a study's pictures in rows and columns, each axis a factor, the options one by one, or the zones."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from matchedpair.errors import InputError

OPTION, ZONE = "option", "zone"
TITLES = {OPTION: "Option", ZONE: "Zone"}


@dataclass(frozen=True)
class SheetLevel:
    """What an option has at one factor: the factor's name and title, its value for sorting, and in words."""

    factor: str
    title: str
    value: object
    shown: str


@dataclass(frozen=True)
class SheetOption:
    """One option of the plan as the sheet sees it."""

    title: str
    levels: tuple[SheetLevel, ...]


@dataclass(frozen=True)
class Axis:
    """What rows or columns can be, and its values in order."""

    name: str
    title: str
    values: tuple[str, ...]


@dataclass(frozen=True)
class Fixed:
    """A factor on neither axis, and the value that all cells have there."""

    axis: Axis
    value: str


@dataclass(frozen=True)
class Cell:
    """The option (by number) and zone in a place of the sheet; no option where the plan has none."""

    option: int | None
    zone: str


@dataclass(frozen=True)
class ContactSheet:
    """Axes that could be chosen, those that are, what is fixed, and the cells row by row."""

    axes: tuple[Axis, ...]
    rows: Axis
    columns: Axis
    fixed: tuple[Fixed, ...]
    cells: tuple[tuple[Cell, ...], ...]


def contact_sheet(
    options: Sequence[SheetOption], zones: Sequence[str], rows: str = "", columns: str = "", zone: str = "",
    fixed: Mapping[str, str] | None = None,
) -> ContactSheet:  # fmt: skip
    """Arrange options.

    Parameters
    ----------
    options : sequence of SheetOption
        The first is the baseline: a factor on neither axis is held at its level unless `fixed` says otherwise.
    zones : sequence of str
        The whole picture first.
    rows, columns : str
        Names of axes; empty for the usual ones.
    zone : str
        What every cell shows when the zones are no axis; empty for the first.
    fixed : mapping
        Level in words by the name of the factor.

    Raises
    ------
    InputError
        Without an option, for an axis that there is not, or one axis for both.
    """
    if not options:
        raise InputError("the plan has no option to show")
    axes = _axes(options, zones)
    usual = _usual(options, axes)
    chosen = {"rows": rows or next(name for name in usual if name != columns),
              "columns": columns or next(name for name in usual[::-1] if name != rows)}  # fmt: skip
    found = {axis.name: axis for axis in axes}
    for where, name in chosen.items():
        if name not in found:
            raise InputError(f"{where}: there is no axis {name!r}; there are {', '.join(found)}")
    down, across = found[chosen["rows"]], found[chosen["columns"]]
    if down is across:
        raise InputError(f"rows and columns are both {down.title.lower()}; choose another for one of them")
    by_option = OPTION in (down.name, across.name)
    held = () if by_option else _held(options[0], axes, {down.name, across.name}, fixed or {})
    shown = zone if zone in zones else next(iter(zones), "")
    fixed_levels = {each.axis.name: each.value for each in held}
    factors = [name for name in (*fixed_levels, down.name, across.name) if name != ZONE]
    places = _Places(options, found[OPTION].values, factors)
    cells = tuple(
        tuple(places.cell({**fixed_levels, down.name: row, across.name: column}, shown) for column in across.values)
        for row in down.values
    )
    return ContactSheet(axes, down, across, held, cells)


def _axes(options: Sequence[SheetOption], zones: Sequence[str]) -> tuple[Axis, ...]:
    found: list[Axis] = []
    for place, first in enumerate(options[0].levels):
        levels = [option.levels[place] for option in options if len(option.levels) > place]
        if all(isinstance(level.value, int | float) and not isinstance(level.value, bool) for level in levels):
            levels = sorted(levels, key=lambda level: float(level.value))  # type: ignore[arg-type]  # checked above
        values = tuple(dict.fromkeys(level.shown for level in levels))
        if len(values) > 1:
            found.append(Axis(first.factor, first.title, values))
    return (
        *found,
        Axis(OPTION, TITLES[OPTION], tuple(_titles(options))),
        Axis(ZONE, TITLES[ZONE], tuple(zones)),
    )


def _titles(options: Sequence[SheetOption]) -> list[str]:
    """Each option's title; the number goes with those that share one."""
    titles = [option.title for option in options]
    count = Counter(titles)
    return [f"{title} ({k + 1})" if count[title] > 1 else title for k, title in enumerate(titles)]


def _usual(options: Sequence[SheetOption], axes: Sequence[Axis]) -> list[str]:
    """One factor against the zones; two that are combined against each other; else the options against the zones."""
    factors = [axis for axis in axes if axis.name not in (OPTION, ZONE)]
    if len(factors) == 1:
        return [factors[0].name, ZONE]
    if len(factors) > 1:
        first, second = factors[:2]
        if len(options) >= len(first.values) * len(second.values):
            return [first.name, second.name]
    return [OPTION, ZONE]


def _held(
    baseline: SheetOption, axes: Sequence[Axis], on_axes: set[str], asked: Mapping[str, str]
) -> tuple[Fixed, ...]:
    own = {level.factor: level.shown for level in baseline.levels}
    rows = [axis for axis in axes if axis.name not in on_axes and axis.name in own]
    return tuple(
        Fixed(axis, asked[axis.name] if asked.get(axis.name) in axis.values else own[axis.name]) for axis in rows
    )


class _Places:
    """Which option lies at given levels of some factors, its title among them; the first where several do."""

    def __init__(self, options: Sequence[SheetOption], titles: Sequence[str], factors: Sequence[str]) -> None:
        self._factors = factors
        self._numbers: dict[tuple[str | None, ...], int] = {}
        for number, (option, title) in enumerate(zip(options, titles, strict=True)):
            own = {level.factor: level.shown for level in option.levels} | {OPTION: title}
            self._numbers.setdefault(tuple(own.get(factor) for factor in factors), number)

    def cell(self, wanted: Mapping[str, str], zone: str) -> Cell:
        """The cell at these levels; `zone` where the zones are no axis."""
        return Cell(self._numbers.get(tuple(wanted[factor] for factor in self._factors)), wanted.get(ZONE, zone))
