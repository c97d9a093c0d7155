"""Carries searches out: asks the core what to render next, renders it small, and confirms the result at full size."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from django.db import transaction
from django.utils import timezone
from matchedpair.errors import InputError, MatchedPairError, SettingsError
from matchedpair.search.exploring import ExploringStep, Tried, next_explored
from matchedpair.search.raising import Change, Compared, Ladder, RaisingStep, next_raise, settings_key
from matchedpair.search.step import Wanted

from server.catalogue.engines import engine_named, missing_reason
from server.measuring.inputs import counted_runs
from server.pairs.partners import as_side
from server.runs.actions import must_be_ours, queue_options, stop_runs
from server.runs.models import BAD_STATES, OPEN_STATES, Run
from server.searches.changes import PENDING, Thresholds, change_of, thresholds_of
from server.searches.confirming import begin_confirming, confirmed_words
from server.searches.models import Search, SearchState, Way
from server.searches.renders import frames_of, option_of, options_of, pair_of, seconds_of, spent_seconds, zone_named
from server.studies.models import Option, Study

MOST_SEEDS = 8  # of one combination; where more would be needed, samples are the better buy
GOING_ON = (SearchState.SEARCHING, SearchState.CONFIRMING)


@dataclass(frozen=True)
class Asked:
    """How a search is to go; `frames` without any looks at the present one alone."""

    thresholds: Thresholds
    scale: float = 0.5
    zone: str = ""
    way: str = Way.RAISE
    frames: Sequence[int] = field(default_factory=tuple)
    more_levels: int = 0
    most_renders: int | None = None
    most_seconds: float | None = None


@transaction.atomic
def begin(base: Option, ladders: Sequence[Ladder], asked: Asked) -> Search:
    """Begin a search from an option's settings; its first renders are queued at once.

    Raises
    ------
    InputError, SettingsError
        Where its renders were made elsewhere, its engine is missing, a level or frame does not fit, or a search is
        under way.
    """
    study = base.study
    must_be_ours(study)
    frames = sorted(set(asked.frames))
    _check(base, ladders, frames)
    if asked.zone:
        zone_named(base.setup.scene.name, base.setup.view, asked.zone)
        if engine_named(base.engine).cannot("crop"):
            raise InputError(f"{base.engine_title}'s definition has no way to ask for a part of the picture")
    if asked.way == Way.EXPLORE and asked.most_renders is None and asked.most_seconds is None:
        raise InputError("exploring needs a budget: of renders, or of minutes")
    if study.searches.filter(state__in=GOING_ON).exists():
        raise InputError("a search of this study is under way; stop it first")
    most = asked.thresholds
    row = Search.objects.create(
        study=study, base=base, way=asked.way, ladders=[asdict(ladder) for ladder in ladders], scale=asked.scale,
        zone=asked.zone, frames=frames, more_levels=asked.more_levels, most_stops=most.stops, most_colour=most.colour,
        most_percent=most.percent, most_detail=most.detail, most_renders=asked.most_renders,
        most_seconds=asked.most_seconds,
    )  # fmt: skip
    advance(row)
    return row


def advance_all() -> int:
    """Take the next step of every search whose last is rendered and compared. Returns how many renders."""
    queued = 0
    for row in Search.objects.filter(state__in=GOING_ON, study__removed_at=None).select_related("study"):
        try:
            queued += advance(row)
        except MatchedPairError as error:  # its engine or scene is another by now
            _end(row, SearchState.FAILED, str(error))
    return queued


@transaction.atomic
def advance(row: Search) -> int:
    """Take a search's next steps, as far as they are rendered and compared. Returns how many renders were queued."""
    if row.state == SearchState.CONFIRMING:
        return _confirmed(row)
    # what another search rendered already needs no render, and nothing would wake this one again
    while _judge(row):
        frame, step = _first_open(row)
        if step.state == "done":
            return _confirm(row)
        if step.wanted is None:
            where = f" (frame {frame})" if row.frames else ""
            ended = SearchState.FAILED if step.state == "failed" else SearchState.OUT_OF_BUDGET
            return _end(row, ended, step.words + where)
        queued = _render(row, frame, step.wanted)
        if queued:
            return queued
    return 0


@transaction.atomic
def stop(row: Search) -> None:
    """Stop a search and its renders to come; what is rendered stays. Raises `InputError`."""
    if row.state not in GOING_ON:
        raise InputError("this search is over")
    stop_runs(Run.objects.filter(option__in=options_of(row), state__in=OPEN_STATES))
    _end(row, SearchState.STOPPED, "stopped by hand; what was compared stays")


