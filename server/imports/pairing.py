"""Makes a pair of renders from elsewhere: a study whose runs are finished already."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone
from matchedpair.conditions.match_sheet import shown as shown_value
from matchedpair.elsewhere import DISPLAY, Facts
from matchedpair.errors import InputError
from matchedpair.plans import CONTROL, TRIAL

from server.catalogue.scenes import state_scene
from server.imports.models import ImportedRender
from server.runs.models import Run, RunState
from server.studies.models import Option, Pair, Setup, Study

MOST_SEEDS = 20
ALIKE = ("engine", "version", "scene", "view", "variant", "frame")


@transaction.atomic
def make_pair(question: str, control: Sequence[ImportedRender], trial: Sequence[ImportedRender]) -> Study:
    """A study of two sides, each the seeds of one option.

    Raises
    ------
    InputError
        When a side is empty, something needed is not known, or the renders of one side are not alike but for the seed.
    """
    sides = {CONTROL: list(control), TRIAL: list(trial)}
    facts = {side: [usable(row) for row in rows] for side, rows in sides.items()}
    for side, known in facts.items():
        _must_be_alike(side, sides[side], known)
    first = {side: known[0] for side, known in facts.items()}
    setups = {side: keep_setup(sides[side][0], first[side]) for side in sides}
    tested, title = under_test(first[CONTROL], first[TRIAL])
    study = Study.objects.create(
        question=question, setup=setups[CONTROL],
        repeats=max(2, *(len(rows) for rows in sides.values())), threads=1, from_elsewhere=True,
    )  # fmt: skip
    options = [keep_option(study, side, setups[side], first[side]) for side in sides]
    for option in options:
        for index, row in enumerate(sides[option.side]):
            keep_run(study, option, row, facts[option.side][index], index)
    subject = subject_of(tested, title, options[1])
    Option.objects.filter(pk=options[1].pk).update(control=options[0], title=subject)
    Pair.objects.create(study=study, control=options[0], trial=options[1], under_test=[tested], subject=subject)
    return study


def usable(row: ImportedRender) -> Facts:
    """What is known of a render. Raises `InputError` for one that cannot be used, or of which too little is known."""
    if row.problem:
        raise InputError(f"{row.name}: {row.problem}")
    missing = row.missing()
    if missing:
        raise InputError(f"{row.name}: {', '.join(missing)} not known; fill that in first")
    return row.facts()


def _must_be_alike(side: str, rows: list[ImportedRender], known: list[Facts]) -> None:
    if not known:
        raise InputError(f"the {side} has no render; choose at least one, two seeds to know its noise")
    if len(known) > MOST_SEEDS:
        raise InputError(f"a side has at most {MOST_SEEDS} renders")
    for row, facts in zip(rows, known, strict=True):
        for name in ALIKE:
            if facts.fields.get(name) != known[0].fields.get(name):
                raise InputError(
                    f"the {side}'s renders differ in {name}: they are no twins ({rows[0].name}, {row.name})"
                )
        if facts.settings != known[0].settings:
            raise InputError(f"the {side}'s renders differ in their settings: they are no twins ({row.name})")
        if (row.width, row.height) != (rows[0].width, rows[0].height):
            raise InputError(f"the {side}'s renders differ in size: they are no twins ({row.name})")
    seeds = [facts.fields["seed"] for facts in known if "seed" in facts.fields]
    if len(set(seeds)) < len(seeds):
        raise InputError(f"the {side} has the same seed twice; twins need different seeds")


def under_test(control: Facts, trial: Facts) -> tuple[str, str]:
    """What differs first, by engine, version, variant, then settings."""
    for name, condition, title in (
        ("engine", "engine", "Engine"), ("version", "version", "Version"), ("variant", "light", "Variant"),
    ):  # fmt: skip
        if control.fields.get(name) != trial.fields.get(name):
            return condition, title
    differing = sorted(
        name for name in {*control.settings, *trial.settings} if control.settings.get(name) != trial.settings.get(name)
    )
    if len(differing) == 1:
        return differing[0][:40], differing[0].replace("_", " ").capitalize()
    return "settings", "Settings"


def subject_of(tested: str, title: str, trial: Option) -> str:
    """In words what the trial has of what is under test."""
    value = {"engine": trial.engine_title, "version": trial.build, "light": trial.setup.variant}
    shown = value.get(tested, "" if tested == "settings" else shown_value(trial.settings.get(tested)))
    return f"{title[:1].lower()}{title[1:]} {shown}".strip()


def keep_setup(row: ImportedRender, facts: Facts) -> Setup:
    """The scene as this installation knows it by name, at no revision: nobody can say which it was."""
    view, variant = str(facts.fields["view"])[:80], str(facts.fields.get("variant", "as-is"))[:80]
    frame = int(facts.fields.get("frame", 1))
    return Setup.objects.create(
        scene=state_scene(str(facts.fields["scene"])[:80], view, variant, frame), view=view, variant=variant,
        frame=frame, width=row.width, height=row.height,
        output_format=row.storage or "exr-half", view_transform=row.transform,
    )  # fmt: skip


def keep_option(
    study: Study, side: str, setup: Setup, facts: Facts, *, number: int | None = None, key: str = ""
) -> Option:
    """The option of a side."""
    return Option.objects.create(
        study=study, side=side, number=int(side == TRIAL) if number is None else number, key=key or side,
        setup=setup, engine="", engine_title=str(facts.fields["engine"]),
        build=str(facts.fields.get("version", ""))[:40], device=str(facts.fields.get("device", ""))[:80],
        settings=dict(facts.settings),
    )  # fmt: skip


def keep_run(
    study: Study, option: Option, row: ImportedRender, facts: Facts, index: int, passes: dict[str, str] | None = None
) -> None:
    """A finished run; what nobody noted stays unknown."""
    Run.objects.create(
        study=study, option=option, seed=facts.fields.get("seed", index + 1), seed_known="seed" in facts.fields,
        position=index, picture=row.picture, encoding=row.encoding, passes=passes or {},
        checks=row.checks if row.encoding == DISPLAY else [c for c in row.checks if c["code"] != "encoded"],
        log=_log(row), **_cost(facts),
    )  # fmt: skip


def renew_costs(rows: Iterable[ImportedRender]) -> None:
    """Runs that were made of these renders have what has been said since of their time, memory and machine."""
    made = Run.objects.filter(study__from_elsewhere=True)
    pictures = set(made.values_list("picture", flat=True))
    for row in rows:
        if row.picture in pictures:
            made.filter(picture=row.picture, log=_log(row)).update(**_noted(row.facts()))


def _log(row: ImportedRender) -> str:
    return f"Made elsewhere; taken in from {row.name}."


def keep_time(study: Study, option: Option, facts: Facts, index: int, log: str) -> None:
    """A finished run of which only its time and memory are known."""
    Run.objects.create(
        study=study, option=option, seed=index + 1, seed_known=False, position=index, time_alone=True, log=log,
        **_cost(facts),
    )  # fmt: skip


def _cost(facts: Facts) -> dict[str, Any]:
    """What a finished run took, and where."""
    return {"state": RunState.FINISHED, "attempt": 1, **_noted(facts)}


def _noted(facts: Facts) -> dict[str, Any]:
    """What people or a farm say of it, and when they said so; what rests on its times is found anew by that."""
    fields: dict[str, Any] = dict(facts.fields)
    machine = {"name": fields.get("machine", ""), "processor": "", "cores": 0, "memory_bytes": 0, "system": ""}
    return {
        "ended_at": timezone.now(), "wall_seconds": fields.get("seconds"),
        "ready_seconds": fields.get("ready_seconds"),
        "cpu_seconds": fields.get("cpu_seconds"), "peak_memory_bytes": fields.get("memory_bytes"),
        "machine": machine if "machine" in fields else None,
        "machine_name": str(fields.get("machine", ""))[:200], "engine_version": str(fields.get("version", ""))[:80],
    }  # fmt: skip
