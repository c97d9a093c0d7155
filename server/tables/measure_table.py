"""The measure table of a study: options by zones by measures, with what is best marked only where it is."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Prefetch
from matchedpair.conditions import DENOISED
from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.figure import Figure
from matchedpair.measures.kinds import KIND_OF, KINDS
from matchedpair.measures.ranking import Ranked, rank
from matchedpair.measures.zones import WHOLE

from server.catalogue.zones import signature, zones_by_view
from server.measuring.inputs import counted_runs, denoised_apart, is_current, zones_to_measure
from server.measuring.measuring import NOISE, ratio_of
from server.measuring.models import Comparison, Measure
from server.measuring.which_reference import References, place_of
from server.references.models import Reference
from server.runs.models import Run
from server.studies.models import Option, Pair, Purpose, Study

ALL = "all"
NOISE_KINDS = ("noise", "noise_worst", "noise_total", "noise_without_fireflies", "noise_seen")


@dataclass(frozen=True)
class TableRow:
    """One option in one zone, and its cells by measure."""

    option: Option
    zone: str
    pair: int
    seeds: int
    picture: str
    reference: Reference | None
    cells: dict[str, dict[str, Any]]


def measure_table(study: Study, zone: str = WHOLE) -> tuple[list[str], list[TableRow]]:
    """The zones there are, and the rows of one zone or of all. Raises `InputError` for a zone that there is not."""
    zones_drawn, references = zones_by_view(), References()
    options = study.options.filter(purpose=Purpose.COUNTED, in_plan=True, left_out="").select_related("setup__scene")
    runs = Run.objects.defer("log", "command")
    rows: list[TableRow] = []
    names: dict[str, None] = {WHOLE: None}
    pairs = pairs_by_option(study)
    refused = _noise_refused(study)
    measured = options.prefetch_related(Prefetch("runs", runs), "measures").order_by("number", "pk")
    for option in measured:
        to_measure = zones_to_measure(option.setup, zones_drawn)
        names |= dict.fromkeys(to_measure)
        counted = counted_runs(option)
        reference = references.of(option.setup)
        picture = next((run.picture for run in counted if run.picture), "")
        stored: dict[str, dict[str, Measure]] = defaultdict(dict)
        for row in option.measures.all():
            stored[row.zone][row.name] = row
        for name in to_measure if zone == ALL else [zone] if zone in to_measure else []:
            area = signature(to_measure[name])
            cells = {
                kind.name: _cell(stored[name].get(kind.name), counted, area, reference, by_reference=kind.by_reference)
                for kind in KINDS
            }
            why = refused.get((option.pk, name), "")
            for noise in NOISE_KINDS if why else ():
                cells[noise]["why_not"] = why
            rows.append(TableRow(option, name, pairs.get(option.pk, 0), len(counted), picture, reference, cells))
    if zone not in (ALL, *names):
        raise InputError(f"there is no zone {zone!r} on the views of this study; there are {', '.join(names)}")
    _rank(rows)
    return list(names), rows


def kind_rows() -> list[dict[str, Any]]:
    """The measures in their order, as plain values."""
    return [asdict(kind) for kind in KINDS]


def _cell(
    row: Measure | None, counted: Sequence[Run], area: str, reference: Reference | None, *, by_reference: bool
) -> dict[str, Any]:
    if row is None:
        reason = "not measured yet" if counted else "no finished render"
        if by_reference and reference is None:
            reason = "there is no reference of this setup to judge by"
        return {"value": None, "interval": None, "method": "", "refused": reason, "out_of_date": False, "standing": "",
                "why_not": "", "found": None, "version": 0}  # fmt: skip
    return {
        "value": row.value, "interval": None if row.low is None else [row.low, row.high], "method": row.method,
        "refused": row.refused, "out_of_date": not is_current(row, counted, area, reference), "standing": "",
        "why_not": "", "found": row.details.get("found"), "version": row.version,
        "stored": row,
    }  # fmt: skip


def _rank(rows: Sequence[TableRow]) -> None:
    """Mark the best and the ties among options of one place and zone."""
    groups: dict[tuple[Any, ...], list[TableRow]] = defaultdict(list)
    for row in rows:
        groups[(place_of(row.option.setup), row.zone)].append(row)
    for group in groups.values():
        for kind in KINDS:
            figures = {
                number: Figure(cell["value"], kind.unit, _ends(cell), cell["method"], cell["version"])
                for number, row in enumerate(group)
                if (cell := row.cells[kind.name])["value"] is not None
                and not cell["out_of_date"]
                and not cell["why_not"]
            }
            told_apart = _noise_test(group, kind.name) if kind.name == NOISE else None
            for number, ranked in rank(figures, KIND_OF[kind.name], told_apart).items():
                _mark(group[number].cells[kind.name], ranked)


def _noise_test(group: Sequence[TableRow], name: str) -> Callable[[int, int], bool]:
    """Whether two options' noise is told apart, by the same ratio that their pair shows."""

    def told_apart(one: int, other: int) -> bool:
        rows = (group[number].cells[name]["stored"] for number in (one, other))
        try:
            ratio = ratio_of(*rows)
        except RefusedError:
            return False
        return ratio is not None and not ratio.tie

    return told_apart


def _mark(cell: dict[str, Any], ranked: Ranked) -> None:
    cell["standing"] = ranked.standing
    cell["why_not"] = ranked.why_not


def _ends(cell: dict[str, Any]) -> tuple[float, float] | None:
    return None if cell["interval"] is None else (cell["interval"][0], cell["interval"][1])


def pairs_by_option(study: Study) -> dict[int, int]:
    """For each option a pair that shows it: the one it is the trial of, else the first it is the control of."""
    found: dict[int, int] = {}
    rows = list(Pair.objects.filter(study=study).order_by("pk").values_list("pk", "control", "trial"))
    for pk, _, trial in rows:
        found.setdefault(trial, pk)
    for pk, control, _ in rows:
        found.setdefault(control, pk)
    return found


def _noise_refused(study: Study) -> dict[tuple[int, str], str]:
    """By option and zone why its noise is not compared with its control's."""
    rows = Comparison.objects.filter(pair__study=study).exclude(noise_refused="")
    found = {(trial, zone): why for trial, zone, why in rows.values_list("pair__trial", "zone", "noise_refused")}
    sides = Pair.objects.filter(study=study).select_related("control", "trial")
    for pair in sides.prefetch_related("comparisons"):
        if denoised_apart(pair.control, pair.trial):
            found |= {(pair.trial_id, each.zone): DENOISED for each in pair.comparisons.all()}
    return found
