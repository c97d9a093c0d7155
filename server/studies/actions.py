"""What can be done to studies: make, plan anew, copy, archive, remove, each with its way back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from matchedpair.errors import InputError
from matchedpair.scenes import Setup as SetupDescription

from server.catalogue.models import SceneRevision
from server.catalogue.scenes import keep_revision, state_scene
from server.studies.draft import Draft, OptionDraft
from server.studies.levels import ShownLevel, differing_levels, in_words, under_test
from server.studies.models import Option, Pair, Purpose, Setup, Side, Study
from server.studies.side import SideDraft

KEY_LENGTH = 64


@transaction.atomic
def create_study(draft: Draft) -> Study:
    """Keep the scenes' revisions and write the study with its options and pairs, all or nothing."""
    first = draft.options[0].side
    study = Study.objects.create(
        setup=keep_setup(keep_revision(first.scene), first.setup), **_fields(draft)
    )  # fmt: skip
    _write_options(study, draft)
    return study


@transaction.atomic
def replan(study: Study, draft: Draft) -> Study:
    """Give a study another plan. What is rendered already and still wanted stays; what is new can be queued.

    Options that the new plan lacks are kept with their runs, marked as no longer in the plan.

    Raises `InputError` for a study whose renders were made elsewhere.
    """
    if study.from_elsewhere:
        raise InputError("these renders were made elsewhere; they have no plan to change")
    for name, value in _fields(draft).items():
        setattr(study, name, value)
    first = draft.options[0].side
    study.setup = keep_setup(keep_revision(first.scene), first.setup)
    study.save()
    study.options.filter(purpose=Purpose.COUNTED).update(in_plan=False)
    _write_options(study, draft)
    return study


def archive(study: Study, on: bool) -> None:
    """Take a study out of the list, or put it back."""
    Study.objects.filter(pk=study.pk).update(archived_at=timezone.now() if on else None)


def remove(study: Study, on: bool) -> None:
    """Remove a study, or bring it back; nothing of it is deleted until the store is tidied up."""
    Study.objects.filter(pk=study.pk).update(removed_at=timezone.now() if on else None)


def any_pair(control: Option, trial: Option) -> Pair:
    """The pair of any two options of one study, made when there is none yet. Raises `InputError`."""
    if control.study_id != trial.study_id:
        raise InputError("these renders belong to different studies; a pair is made of two options of one study")
    if control.pk == trial.pk:
        raise InputError("both renders are of the same option: they are twins and differ in the seed alone")
    differing = differing_levels(*([ShownLevel(**row) for row in option.levels] for option in (control, trial)))
    same_engine = (control.engine, control.engine_title) == (trial.engine, trial.engine_title)
    fields = {
        "under_test": under_test(differing, same_engine=same_engine),
        "subject": (in_words(differing) or trial.title)[:300],
    }
    pair, _ = Pair.objects.get_or_create(control=control, trial=trial, defaults={"study": control.study, **fields})
    return pair


def keep_setup(scene: SceneRevision, setup: SetupDescription) -> Setup:
    """The row of a setup."""
    return Setup.objects.create(
        scene=scene, variant=setup.variant, view=setup.view, frame=setup.frame, width=setup.width, height=setup.height,
        crop=list(setup.crop) if setup.crop else None, quantities=dict(setup.quantities),
        output_format=setup.output_format, view_transform=setup.view_transform,
    )  # fmt: skip


def told_of_places(setups: Iterable[Setup]) -> None:
    """Let scenes that are known by name only know these views, variants and frames."""
    for setup in setups:
        if not setup.scene.revision:
            state_scene(setup.scene.name, setup.view, setup.variant, setup.frame)


def keep_scene_setup(side: SideDraft) -> Setup:
    """The row of a side's setup, with its scene's revision kept."""
    return keep_setup(keep_revision(side.scene), side.setup)


def keep_variant(
    like: Option, side: SideDraft, title: str, *, control: Option | None, levels: list[Any] | None = None,
    purpose: Purpose = Purpose.COUNTED,
) -> Option:  # fmt: skip
    """The option that is rendered in this way beside one of its study: the one that is there, or a new one.

    With another purpose than to count it has a key of its own and is no part of the plan.
    """
    study = like.study
    counted = purpose == Purpose.COUNTED
    key = side.key() if counted else f"{purpose}{side.key()}"[:KEY_LENGTH]
    there = study.options.filter(key=key).first()
    if there is not None:
        if counted and (not there.in_plan or there.left_out):
            study.options.filter(pk=there.pk).update(in_plan=True, left_out="")
            there.refresh_from_db()
        return there
    last = study.options.aggregate(last=Max("number"))["last"] or 0
    return Option.objects.create(
        study=study, side=Side.TRIAL, number=last + 1, control=control or like, title=title[:300],
        levels=like.levels if levels is None else levels, key=key, purpose=purpose, in_plan=counted,
        setup=keep_scene_setup(side), engine=like.engine, engine_title=like.engine_title, build=side.build.name,
        device=side.build.device, quality_knob=like.quality_knob, settings=side.settings, brightness=like.brightness,
    )  # fmt: skip


def keep_option(study: Study, draft: OptionDraft, scenes: dict[str, SceneRevision], **fields: Any) -> Option:
    """The row of an option: the one that is there with the same key, or a new one."""
    side = draft.side
    row = Option.objects.filter(study=study, key=draft.key).first()
    shown = {
        "side": draft.role, "title": draft.title[:300], "levels": [vars(level) for level in draft.levels],
        "small": draft.small, **fields,
    }  # fmt: skip
    if row is not None:
        for name, value in shown.items():
            setattr(row, name, value)
        row.save()
        return row
    if side.setup.revision not in scenes:
        scenes[side.setup.revision] = keep_revision(side.scene)
    return Option.objects.create(
        study=study, key=draft.key, setup=keep_setup(scenes[side.setup.revision], side.setup),
        engine=side.engine.name, engine_title=side.engine.title, build=side.build.name, device=side.build.device,
        quality_knob=side.knob, settings=side.settings, brightness=side.brightness, **shown,
    )  # fmt: skip


def _fields(draft: Draft) -> dict[str, Any]:
    values = draft.values
    return {
        "question": values["question"], "asked": values.get("asked", ""), "kind": values["kind"],
        "match_on": values.get("match_on", "settings"), "draft": values, "repeats": draft.repeats,
        "until_sure": values.get("until_sure"), "threads": values["threads"],
        "time_limit_seconds": values["time_limit_seconds"], "passes": list(draft.passes),
    }  # fmt: skip


def _write_options(study: Study, draft: Draft) -> None:
    scenes: dict[str, SceneRevision] = {}
    rows: list[Option] = []
    for number, option in enumerate(draft.options):
        control = None if option.control is None else rows[option.control]
        rows.append(keep_option(
            study, option, scenes, number=number, control=control, left_out=option.left_out, in_plan=True,
            comes_with=None,
        ))  # fmt: skip
    for row, option in zip(rows, draft.options, strict=True):
        if option.comes_with is not None:
            row.comes_with = rows[option.comes_with]
            row.save()
    for control, trial in draft.pairs():
        fields: Mapping[str, Any] = {
            "under_test": draft.under_test(control, trial), "subject": draft.subject(control, trial)[:300],
        }  # fmt: skip
        Pair.objects.update_or_create(control=rows[control], trial=rows[trial], defaults={"study": study, **fields})
