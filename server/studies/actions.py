"""What can be done to studies."""

from __future__ import annotations

from django.db import transaction
from matchedpair.trials import CONTROL, TRIAL

from server.catalogue.scenes import keep_revision
from server.studies.draft import Draft
from server.studies.models import Option, Pair, Setup, Study


@transaction.atomic
def create_study(draft: Draft) -> Study:
    """Keep the scene's revision and write the study with its options and its pair, all or nothing."""
    setup = Setup.objects.create(
        scene=keep_revision(draft.scene), view=draft.view, width=draft.width, height=draft.height
    )
    knob = draft.engine.quality_knob
    study = Study.objects.create(
        question=draft.question,
        setup=setup,
        engine=draft.engine.name,
        engine_title=draft.engine.title,
        device=draft.engine.device,
        quality_knob=knob.name if knob else "",
        under_test=draft.under_test,
        under_test_title=draft.engine.setting(draft.under_test).title,
        repeats=draft.repeats,
        threads=draft.threads,
        time_limit_seconds=draft.time_limit_seconds,
    )
    control, trial = (
        Option.objects.create(study=study, side=side, settings=draft.settings[side]) for side in (CONTROL, TRIAL)
    )
    Pair.objects.create(study=study, control=control, trial=trial)
    return study
