"""The run table: all runs of a study with every figure, filtered, sorted, grouped by a factor, a page at a time."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any

from django.db.models import Case, F, FloatField, Q, QuerySet, When
from matchedpair.engines.setting import is_number
from matchedpair.errors import InputError
from matchedpair.measures.zones import WHOLE

from server.catalogue.zones import signature, zones_by_view
from server.measuring.inputs import is_current, zones_to_measure
from server.measuring.measuring import NOISE
from server.measuring.models import Measure
from server.runs.models import BAD, Run, RunState
from server.studies.models import BESIDES, Option, Purpose, Study
from server.tables.cells import plain_cell
from server.tables.run_words import messages_of, with_words

FACTOR = "factor:"
NOT_LOADED = ("log", "command", "machine")


@dataclass(frozen=True)
class Column:
    """One column: its name, title and unit, and how its value is got from a run."""

    name: str
    title: str
    unit: str
    value: Callable[[Run], Any]
    number: bool = True


def _times(run: Run, what: str) -> float | None:
    times = run.times()
    return None if times is None else times.quietness if what == "quietness" else times.render_seconds(what)


def _size(run: Run) -> str:
    return "{} × {}".format(*run.option.setup.description().picture_size)


COLUMNS = (
    Column("run", "Run", "", lambda run: run.pk),
    Column("side", "Side", "", lambda run: "warm-up" if run.warm_up else run.option.side, number=False),
    Column("title", "Option", "", lambda run: run.option.title, number=False),
    Column("seed", "Seed", "", lambda run: run.seed if run.seed_known else None),
    Column("state", "State", "", lambda run: run.state, number=False),
    Column("ready_seconds", "Getting ready", "s", lambda run: run.ready_seconds),
    Column("render_seconds", "Rendering", "s", lambda run: _times(run, "wall")),
    Column("cpu_render_seconds", "Rendering, CPU", "s", lambda run: _times(run, "cpu")),
    Column("wall_seconds", "In all", "s", lambda run: run.wall_seconds),
    Column("cpu_seconds", "CPU", "s", lambda run: run.cpu_seconds),
    Column("quietness", "Quietness", "", lambda run: _times(run, "quietness")),
    Column("peak_memory_bytes", "Peak memory", "bytes", lambda run: run.peak_memory_bytes),
    Column("structures_bytes", "Its structures", "bytes", lambda run: run.structures_bytes),
    Column("frames_per_second", "Frames a second", "1/s", lambda run: run.frames_per_second),
    Column("reached", "Quality reached", "", lambda run: run.reached),
    Column("noise", "Noise", "%", lambda run: run.option_noise),  # type: ignore[attr-defined]  # set when rows are made
    Column("machine", "Machine", "", lambda run: run.machine_name, number=False),
    Column("version", "Version", "", lambda run: run.engine_version, number=False),
    Column("size", "Size", "", _size, number=False),
    Column("load_before", "Load before", "", lambda run: run.load_before),
    Column("ended_at", "Ended", "", lambda run: run.ended_at.isoformat() if run.ended_at else None, number=False),
    Column("found", "Found", "", lambda run: "; ".join(_found(run)), number=False),
)  # fmt: skip
GROUPED = (
    "ready_seconds",
    "render_seconds",
    "cpu_seconds",
    "quietness",
    "peak_memory_bytes",
    "frames_per_second",
    "noise",
)


PLAN_ORDER = ("position", "option__number", "pk")


def _of_finished(value: Any) -> Case:
    """What only a finished run has; unknown for the others."""
    return Case(When(state=RunState.FINISHED, then=value), default=None, output_field=FloatField())


DATABASE_SORTS = {
    "run": F("pk"), "title": F("option__title"), "seed": F("seed"), "state": F("state"), "machine": F("machine_name"),
    "version": F("engine_version"), "ended_at": F("ended_at"),
    "render_seconds": _of_finished(F("wall_seconds") - F("ready_seconds")),
    "cpu_render_seconds": _of_finished(F("cpu_seconds") - F("cpu_ready_seconds")),
    "quietness": _of_finished(F("cpu_seconds") / (F("wall_seconds") * F("study__threads"))),
} | {
    name: F(name)
    for name in ("ready_seconds", "wall_seconds", "cpu_seconds", "peak_memory_bytes", "structures_bytes",
                 "frames_per_second", "reached", "load_before")
}  # fmt: skip


@dataclass(frozen=True)
class Asked:
    """Which rows in which order.

    Parameters
    ----------
    text : str
        Every word must be somewhere in the row.
    states : sequence of str
        Empty for all; ``bad`` stands for failed, stopped, or something found.
    sort : str
        A column's name, or ``factor:SUBJECT``; with a hyphen before it downwards; empty for the order of the plan.
    group : str
        ``option``, ``factor:SUBJECT``, or empty for none.
    old, throwaway : bool
        Whether runs that are no longer in the plan, and warm-ups and pilots, are among them.
    """

    text: str = ""
    states: Sequence[str] = ()
    sort: str = ""
    group: str = ""
    old: bool = False
    throwaway: bool = True


@dataclass(frozen=True)
class Spread:
    """Median of a figure over a group, with its range and count."""

    value: float
    low: float
    high: float
    count: int


@dataclass(frozen=True)
class Group:
    """Runs that share a level: where they begin among the rows, how many, and the spread of every figure."""

    key: str
    first: int
    count: int
    figures: dict[str, Spread]


def columns_of(study: Study) -> list[Column]:
    """The factors' columns after the option, then all others."""
    factors = [
        Column(f"{FACTOR}{level['subject']}", level["title"], "", _level(level["subject"]), is_number(level["value"]))
        for level in _levels(study)
    ]
    place = next(number for number, column in enumerate(COLUMNS) if column.name == "seed")
    return [*COLUMNS[:place], *factors, *COLUMNS[place:]]


