"""Makes sequences of renders from elsewhere: a study whose frames are finished already."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from django.db import transaction
from matchedpair.elsewhere import Facts
from matchedpair.errors import InputError
from matchedpair.measures.sequence_report import NUMBER
from matchedpair.plans import CONTROL, TRIAL
from matchedpair.plans.plan_kind import FRAME

from server.imports.judged_by import forbidden, keep_reference
from server.imports.models import ImportedRender
from server.imports.pairing import ALIKE, MOST_SEEDS, keep_option, keep_run, keep_setup, subject_of, under_test, usable
from server.studies.levels import ShownLevel
from server.studies.models import Option, Pair, Study

LEAST_FRAMES, MOST_FRAMES = 2, 5000
Side = dict[int, list[tuple[ImportedRender, Facts]]]


@transaction.atomic
def make_sequence(
    question: str,
    control: Sequence[ImportedRender],
    trial: Sequence[ImportedRender] = (),
    reference: Sequence[ImportedRender] = (),
) -> tuple[Study, list[str]]:
    """A study of one sequence, or of two that are played in step, and what of it was left out.

    A file that could not be taken is left out and told; it makes a gap. Frames are told by the fact ``frame``, else by
    the last number in the name, unless that is the seed. `reference` judges each frame by its own; of one frame the
    second is the first one's twin.

    Raises
    ------
    InputError
        When a side has fewer than two frames, one frame twice, frames of several sizes or of several options,
        or something needed is not known.
    """
    left_out: list[str] = []
    sides = {CONTROL: _side(CONTROL, control, left_out)}
    if trial:
        sides[TRIAL] = _side(TRIAL, trial, left_out)
    first = {side: frames[min(frames)][0] for side, frames in sides.items()}
    study = Study.objects.create(
        question=question, setup=keep_setup(*first[CONTROL]), threads=1, from_elsewhere=True, kind="table",
        repeats=max(2, *(len(rows) for frames in sides.values() for rows in frames.values())),
    )  # fmt: skip
    tested, title = under_test(first[CONTROL][1], first[TRIAL][1]) if trial else ("", "")
    options: dict[tuple[str, int], Option] = {}
    for side, frames in sides.items():
        for frame, rows in sorted(frames.items()):
            options[side, frame] = _option(study, side, frame, rows, len(options), frame == min(frames))
    for (side, frame), option in options.items():
        if side == CONTROL:
            continue
        beside = options.get((CONTROL, frame)) or next(iter(options.values()))
        subject = subject_of(tested, title, option)
        level = ShownLevel(tested, title, subject, subject.removeprefix(f"{title[:1].lower()}{title[1:]} "), True, [])
        option.control, option.title = beside, f"{subject}, frame {frame}"[:300]
        option.levels = [*option.levels, asdict(level)]
        option.save()
        if (CONTROL, frame) in options:
            Pair.objects.create(
                study=study,
                control=beside,
                trial=option,
                under_test=[tested],
                subject=f"{subject}, frame {frame}"[:300],
            )
    left_out += _judged(
        study, {frame: option for (side, frame), option in options.items() if side == CONTROL}, reference
    )
    return study, left_out


def _judged(study: Study, options: dict[int, Option], reference: Sequence[ImportedRender]) -> list[str]:
    left_out: list[str] = []
    found: dict[int, list[ImportedRender]] = {}
    for row in reference:
        reason = row.problem or forbidden(row)
        frame = 0 if reason else _frame(row, row.facts())
        option = options.get(frame)
        if not reason and option is None:
            reason = f"there is no frame {frame} to be judged"
        elif option is not None and (row.width, row.height) != (option.setup.width, option.setup.height):
            reason = "a reference is as large as its frame"
        if reason:
            left_out.append(f"{row.name}: {reason}")
        else:
            found.setdefault(frame, []).append(row)
    for frame, own in found.items():
        left_out += keep_reference(study, options[frame], own)
    return left_out


def _side(side: str, rows: Sequence[ImportedRender], left_out: list[str]) -> Side:
    frames: Side = {}
    for row in rows:
        if row.problem:
            left_out.append(f"{row.name}: {row.problem}")
            continue
        facts = usable(row)
        frames.setdefault(_frame(row, facts), []).append((row, facts))
    if len(frames) < LEAST_FRAMES:
        raise InputError(f"the {side} has {len(frames)} frame{'' if len(frames) == 1 else 's'}; a sequence needs two")
    if len(frames) > MOST_FRAMES:
        raise InputError(f"the {side} has {len(frames)} frames; the most is {MOST_FRAMES}")
    _must_belong_together(side, [each for frame in sorted(frames) for each in frames[frame]])
    for frame, own in frames.items():
        seeds = [facts.fields.get("seed") for _, facts in own]
        if len(own) > MOST_SEEDS or len(set(seeds)) < len(seeds):
            names = ", ".join(row.name for row, _ in own[:3])
            raise InputError(f"the {side} has frame {frame} twice with the same seed: {names}")
    return frames


def _frame(row: ImportedRender, facts: Facts) -> int:
    if "frame" in facts.fields:
        return int(facts.fields["frame"])
    found = NUMBER.search(row.name.rpartition(".")[0])
    if found is None or len(found[1]) > 9 or int(found[1]) == facts.fields.get("seed"):
        raise InputError(f"{row.name}: its frame is not known; say it by a pattern, a table or by hand")
    return int(found[1])


def _must_belong_together(side: str, rows: Sequence[tuple[ImportedRender, Facts]]) -> None:
    first, known = rows[0]
    for row, facts in rows[1:]:
        if (row.width, row.height) != (first.width, first.height):
            raise InputError(
                f"{row.name} is {row.width} × {row.height} pixels and {first.name} {first.width} × {first.height}; "
                "a sequence has one size"
            )
        for name in ALIKE:
            if name != "frame" and facts.fields.get(name) != known.fields.get(name):
                raise InputError(f"the {side}'s frames differ in {name}: {first.name}, {row.name}")
        if facts.settings != known.settings:
            raise InputError(f"the {side}'s frames differ in their settings: {first.name}, {row.name}")


def _option(
    study: Study, side: str, frame: int, rows: Sequence[tuple[ImportedRender, Facts]], number: int, first: bool
) -> Option:
    row, facts = rows[0]
    at_frame = Facts({**facts.fields, "frame": frame}, facts.settings, facts.sources)
    level = ShownLevel(FRAME, "Frame", frame, str(frame), not first, ["frame"])
    option = keep_option(study, side, keep_setup(row, at_frame), at_frame, number=number, key=f"{side}-{frame}")
    option.title, option.levels = f"frame {frame}", [asdict(level)]
    option.save()
    for index, (each, known) in enumerate(rows):
        keep_run(study, option, each, known, index)
    return option
