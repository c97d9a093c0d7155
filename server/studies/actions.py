"""What can be done to studies."""

from __future__ import annotations

from django.db import transaction
from matchedpair.trials import CONTROL, TRIAL
from matchedpair.trials import Setup as SetupDescription

from server.catalogue.models import SceneRevision
from server.catalogue.scenes import keep_revision
from server.studies.draft import Draft
from server.studies.models import Option, Pair, Setup, Study


@transaction.atomic
def create_study(draft: Draft) -> Study:
    """Keep the scene's revision and write the study with its options and its pair, all or nothing."""
    scene = keep_revision(draft.scene)
    setups = {side: keep_setup(scene, draft.sides[side].setup) for side in (CONTROL, TRIAL)}
    study = Study.objects.create(
        question=draft.question,
        setup=setups[CONTROL],
        under_test=draft.under_test,
        under_test_title=draft.under_test_title,
        repeats=draft.repeats,
        threads=draft.threads,
        time_limit_seconds=draft.time_limit_seconds,
        passes=list(draft.passes),
    )
    options = [
        Option.objects.create(
            study=study, side=side, setup=setups[side], engine=row.engine.name, engine_title=row.engine.title,
            build=row.build.name, device=row.build.device, quality_knob=row.knob, settings=row.settings,
            brightness=row.brightness,
        )
        for side, row in draft.sides.items()
    ]  # fmt: skip
    Pair.objects.create(study=study, control=options[0], trial=options[1])
    return study


def keep_setup(scene: SceneRevision, setup: SetupDescription) -> Setup:
    """The row of a setup."""
    return Setup.objects.create(
        scene=scene, variant=setup.variant, view=setup.view, frame=setup.frame, width=setup.width, height=setup.height,
        crop=list(setup.crop) if setup.crop else None, quantities=dict(setup.quantities),
        output_format=setup.output_format, view_transform=setup.view_transform,
    )  # fmt: skip