def page_of(study: Study, asked: Asked, offset: int, limit: int) -> tuple[int, list[Run]]:
    """How many runs are asked for, and one page of them. Raises `InputError` for a column that there is not.

    Where the database can filter and sort by itself, only the page is read.
    """
    order = _database_order(asked)
    if order is None:
        rows = rows_of(study, asked)
        return len(rows), rows[offset : offset + limit]
    runs = _filtered(study, asked).order_by(*order)
    if asked.text:  # looking through every run once tells how many there are, too
        numbers = list(runs.values_list("pk", flat=True))
        page = Run.objects.defer(*NOT_LOADED).in_bulk(some := numbers[offset : offset + limit])
        return len(numbers), _completed(study, [page[pk] for pk in some])
    return runs.count(), _completed(study, list(runs[offset : offset + limit]))


def rows_of(study: Study, asked: Asked) -> list[Run]:
    """All runs that are asked for, in order. Raises `InputError` for a column that there is not."""
    columns = {column.name: column for column in columns_of(study)}
    name = asked.sort.removeprefix("-")
    if name and name not in columns:
        raise InputError(f"there is no column {name!r}; there are {', '.join(columns)}")
    rows = _completed(study, list(_filtered(study, asked).order_by(*PLAN_ORDER)))
    if name:
        rows = _sorted(rows, columns[name], down=asked.sort.startswith("-"))
    if asked.group:
        order: dict[str, int] = {}
        for run in sorted(rows, key=lambda run: (run.option.number, run.pk)):
            order.setdefault(group_key(run, asked.group), len(order))
        rows.sort(key=lambda run: order[group_key(run, asked.group)])
    return rows


def groups_of(rows: Sequence[Run], group: str) -> list[Group]:
    """The groups of rows that are in their order already, each with the spread over its counted, finished runs."""
    found: list[Group] = []
    places: dict[str, list[int]] = {}
    for place, run in enumerate(rows):
        places.setdefault(group_key(run, group), []).append(place)
    columns = {column.name: column for column in COLUMNS}
    for key, own in places.items():
        counted = [rows[place] for place in own if not rows[place].warm_up and rows[place].times()]
        figures = {}
        for name in GROUPED:
            values = [value for run in counted if (value := columns[name].value(run)) is not None]
            if values:
                figures[name] = Spread(median(values), min(values), max(values), len(values))
        found.append(Group(key, own[0], len(own), figures))
    return found


