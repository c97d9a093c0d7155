"""A recipe of what a search found: settings by range of frames, or constant ones with what they waste."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from matchedpair.choose import RecipeUse
from matchedpair.errors import InputError

from server.decisions.models import RecipeVersion
from server.decisions.recipes import keep_version, output_of
from server.measuring.inputs import counted_runs
from server.searches.confirming import Joined, joined_frames
from server.searches.models import Search, SearchState
from server.searches.renders import frames_of
from server.searches.searching import ladders_of
from server.studies.models import Option


@transaction.atomic
def save_found(search: Search, *, name: str, author: str, note: str = "", constant: bool = False) -> RecipeVersion:
    """Save a search's result as the next version of a recipe.

    Raises `InputError` for a search that is not done.
    """
    if search.state != SearchState.DONE:
        raise InputError("the search is not done; its result can be saved once it is confirmed at full size")
    joined = joined_frames(search, ladders_of(search))
    settings = joined.constant if joined else search.found[str(frames_of(search)[0])]
    by_range = joined.ranges if joined and not constant and len(joined.ranges) > 1 else ()
    raised = [ladder.setting for ladder in ladders_of(search)]
    frames = tuple(
        {"first": row.first, "last": row.last, "settings": {name: row.settings[name] for name in raised}}
        for row in by_range
    )
    option = search.base
    output = output_of(search.study, option)
    title = "Animation" if joined else "Still"
    use = RecipeUse(
        title, option.engine, option.build, _version(option), settings, output, {}, tuple(_evidence(search, joined)),
        {}, frames,
    )  # fmt: skip
    return keep_version(search.study, name, author, note, option.setup.scene.title, {title.lower(): use})


def _version(option: Option) -> str:
    return ", ".join(sorted({run.engine_version for run in counted_runs(option) if run.engine_version}))


def _evidence(search: Search, joined: Joined | None) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = [{"what": f"search: {search.words}", "study": search.study_id}]
    if joined:
        looked = ", ".join(str(frame) for frame in frames_of(search))
        safety = f"; {search.more_levels} levels more for safety" if search.more_levels else ""
        rows.append({"what": f"frames looked at: {looked}; between two of them the higher level holds{safety}"})
    if joined and joined.waste and joined.waste.told is not None:
        rows.append({
            "what": "rendering time that constant settings waste", "value": 100.0 * joined.waste.told, "unit": "%",
            "method": "straight lines between the frames that were timed",
        })  # fmt: skip
    rows += [
        {"what": f"pair at full size, frame {each['frame']}", "study": search.study_id, "pair": each["pair"]}
        for each in search.confirmed if each["pair"]
    ]  # fmt: skip
    return rows
