"""A search as plain values, for the API and for bundles."""

from __future__ import annotations

from typing import Any

from matchedpair.answers.least import of_search
from matchedpair.errors import InputError
from matchedpair.search.exploring import evened_out, frontier
from matchedpair.search.raising import settings_key

from server.searches import searching
from server.searches.confirming import joined_frames
from server.searches.facts import search_fact
from server.searches.models import Search, SearchState, Way
from server.searches.renders import frames_of, spent_seconds


def search_row(row: Search) -> dict[str, Any]:
    """A search as plain values; each decision with the pair that shows it."""
    rendered = {(each["frame"], settings_key(side)) for each in row.compared for side in (each["lower"], each["upper"])}
    frames = [frame for frame in frames_of(row) if str(frame) in row.found]
    pairs = {each["frame"]: each["pair"] for each in row.confirmed}
    fact = search_fact(row)
    return {
        **{name: getattr(row, name) for name in (
            "state", "words", "scale", "zone", "most_renders", "most_seconds", "way", "more_levels", "unused",
            "created_at", "most_stops", "most_colour", "most_percent", "most_detail",
        )},
        "id": row.pk, "renders": len(rendered), "spent_seconds": spent_seconds(row), "before": row.base.settings,
        "found": row.found[str(frames[0])] if frames else row.base.settings,
        "frames": [
            {"frame": frame, "settings": _raised(row, row.found[str(frame)]), "pair": pairs.get(frame)}
            for frame in frames
        ],
        "joined": _joined(row), "pair": fact.pair or row.pair_id,
        "sentence": of_search("least", fact).sentence, "holds": fact.holds,
        "trace": [{**each, "passed": each["pass"], "pair": _pair_of(row, each)} for each in row.trace],
        "ways": _ways(row) if row.way == Way.EXPLORE else [],
    }  # fmt: skip


def _raised(row: Search, settings: dict[str, Any]) -> dict[str, Any]:
    """Of all settings those that the search raises."""
    return {each["setting"]: settings[each["setting"]] for each in row.ladders}


def _joined(row: Search) -> dict[str, Any] | None:
    if row.state not in (SearchState.CONFIRMING, SearchState.DONE):
        return None
    try:
        found = joined_frames(row, searching.ladders_of(row))
    except InputError:  # its scene is gone; the frames that were looked at are still told
        return None
    if found is None:
        return None
    return {
        "ranges": [
            {"first": each.first, "last": each.last, "settings": _raised(row, each.settings)} for each in found.ranges
        ],
        "constant": _raised(row, found.constant),
        "by_range_seconds": found.waste.by_range_seconds if found.waste else None,
        "constant_seconds": found.waste.constant_seconds if found.waste else None,
        "wasted_share": found.waste.told if found.waste else None,
    }  # fmt: skip


def _ways(row: Search) -> list[dict[str, Any]]:
    """What exploring tried, in its order."""
    rows = []
    for frame in frames_of(row):
        tried = searching.tried_at(row, frame)
        evened = evened_out(searching.ladders_of(row), tried)
        best = {settings_key(each.settings) for each in frontier(evened)}
        entries = [each for each in row.compared if each["frame"] == frame]
        for entry, each, even in zip(entries, tried, evened, strict=True):
            rows.append({
                "frame": frame, "settings": _raised(row, dict(each.settings)), "seconds": each.seconds,
                "evened_seconds": even.seconds,
                "amount": each.change.amount if each.change else None,
                "change": each.change.words if each.change else "",
                "on_frontier": settings_key(each.settings) in best, "pair": entry["pair"],
            })  # fmt: skip
    return rows


def _pair_of(row: Search, decision: dict[str, Any]) -> int | None:
    """The latest comparison of this setting at this level, in this frame."""
    name, level = decision["setting"], decision["level"]
    shown = [each["pair"] for each in row.compared
             if each["frame"] == decision["frame"] and each["lower"].get(name) == level
             and each["upper"].get(name) != level]  # fmt: skip
    return shown[-1] if shown else None