@transaction.atomic
def go_on(row: Search, most_renders: int | None = None, most_seconds: float | None = None) -> int:
    """Go on with a search that was stopped, failed or ran out of budget; bad renders are made again.

    Raises `InputError`.
    """
    if row.state in (*GOING_ON, SearchState.DONE):
        raise InputError("only a search that was stopped, failed or ran out of budget can go on")
    if row.state == SearchState.OUT_OF_BUDGET or most_renders is not None or most_seconds is not None:
        row.most_renders, row.most_seconds = most_renders, most_seconds
    row.state, row.ended_at, row.words = SearchState.SEARCHING, None, "goes on"
    row.save()
    bad = list(Option.objects.filter(pk__in=options_of(row), runs__state__in=BAD_STATES).distinct())
    queued = queue_options(row.study, bad) if bad else 0
    return queued or advance(row)


def study_searches(study: Study) -> list[Search]:
    """The searches of a study, newest first."""
    return list(study.searches.select_related("base__setup"))


def ladders_of(row: Search) -> list[Ladder]:
    """The settings that a search raises, each with its levels."""
    return [Ladder(each["setting"], tuple(each["levels"])) for each in row.ladders]


def tried_at(row: Search, frame: int) -> list[Tried]:
    """What exploring tried at a frame: the top first, then everything that was compared with it."""
    entries = [each for each in row.compared if each["frame"] == frame]
    options = Option.objects.prefetch_related("runs__study").in_bulk([each["options"][0] for each in entries])
    found = []
    for each in entries:
        option = options.get(each["options"][0])
        seconds = seconds_of(option) if option is not None else None
        found.append(Tried(each["lower"], seconds, _kept_change(each)))
    return found


def _check(base: Option, ladders: Sequence[Ladder], frames: Sequence[int]) -> None:
    definition = engine_named(base.engine)
    missing = missing_reason(definition, base.build)
    if missing:
        raise InputError(missing)
    if not ladders:
        raise InputError("choose at least one setting to raise")
    if len({ladder.setting for ladder in ladders}) < len(ladders):
        raise InputError("a setting stands there twice; put all its levels into one row")
    problems = {}
    for ladder in ladders:
        setting = definition.setting(ladder.setting)
        wrong = next((problem for level in ladder.levels if (problem := setting.problem_with(level))), None)
        if wrong:
            problems[ladder.setting] = wrong
        elif list(ladder.levels) != sorted(set(ladder.levels)):  # type: ignore[type-var]  # numbers, as was checked
            problems[ladder.setting] = "the levels must rise"
    if problems:
        raise SettingsError(problems)
    scene = as_side(base).scene
    outside = [frame for frame in frames if not scene.first_frame <= frame <= scene.last_frame]
    if outside:
        raise InputError(
            f"{scene.title} has frames {scene.first_frame} to {scene.last_frame}; {outside[0]} is none of them"
        )
    if any(frame != base.setup.frame for frame in frames) and definition.cannot("frame"):
        raise InputError(f"{definition.title}'s definition has no way to ask for a frame")


def _judge(row: Search) -> bool:
    """Note what each comparison shows, once it can be told; False while one is to come."""
    most = thresholds_of(row)
    for each in row.compared:
        if each.get("change"):
            continue
        found = change_of(each["pair"], most) if each["pair"] else _alone(each)
        if found == PENDING:
            return False
        assert not isinstance(found, str)
        if found and found.blind and row.way == Way.RAISE and _more_seeds(row, each, found.seen):
            row.words = "more seeds, since noise would hide a change that counts"
            row.save()
            return False
        each["change"] = asdict(found) if found else None
    row.save()
    return True


def _more_seeds(row: Search, entry: dict[str, Any], seen: float) -> int:
    """Queue the seeds that would show a change of the threshold's size, where `MOST_SEEDS` would; once for each number
    of them, since some may fail. Returns how many.
    """
    if row.most_seconds is not None and spent_seconds(row) >= row.most_seconds:
        return 0
    options = list(Option.objects.filter(pk__in=entry["options"]).prefetch_related("runs__study"))
    there = min(len(counted_runs(option)) for option in options)
    wanted = math.ceil(there * seen**2)  # what chance hides falls with the root of their number
    if not max(there, entry.get("seeds", 0)) < wanted <= MOST_SEEDS:
        return 0
    entry["seeds"] = wanted
    return queue_options(row.study, options, wanted)


