"""Searches as the core's answers take them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from matchedpair.answers import SearchFact, StudyFacts
from matchedpair.engines.setting import is_number
from matchedpair.search.raising import NOT_SURE

from server.catalogue.zones import zones_by_view
from server.pairs.pair import PairFigures, pair_figures, plain_look_of, with_all
from server.searches.changes import NOT_COMPARABLE
from server.searches.models import Search, SearchState
from server.studies.models import Pair, Study

WORDS = {SearchState.OUT_OF_BUDGET.value: "out of budget"}


def with_searches(
    studies: Sequence[Study], facts: dict[int, StudyFacts], stamps: dict[int, Any]
) -> dict[int, StudyFacts]:
    """The facts of the studies that have searches, with them, newest first."""
    searched = [study for study in studies if study.pk in stamps]
    if not searched:
        return {}
    found: dict[int, list[SearchFact]] = {}
    for row in Search.objects.filter(study__in=searched).select_related("base"):
        found.setdefault(row.study_id, []).append(search_fact(row))
    return {pk: replace(facts[pk], searches=tuple(rows)) for pk, rows in found.items()}


def search_stamps(studies: Sequence[Study]) -> dict[int, Any]:
    """By study what changes with its searches."""
    rows = Search.objects.filter(study__in=studies).order_by("study", "pk")
    stamps: dict[int, list[Any]] = {}
    for pk, *row, confirmed in rows.values_list("study", "pk", "state", "words", "confirmed"):
        stamps.setdefault(pk, []).append([*row, str([each.get("change") for each in confirmed])])
    return stamps


def search_fact(row: Search) -> SearchFact:
    """What it came to: the least settings of the frames that were looked at, and the worst change among them."""
    before = row.base.settings
    searched = [each["setting"] for each in row.ladders]
    found = list(row.found.values())
    highest = {name: max((own[name] for own in found if name in own), default=before.get(name)) for name in searched}
    lower = [name for name in searched if _lower(highest, before, name)]
    changes = [(each["change"]["amount"], each["change"], each) for each in row.confirmed if each.get("change")]
    state = WORDS.get(row.state, row.state)
    fact = SearchFact(
        state, len(searched), len(lower), change=row.words, result=_result(lower, found, before), scale=row.scale,
        unsure=_unsure(row),
    )  # fmt: skip
    if row.state != SearchState.DONE or not changes:
        return fact
    amount, change, worst = max(changes, key=lambda entry: entry[0])
    where = f" in frame {worst['frame']}" if len(row.confirmed) > 1 else ""
    figures = _figures(worst["pair"])
    plain = plain_look_of(figures) if figures is not None else ""
    return replace(
        fact, time=figures.time_ratio if figures is not None else None, change=f"{change['words']}{where}",
        threshold_share=amount, seen=max(each["seen"] for _, each, _ in changes), pair=worst["pair"] or 0,
        options=(worst["present"], worst["found"]), plain=f"{plain}{where}" if plain else "",
        comparable=amount < NOT_COMPARABLE,
    )  # fmt: skip


def _unsure(row: Search) -> int:
    return len({each["setting"] for each in row.trace if each["words"] == NOT_SURE})


def _lower(found: Mapping[str, Any], before: Mapping[str, Any], name: str) -> bool:
    return is_number(found.get(name)) and is_number(before.get(name)) and found[name] < before[name]


def _result(lower: Sequence[str], found: Sequence[Mapping[str, Any]], before: Mapping[str, Any]) -> str:
    parts = []
    for name in lower:
        levels = sorted({own[name] for own in found if is_number(own.get(name))})
        told = " to ".join(f"{level:g}" for level in dict.fromkeys((levels[0], levels[-1])))
        parts.append(f"{name.replace('_', ' ')} {told} instead of {before[name]:g}")
    text = ", ".join(parts)
    return text[:1].upper() + text[1:]


def _figures(pair: int | None) -> PairFigures | None:
    row = with_all(Pair.objects.filter(pk=pair)).first() if pair else None
    return pair_figures(row, zones_by_view()) if row is not None else None
