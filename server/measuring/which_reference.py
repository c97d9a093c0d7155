"""What an option's renders are judged by: the newest reference of the same setup that can be measured against, and the
newest photograph of the same view.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

from django.db.models import Count, Max

from server.references.models import Reference, ReferenceKind
from server.studies.models import Setup

MEASURED_BY = (ReferenceKind.RENDER, ReferenceKind.ANALYTIC)


class References:
    """All references that figures may rest on, read once for many options, and not before one is asked for."""

    @cached_property
    def _found(self) -> dict[tuple[object, ...], Reference]:
        rows = Reference.objects.filter(kind__in=MEASURED_BY, removed_at=None, encoding="linear")
        return {place_of(row.setup): row for row in rows.select_related("setup__scene").order_by("created_at", "pk")}

    @cached_property
    def _photographs(self) -> dict[tuple[str, str], Reference]:
        rows = Reference.objects.filter(kind=ReferenceKind.PHOTOGRAPH, removed_at=None)
        there = rows.select_related("setup__scene").order_by("created_at", "pk")
        return {(row.setup.scene.name, row.setup.view): row for row in there}

    def of(self, setup: Setup) -> Reference | None:
        """The newest reference of exactly this setup; None without one."""
        return self._found.get(place_of(setup))

    def photograph_of(self, setup: Setup) -> Reference | None:
        """The newest photograph of a setup's scene and view, whichever light it was taken for; None without one."""
        return self._photographs.get((setup.scene.name, setup.view))


def reference_pictures(reference: Reference | None) -> list[str]:
    """Content hashes of a reference and its twin."""
    return [] if reference is None else [digest for digest in (reference.picture, reference.twin) if digest]


def references_stamp() -> tuple[Any, ...]:
    """Changes whenever a reference comes or goes."""
    there = Reference.objects.filter(removed_at=None)
    return tuple(there.aggregate(count=Count("id"), last=Max("id")).values())


def place_of(setup: Setup) -> tuple[object, ...]:
    """All of a setup that its pictures show; how they are written or looked at is no part of it."""
    crop: Sequence[int] = setup.crop or ()
    quantities = tuple(sorted((name, str(value)) for name, value in setup.quantities.items()))
    scene = setup.scene
    return (
        scene.name, scene.revision, setup.variant, setup.view, setup.frame, setup.width, setup.height, tuple(crop),
        quantities,
    )  # fmt: skip
