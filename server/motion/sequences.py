"""A study's sequences: its options gathered by frame, with what is missing or bad of each."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from matchedpair.plans.plan_kind import FRAME

from server.catalogue.zones import zones_by_view
from server.curves.curves import CONTROL_TITLE, how_key
from server.measuring.option_facts import OptionFacts, all_facts
from server.measuring.which_reference import place_of
from server.runs.models import BAD_STATES, Run
from server.studies.models import Option, Study

LEAST_FRAMES = 2
FRAME_PLACE = 4  # where `place_of` has the frame
THERE, TO_COME, BAD, NOT_RENDERED = "there", "to come", "bad", "not rendered"


@dataclass(frozen=True)
class SequenceFrame:
    """One frame: its option, its first render, and how it stands."""

    number: int
    facts: OptionFacts
    run: Run | None
    state: str
    reason: str


@dataclass(frozen=True)
class OptionSequence:
    """Options alike in all but their frame, in the order of the frames.

    Parameters
    ----------
    gaps : list of int
        Frames between the first and the last that no option has.
    """

    key: str
    title: str
    control: bool
    frames: tuple[SequenceFrame, ...]
    gaps: list[int]

    @property
    def complete(self) -> bool:
        """Whether every frame that is planned has its picture."""
        return all(frame.state == THERE for frame in self.frames)

    @property
    def pictures(self) -> list[str]:
        """Content hashes by frame, of those that are there."""
        return [frame.run.picture for frame in self.frames if frame.run is not None]


def has_sequences(study: Study) -> bool:
    """Whether frames are a factor of the study."""
    first = study.options.filter(in_plan=True).first()
    return first is not None and any(level["subject"] == FRAME for level in first.levels)


def sequences_of(study: Study) -> list[OptionSequence]:
    """All sequences, the control's first; none where frames are no factor. Measures nothing."""
    if not has_sequences(study):
        return []
    options = Option.objects.filter(study=study, in_plan=True, left_out="").order_by("number", "pk")
    groups: dict[str, list[OptionFacts]] = {}
    for facts in all_facts(options, zones_by_view(), ()):
        groups.setdefault(_key(facts.option, study.from_elsewhere), []).append(facts)
    bad = dict(
        Run.objects.filter(study=study, warm_up=False, state__in=BAD_STATES).values_list("option", "reason")
    )  # fmt: skip
    found = [_sequence(key, own, bad) for key, own in groups.items() if len(own) >= LEAST_FRAMES]
    return sorted(found, key=lambda row: not row.control)


def _sequence(key: str, own: list[OptionFacts], bad: dict[int, str]) -> OptionSequence:
    own.sort(key=lambda facts: facts.option.setup.frame)
    frames = tuple(_frame(facts, bad) for facts in own)
    numbers = {frame.number for frame in frames}
    gaps = [n for n in range(min(numbers), max(numbers) + 1) if n not in numbers]
    control = all(_changes_nothing(facts.option) for facts in own)
    return OptionSequence(key, _title(own[0].option), control, frames, gaps)


def _frame(facts: OptionFacts, bad: dict[int, str]) -> SequenceFrame:
    run = facts.runs[0] if facts.runs else None
    option = facts.option
    if run is not None:
        state, reason = (BAD, _found(run)) if _found(run) else (THERE, "")
    elif facts.open:
        state, reason = TO_COME, ""
    elif option.pk in bad:
        state, reason = BAD, bad[option.pk]
    else:
        state, reason = NOT_RENDERED, ""
    return SequenceFrame(option.setup.frame, facts, run, state, reason)


def _found(run: Run) -> str:
    """What a check found that keeps a frame from being measured."""
    return next((check["message"] for check in run.checks if check.get("severity") == "stop"), "")


def _title(option: Option) -> str:
    rows = (row for row in option.levels if row["changed"] and row["subject"] != FRAME)
    return ", ".join(f"{row['title'][:1].lower()}{row['title'][1:]} {row['shown']}" for row in rows) or CONTROL_TITLE


def _changes_nothing(option: Option) -> bool:
    return not any(row["changed"] for row in option.levels if row["subject"] != FRAME)


def _key(option: Option, elsewhere: bool) -> str:
    place = list(place_of(option.setup))
    del place[FRAME_PLACE]
    engine = f"{option.engine_title} {option.side if elsewhere else ''}"
    common = f"{place} {engine} {how_key(option)} {option.settings.get(option.quality_knob)}"
    return hashlib.sha256(common.encode()).hexdigest()
