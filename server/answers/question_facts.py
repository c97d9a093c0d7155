"""What the measures of some questions say of an option, as plain values of the core's answers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from matchedpair.answers import NearFact, PassFact
from matchedpair.measures.figure import Figure
from matchedpair.measures.samples_to import Convergence
from matchedpair.measures.zones import WHOLE

from server.measuring.measuring import figure_of
from server.measuring.models import Measure
from server.measuring.option_facts import OptionFacts
from server.measuring.question_measures import (
    APPARENT_DETAIL,
    APPARENT_ERROR,
    CONVERGENCE,
    LAID_OVER,
    MOST_SEEDS,
    NEARNESS,
    PASS_APART,
    PASS_NOISE,
    VERSIONS,
)
from server.measuring.which_reference import References, reference_pictures
from server.references.models import Reference


def apparent_figures(own: OptionFacts) -> tuple[Figure | None, Figure | None]:
    """Visible difference and fine detail at one apparent size, where they are of the option's present pictures."""
    pictures = [run.picture for run in own.runs]
    error, detail = (_kept(own, name, WHOLE, pictures) for name in (APPARENT_ERROR, APPARENT_DETAIL))
    return _figure_of(error), _figure_of(detail)


def pass_fact(own: OptionFacts) -> PassFact | None:
    """What is known of the option's own pass; None where it has none."""
    names = own.option.study.passes
    if not names or not any(names[0] in run.passes for run in own.runs):
        return None
    pictures = [run.passes[names[0]] for run in own.runs if names[0] in run.passes]
    rows = (_kept(own, name, WHOLE, pictures) for name in (PASS_NOISE, PASS_APART, LAID_OVER))
    return PassFact(names[0], *map(_figure_of, rows))


def near_facts(own: OptionFacts, references: References) -> tuple[tuple[NearFact, ...], str]:
    """Nearness to the photograph that is there now by zone, the whole first; or why there is none."""
    found, reasons = [], []
    measured = (NEARNESS, WHOLE) in own.measures  # or nothing need be asked
    photograph = references.photograph_of(own.option.setup) if measured else None
    if photograph is None:
        return (), ""
    for zone in own.zones:
        row = _kept(own, NEARNESS, zone, [run.picture for run in own.runs])
        if row is not None and row.inputs[-1] != photograph.picture:
            continue
        if row is not None and row.details:
            found.append(NearFact(zone, **{name: _told(value) for name, value in row.details.items()}))
        elif row is not None and row.refused:
            reasons.append(row.refused)
    return tuple(found), "" if found or not reasons else reasons[0]


def convergence_fact(own: OptionFacts, reference: Reference | None) -> Convergence | None:
    """How the option's error falls with samples, where that is of its present pictures and reference."""
    row = _kept(own, CONVERGENCE, WHOLE, [run.picture for run in own.runs])
    pictures = [run.picture for run in own.runs][:MOST_SEEDS]
    if row is None or not row.details or row.inputs != pictures + reference_pictures(reference):
        return None
    figures = {name: _told(row.details[name]) for name in ("one", "every") if row.details[name] is not None}
    return Convergence(**row.details | figures)


def _kept(own: OptionFacts, name: str, zone: str, pictures: Sequence[str]) -> Measure | None:
    row = own.measures.get((name, zone))
    first = list(pictures[:MOST_SEEDS])
    return row if row is not None and row.version == VERSIONS[name] and row.inputs[: len(first)] == first else None


def _told(values: dict[str, Any]) -> Figure:
    return Figure(**values | {"interval": tuple(values["interval"]) if values["interval"] else None})


def _figure_of(row: Measure | None) -> Figure | None:
    return None if row is None else figure_of(row)
