"""What a study's pictures take on disk, and letting go of those that are no longer needed while the figures stay."""

from __future__ import annotations

from datetime import timedelta

from django.db import transaction
from django.db.models import Q, QuerySet, Sum
from django.utils import timezone

from server.catalogue.models import Look
from server.imports.models import ImportedRender
from server.measuring.models import MapLayer
from server.references.models import Panorama, Reference
from server.runs.models import ENDED_STATES, Run
from server.store.files import path_of
from server.store.pixels import PICTURE, THUMBNAIL
from server.store.tiles import drop_tiles
from server.studies.models import Purpose, Study

WARM_UPS, OLD, COUNTED, MAPS = "warm_ups", "old", "counted", "maps"
KEPT_AFTER_REMOVAL = timedelta(days=7)


def disk_use(study: Study) -> dict[str, int]:
    """Bytes of a study's pictures by what could be let go: warm-ups and pilots, old runs, maps, and what counts."""
    found = {
        what: _runs(study, what).aggregate(sum=Sum("picture_bytes"))["sum"] or 0 for what in (WARM_UPS, OLD, COUNTED)
    }
    return found | {MAPS: _layers(study).aggregate(sum=Sum("bytes"))["sum"] or 0}


@transaction.atomic
def let_go(study: Study, what: str) -> int:
    """Let the pictures of warm-ups or of old runs go, or the maps; times, checks and measures stay. Returns how many.

    Maps are made again when they are asked for. Raises `ValueError` for anything else.
    """
    if what == MAPS:
        layers = _layers(study)
        maps = set(layers.exclude(picture="").values_list("picture", flat=True))
        gone, _ = layers.delete()
        transaction.on_commit(lambda: drop_unused(maps))
        return gone
    if what not in (WARM_UPS, OLD):
        raise ValueError(f"pictures of {what!r} are not let go")
    runs = _runs(study, what).filter(state__in=ENDED_STATES).exclude(picture="")
    digests = {digest for run in runs for digest in (run.picture, *run.passes.values())}
    count = runs.update(picture="", passes={}, picture_bytes=None, let_go_at=timezone.now())
    transaction.on_commit(lambda: drop_unused(digests))
    return count


def purge_removed() -> int:
    """Delete for good the studies that were removed more than a week ago, with their pictures. Returns how many."""
    gone = Study.objects.filter(removed_at__lt=timezone.now() - KEPT_AFTER_REMOVAL)
    count = 0
    for study in gone:
        runs = Run.objects.filter(study=study)
        digests = {digest for run in runs for digest in (run.picture, *run.passes.values()) if digest}
        digests |= set(_layers(study).exclude(picture="").values_list("picture", flat=True))
        study.delete()
        drop_unused(digests)
        count += 1
    return count


def drop_unused(digests: set[str]) -> None:
    """Delete these pictures from the store, as far as nothing else names them."""
    used = set(Run.objects.filter(picture__in=digests).values_list("picture", flat=True))
    used |= {
        digest
        for passes in Run.objects.exclude(passes={}).values_list("passes", flat=True)
        for digest in passes.values()
    }
    for rows, field in (
        (Reference.objects, "picture"), (Reference.objects, "twin"), (Reference.objects, "matched_picture"),
        (Panorama.objects, "picture"), (ImportedRender.objects, "picture"), (Look.objects, "picture"),
        (MapLayer.objects, "picture"),
    ):  # fmt: skip
        used |= set(rows.filter(**{f"{field}__in": digests}).values_list(field, flat=True))
    for digest in digests - used:
        for ending in (PICTURE, THUMBNAIL):
            path_of(digest, ending).unlink(missing_ok=True)
        drop_tiles(digest)


def _layers(study: Study) -> QuerySet[MapLayer]:
    return MapLayer.objects.filter(Q(option__study=study) | Q(pair__study=study))


def _runs(study: Study, what: str) -> QuerySet[Run]:
    runs = Run.objects.filter(study=study)
    throwaway = Q(warm_up=True) | Q(option__purpose=Purpose.PILOT)
    if what == WARM_UPS:
        return runs.filter(throwaway)
    wanted = Q(option__in_plan=True) | Q(option__purpose=Purpose.REFERENCE)
    return runs.exclude(throwaway).filter(wanted if what == COUNTED else ~wanted)
