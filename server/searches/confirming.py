"""Holds what a search found against the present settings at full size, and joins several frames to ranges."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass

from django.db.models import Max
from matchedpair.engines.setting import Value
from matchedpair.search.frame_ranges import FrameRange, Waste, constant, joined, waste
from matchedpair.search.raising import Change, Ladder

from server.catalogue.scenes import scene_named
from server.measuring.models import Comparison
from server.searches.changes import NOT_COMPARABLE, PENDING, change_of, thresholds_of
from server.searches.models import Search, SearchState
from server.searches.renders import frames_of, option_of, pair_of, seconds_of
from server.studies.models import Option


@dataclass(frozen=True)
class Joined:
    """Frame ranges, constant settings for all frames, and what these waste, once both are timed."""

    ranges: tuple[FrameRange, ...]
    constant: dict[str, Value]
    waste: Waste | None


def begin_confirming(row: Search, ladders: Sequence[Ladder]) -> list[Option]:
    """What is to be rendered at full size, at every frame that was looked at; none when nothing changed anywhere.

    Raises `InputError` when scene or engine is another by now.
    """
    found = {int(frame): settings for frame, settings in row.found.items()}
    highest = constant(found, ladders, more_levels=row.more_levels)
    by_frame = {
        each.first: each.settings
        for frame in frames_of(row)
        for each in joined(found, ladders, first=frame, last=frame, more_levels=row.more_levels)
    }
    if all(settings == row.base.settings for settings in by_frame.values()):
        return []
    rendered: dict[int, Option] = {}
    row.confirmed = []
    for frame, settings in by_frame.items():
        present, least = (option_of(row, frame, each, small=False) for each in (row.base.settings, settings))
        more = [option_of(row, frame, highest, small=False)] if len(by_frame) > 1 else []
        pair = pair_of(present, least).pk if present.pk != least.pk else None
        rendered |= {each.pk: each for each in (present, least, *more)}
        row.confirmed = [*row.confirmed, {
            "frame": frame, "present": present.pk, "found": least.pk, "constant": more[0].pk if more else None,
            "pair": pair,
        }]  # fmt: skip
    first = next((each["pair"] for each in row.confirmed if each["pair"]), None)
    row.pair_id = first
    row.save()
    return list(rendered.values())


def confirmed_words(row: Search) -> str | None:
    """What the pairs at full size say; `PENDING` while one is to come, None when one could not be rendered."""
    said = []
    compared_at = _compared_at(row)
    for each in row.confirmed:
        if each["pair"] is None:
            continue
        change = change_of(each["pair"], thresholds_of(row))
        if change == PENDING:
            return PENDING
        if change is None:
            return None
        assert not isinstance(change, str)
        each["change"], each["compared_at"] = asdict(change), compared_at.get(each["pair"], "")
        said.append((change.amount, _in_words(change), each["frame"], change.seen))
    if not said:
        return "nothing changed at full size"
    held = [row_ for row_ in said if row_[0] <= 1.0]
    if len(held) == len(said) and any(seen > 1.0 for *_, seen in said):
        return "At full size noise would hide a change of the threshold's size"
    amount, words, frame, _ = max(said)
    where = f" in frame {frame}" if len(row.confirmed) > 1 else ""
    if amount <= 1.0:
        frames = f" in all {len(said)} frames" if len(said) > 1 else ""
        return f"It holds at full size{frames}; what differs most{where}: {words}"
    if len(said) == 1:
        return f"At full size it changes more than the threshold{where}: {words}"
    return f"At full size it holds in {len(held)} of {len(said)} frames; most{where}: {words}"


def tell_again(study: int) -> int:
    """Hold what a study's finished searches found against its pairs' present figures, where they were compared again
    since: after more seeds, with a zone drawn later, by a newer method. Returns how many were told anew.
    """
    told = 0
    for row in Search.objects.filter(study=study, state=SearchState.DONE):
        now = _compared_at(row)
        if all(each.get("compared_at", "") == now.get(each["pair"], "") for each in row.confirmed if each["pair"]):
            continue
        words = confirmed_words(row)
        if words is not None and words != PENDING:
            row.words = words
            row.save(update_fields=["words", "confirmed"])
            told += 1
    return told


def _compared_at(row: Search) -> dict[int, str]:
    """By pair at full size when it was compared last."""
    pairs = [each["pair"] for each in row.confirmed if each["pair"]]
    rows = Comparison.objects.filter(pair__in=pairs).order_by("pair").values_list("pair")
    return {pair: at.isoformat() for pair, at in rows.annotate(Max("measured_at"))}


def _in_words(change: Change) -> str:
    if not change.found:
        return "nothing that can be told"
    if change.amount >= NOT_COMPARABLE or not change.words:
        return change.words or "less than the threshold"
    return f"{change.words}, {change.amount:.2g} of the threshold"


def joined_frames(row: Search, ladders: Sequence[Ladder]) -> Joined | None:
    """The result along the frames of the scene; None for a search at one frame, or before all frames have a result.

    Raises `InputError` when the scene is not here any more.
    """
    found = {int(frame): settings for frame, settings in row.found.items()}
    if len(frames_of(row)) < 2 or set(found) != set(frames_of(row)):
        return None
    scene = scene_named(row.base.setup.scene.name)
    first, last = scene.first_frame, scene.last_frame
    ranges = joined(found, ladders, first=first, last=last, more_levels=row.more_levels)
    highest = constant(found, ladders, more_levels=row.more_levels)
    timed = {name: _seconds(row, name) for name in ("found", "constant")}
    return Joined(ranges, highest, waste(timed["found"], timed["constant"], first=first, last=last))


def _seconds(row: Search, name: str) -> dict[int, float]:
    options = Option.objects.prefetch_related("runs__study").in_bulk(
        [each[name] for each in row.confirmed if each.get(name)]
    )
    found = {}
    for each in row.confirmed:
        option = options.get(each.get(name) or 0)
        seconds = seconds_of(option) if option is not None else None
        if seconds is not None:
            found[each["frame"]] = seconds
    return found
