"""What can be done to zones. Every change is checked by the core first."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Count, Max, QuerySet
from django.utils import timezone
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import DrawnZone, parse_zone

from server.catalogue.models import Zone
from server.catalogue.scenes import known_scene, zone_fields

MOST_ZONES = 100


def zones_of(scene: str, view: str) -> QuerySet[Zone]:
    """The zones drawn on a view."""
    return Zone.objects.filter(scene=scene, view=view, removed_at=None)


def zones_by_view() -> dict[tuple[str, str], list[DrawnZone]]:
    """All zones as the core takes them, by scene and view, from one query."""
    found: dict[tuple[str, str], list[DrawnZone]] = {}
    for zone in Zone.objects.filter(removed_at=None):
        found.setdefault((zone.scene, zone.view), []).append(zone.drawn())
    return found


def add_zone(scene: str, view: str, values: dict[str, Any]) -> Zone:
    """Draw a zone on a view. Raises `InputError`."""
    drawn = _checked(values)
    found = known_scene(scene)
    if not found.has_view(view):
        raise InputError(f"{found.title} has no view {view!r}")
    if zones_of(scene, view).count() >= MOST_ZONES:
        raise InputError(f"a view has at most {MOST_ZONES} zones")
    return _saved(Zone(scene=scene, view=view, **zone_fields(drawn)))


def zone_values(zone: Zone) -> dict[str, Any]:
    """What people change of a zone."""
    return {key: getattr(zone, key) for key in ("name", "kind", "shape", "points")}


def change_zone(zone: Zone, values: dict[str, Any]) -> Zone:
    """Move, resize, rename, or change the kind of a zone. Raises `InputError`."""
    kept = zone_values(zone)
    for key, value in zone_fields(_checked(kept | values)).items():
        setattr(zone, key, value)
    return _saved(zone)


def copy_zone(zone: Zone, view: str) -> Zone:
    """The same zone on another view of the scene. Raises `InputError`."""
    return add_zone(zone.scene, view, zone_values(zone))


def remove_zone(zone: Zone) -> None:
    """Remove a zone; it can be put back."""
    Zone.objects.filter(pk=zone.pk).update(removed_at=timezone.now(), changed_at=timezone.now())


def restore_zone(zone: Zone) -> Zone:
    """Put a removed zone back. Raises `InputError` when its name is taken by now."""
    zone.removed_at = None
    return _saved(zone)


def zones_stamp() -> tuple[Any, ...]:
    """Changes whenever any zone does."""
    row = Zone.objects.aggregate(count=Count("id"), last=Max("changed_at"))
    return row["count"], row["last"]


def signature(within: list[DrawnZone]) -> str:
    """A short name of what these zones cover; empty for none."""
    if not within:
        return ""
    rows = [[each.kind, each.shape, each.points] for each in within]
    return hashlib.sha256(json.dumps(rows).encode()).hexdigest()[:32]


def _checked(values: dict[str, Any]) -> DrawnZone:
    return parse_zone(*(values.get(key) for key in ("name", "kind", "shape", "points")))


def _saved(zone: Zone) -> Zone:
    try:
        with transaction.atomic():
            zone.save()
    except IntegrityError:
        raise InputError(f"this view has a zone {zone.name!r} already; choose another name") from None
    return zone
