"""What can be looked at beside a pair: other options of its study at the same place, and the place's references."""

from __future__ import annotations

from dataclasses import dataclass, field

from server.catalogue.zones import zones_by_view
from server.measuring.option_facts import all_facts
from server.measuring.which_reference import place_of
from server.references.models import Reference
from server.studies.models import Option, Pair, Setup


@dataclass(frozen=True)
class Beside:
    """A picture that can stand beside a pair; `pictures` by seed, a reference's under seed 0."""

    key: str
    title: str
    seconds: float | None
    noise_percent: float | None
    pictures: dict[int, str]
    passes: dict[int, dict[str, str]] = field(default_factory=dict)


def beside(pair: Pair) -> list[Beside]:
    """Options first, in the plan's order, then references, newest first."""
    setup = pair.control.setup
    zones = zones_by_view()
    rows = []
    others = Option.objects.filter(study=pair.study_id).exclude(pk__in=(pair.control_id, pair.trial_id))
    for facts in all_facts(others, zones):
        option = facts.option
        if not facts.runs or _place(option.setup) != _place(setup):
            continue
        noise = facts.noise("whole")
        rows.append(Beside(
            f"option-{option.pk}", facts.title, facts.seconds()[0], noise.value if noise else None,
            {run.seed: run.picture for run in facts.runs}, {run.seed: run.passes for run in facts.runs},
        ))  # fmt: skip
    references = Reference.objects.filter(
        removed_at=None, setup__scene__name=setup.scene.name, setup__view=setup.view, setup__frame=setup.frame,
        setup__variant=setup.variant,
    ).select_related("setup__scene")  # fmt: skip
    for row in references:
        picture = row.matched_picture or row.picture
        if _place(row.setup) == _place(setup):
            rows.append(Beside(f"reference-{row.pk}", f"Reference: {row.title}", None, None, {0: picture}))
    return rows


def _place(setup: Setup) -> tuple[object, ...]:
    """A setup's place without its size and its scene's revision: pictures of other sizes are shown at one size."""
    name, _, variant, view, frame, _, _, crop, quantities = place_of(setup)
    return name, variant, view, frame, crop, quantities
