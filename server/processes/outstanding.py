"""Which options may have something to be measured: those that what happened since the last look concerns."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime

from django.db.models import Max, Q, QuerySet

from server.catalogue.models import Zone
from server.catalogue.zones import zones_stamp
from server.measuring.which_reference import references_stamp
from server.processes.models import MeasuredUpTo
from server.references.models import Reference
from server.runs.models import Run
from server.store.program import program_stamp
from server.studies.models import Option, Pair


@dataclass(frozen=True)
class Look:
    """How far everything is that figures rest on: counts and newest zone and reference, when the last run ended, the
    newest run and pair, and which program measured.
    """

    zones: int
    zone_changed: str
    references: int
    reference: int
    ended: str
    run: int
    pair: int
    program: str

    @staticmethod
    def now() -> Look:
        """At this moment."""
        (zones, changed), (references, reference) = zones_stamp(), references_stamp()
        runs = Run.objects.aggregate(ended=Max("ended_at"), last=Max("pk"))
        return Look(
            zones, _text(changed), references, reference or 0, _text(runs["ended"]), runs["last"] or 0,
            Pair.objects.aggregate(last=Max("pk"))["last"] or 0, program_stamp(),
        )  # fmt: skip

    @staticmethod
    def last() -> Look | None:
        """The last after which nothing was due, by whichever process; None where there was none."""
        row = MeasuredUpTo.objects.first()
        try:
            return Look(**row.look) if row else None
        except TypeError:  # of another version
            return None

    def keep(self) -> None:
        """Nothing is due any more for what happened until this."""
        MeasuredUpTo.objects.update_or_create(pk=1, defaults={"look": asdict(self)})


def forget_look() -> None:
    """Look through everything the next time."""
    MeasuredUpTo.objects.all().delete()


def options_since(before: Look | None, now: Look, *, took_in: bool) -> QuerySet[Option] | None:
    """The options that may have something due; None for none, all where it cannot be told.

    Parameters
    ----------
    took_in : bool
        Whether renders made elsewhere were taken in since: they ended before anybody knew of them.
    """
    if before is None or before.program != now.program:
        return Option.objects.all()
    if before == now and not took_in:
        return None
    wanted = Q(runs__pk__gt=before.run)
    if now.ended:
        wanted |= Q(runs__ended_at__gte=before.ended or now.ended)
    # of a pair that was made later both sides are new
    fresh = Pair.objects.filter(pk__gt=before.pair)
    wanted |= Q(pk__in=fresh.values("trial")) | Q(pk__in=fresh.values("control"))
    if took_in:
        wanted |= Q(study__from_elsewhere=True)
    if (before.zones, before.zone_changed) != (now.zones, now.zone_changed):
        moved = Zone.objects.filter(changed_at__gte=before.zone_changed) if before.zone_changed else Zone.objects.all()
        wanted |= Q(setup__scene__name__in=moved.values("scene"))
    if (before.references, before.reference) != (now.references, now.reference):
        other = Reference.objects.filter(Q(pk__gt=before.reference) | ~Q(removed_at=None))
        wanted |= Q(setup__scene__name__in=other.values("setup__scene__name"))
    return Option.objects.filter(wanted).distinct()


def _text(at: datetime | None) -> str:
    return at.isoformat() if at else ""