def group_key(run: Run, group: str) -> str:
    """Under which heading a run stands."""
    if group == "option":
        return run.option.title or run.option.side
    subject = group.removeprefix(FACTOR)
    return next((level["shown"] for level in run.option.levels if level["subject"] == subject), "not known")


def as_csv(rows: Iterable[Run], columns: Sequence[Column]) -> bytes:
    """These rows and columns as CSV; units stand in the head, empty is not known."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([f"{column.title} ({column.unit})" if column.unit else column.title for column in columns])
    writer.writerows([[plain_cell(column.value(run)) for column in columns] for run in rows])
    return text.getvalue().encode()


def _filtered(study: Study, asked: Asked) -> QuerySet[Run]:
    runs = study.runs.defer(*NOT_LOADED)
    if not asked.old:
        runs = runs.filter(Q(option__in_plan=True) | Q(option__purpose__in=BESIDES))
    if not asked.throwaway:
        runs = runs.filter(warm_up=False, option__purpose__in=(Purpose.COUNTED, Purpose.REFERENCE))
    if asked.states:
        wanted = Q(state__in=asked.states)
        if "bad" in asked.states:
            wanted |= BAD
        runs = runs.filter(wanted)
    return with_words(study, runs, asked.text) if asked.text else runs


def _database_order(asked: Asked) -> list[Any] | None:
    """How the database sorts for this; None when it cannot."""
    if asked.group:
        return None
    if not asked.sort:
        return list(PLAN_ORDER)
    by = DATABASE_SORTS.get(asked.sort.removeprefix("-"))
    if by is None:
        return None
    known = by.desc(nulls_last=True) if asked.sort.startswith("-") else by.asc(nulls_last=True)
    return [known, *PLAN_ORDER]


def _completed(study: Study, rows: list[Run]) -> list[Run]:
    """The runs with their study, their options (each read once), and the noise of these."""
    options = Option.objects.select_related("setup__scene").in_bulk({run.option_id for run in rows})
    noises = _noises(options)
    for run in rows:
        run.study, run.option = study, options[run.option_id]
        run.option_noise = None if run.warm_up else noises.get(run.option_id)  # type: ignore[attr-defined]  # for its column
    return rows


def _noises(options: dict[int, Option]) -> dict[int, float]:
    """Noise of each option's whole picture, as far as it belongs to the runs and zones as they are."""
    measures = Measure.objects.filter(option__in=options, name=NOISE, zone=WHOLE).exclude(value=None)
    kept = {row.option_id: row for row in measures}
    runs: dict[int, list[Run]] = {pk: [] for pk in kept}
    counted = Run.objects.filter(option__in=kept, state=RunState.FINISHED, warm_up=False, time_alone=False)
    for run in counted.order_by("seed").only("option_id", "picture"):
        runs[run.option_id].append(run)
    zones = zones_by_view() if kept else {}
    signatures = {pk: signature(zones_to_measure(options[pk].setup, zones)[WHOLE]) for pk in kept}
    return {pk: row.value for pk, row in kept.items() if is_current(row, runs[pk], signatures[pk])}


def _sorted(rows: list[Run], column: Column, *, down: bool) -> list[Run]:
    """By value, the unknown last either way; runs that are equal keep their order."""
    known = [(value, run) for run in rows if (value := column.value(run)) is not None and value != ""]
    numbers = all(isinstance(value, int | float) for value, _ in known)
    known.sort(key=lambda row: row[0] if numbers else str(row[0]), reverse=down)
    there = {run.pk for _, run in known}
    return [run for _, run in known] + [run for run in rows if run.pk not in there]


def _level(subject: str) -> Callable[[Run], Any]:
    def value(run: Run) -> Any:
        level = next((level for level in run.option.levels if level["subject"] == subject), None)
        return None if level is None else level["value"] if is_number(level["value"]) else level["shown"]

    return value


def _levels(study: Study) -> list[dict[str, Any]]:
    first = study.options.exclude(levels=[]).order_by("-in_plan", "number").first()
    return list(first.levels) if first else []


def _found(run: Run) -> list[str]:
    reason = [run.reason] if run.reason else []
    return reason + [message for message in messages_of(run.checks) if message != run.reason]