def _alone(entry: Mapping[str, Any]) -> Change | str | None:
    """The top, which nothing is compared with: it changes nothing once it is rendered."""
    runs = [run for run in Run.objects.filter(option__in=entry["options"]) if not run.warm_up]
    if any(run.state in OPEN_STATES for run in runs):
        return PENDING
    return Change(False, 0.0) if any(run.times() for run in runs) else None


def _kept_change(entry: Mapping[str, Any]) -> Change | None:
    return Change(**entry["change"]) if entry.get("change") else None


def _next(row: Search, frame: int) -> RaisingStep | ExploringStep:
    ladders = ladders_of(row)
    entries = [each for each in row.compared if each["frame"] == frame]
    elsewhere = {
        (each["frame"], settings_key(side)) for each in row.compared if each["frame"] != frame
        for side in (each["lower"], each["upper"])
    }  # fmt: skip
    left = None if row.most_renders is None else max(row.most_renders - len(elsewhere), 0)
    spent = spent_seconds(row) if row.most_seconds is not None else 0.0
    if row.way == Way.EXPLORE:
        shared = None if row.most_renders is None else row.most_renders // len(frames_of(row))
        seconds = None if row.most_seconds is None else _share_of_time(row, frame)
        return next_explored(
            ladders, row.base.settings, tried_at(row, frame), most_renders=shared, spent_seconds=spent,
            most_seconds=seconds, seed=frame,
        )  # fmt: skip
    compared = [Compared(each["lower"], each["upper"], _kept_change(each)) for each in entries]
    return next_raise(
        ladders, row.base.settings, compared, most_renders=left, spent_seconds=spent, most_seconds=row.most_seconds
    )


def _first_open(row: Search) -> tuple[int, RaisingStep | ExploringStep]:
    """The first frame that has no result yet, with its step; the last frame when all have one."""
    for frame in frames_of(row):
        step = _next(row, frame)
        _note(row, frame, step)
        if step.state != "done":
            break
    return frame, step


def _share_of_time(row: Search, frame: int) -> float:
    """Each frame may use as much time as its place in the order gives it, so that the last one gets its share."""
    assert row.most_seconds is not None
    frames = frames_of(row)
    return row.most_seconds * (frames.index(frame) + 1) / len(frames)


def _render(row: Search, frame: int, wanted: Wanted) -> int:
    """Queue what the search asks for, and make the pair that compares it."""
    lower, upper = wanted.settings, wanted.against or wanted.settings
    option = option_of(row, frame, lower, small=True)
    options, pair = [option], None
    if lower != upper:
        options.append(option_of(row, frame, upper, small=True))
        pair = pair_of(options[1], option).pk
    entry = {
        "frame": frame, "lower": lower, "upper": upper, "pair": pair, "options": [each.pk for each in options],
        "change": None,
    }  # fmt: skip
    row.compared = [*row.compared, entry]
    row.save()
    return queue_options(row.study, options[::-1])


def _confirm(row: Search) -> int:
    """The result against the present settings, at full size; nothing when it is the same."""
    rendered = begin_confirming(row, ladders_of(row))
    if not rendered:
        return _end(row, SearchState.DONE, "the present settings are the least already")
    row.state, row.words = SearchState.CONFIRMING, "rendered at full size beside the present settings"
    row.save()
    return queue_options(row.study, rendered) or _confirmed(row)


def _confirmed(row: Search) -> int:
    words = confirmed_words(row)
    if words == PENDING:
        return 0
    if words is None:
        return _end(row, SearchState.FAILED, "the result could not be rendered at full size")
    return _end(row, SearchState.DONE, words)


def _note(row: Search, frame: int, step: RaisingStep | ExploringStep) -> None:
    """Keep what is decided so far at a frame."""
    row.words = step.words
    if isinstance(step, RaisingStep):
        rows = [
            {
                "frame": frame, "pass": each.passed, "setting": each.setting, "level": each.level,
                "outcome": each.outcome, "words": each.words, "change": each.change.words if each.change else "",
                "amount": each.change.amount if each.change else None,
            }
            for each in step.trace
        ]  # fmt: skip
        row.trace = [*(each for each in row.trace if each["frame"] != frame), *rows]
        if frame == frames_of(row)[0]:
            row.unused = list(step.unused)
        elif step.state == "done":  # of no use is what changes nothing in any frame
            row.unused = [name for name in row.unused if name in step.unused]
        row.found = {**row.found, str(frame): step.settings}
    elif step.wanted is None:
        row.found = {**row.found, str(frame): step.settings}
    row.save()


def _end(row: Search, state: SearchState, words: str) -> int:
    row.state, row.words, row.ended_at = state, words, timezone.now()
    row.save()
    return 0
