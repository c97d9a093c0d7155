"""What is known and decided of maps. The copies themselves, and what they were made from, lie beside the originals."""

from __future__ import annotations

from django.db import models
from matchedpair.textures import ROLES


class MapFacts(models.Model):
    """What a file held when it was last read; asked again when its time or size is another."""

    path = models.CharField(max_length=1000, unique=True)
    changed_ns = models.BigIntegerField()
    size = models.BigIntegerField()
    facts = models.JSONField(null=True)
    problem = models.TextField(blank=True)


class MapChoice(models.Model):
    """What a person decided of a map; empty or null where the proposal stands."""

    place = models.CharField(max_length=400)
    file = models.CharField(max_length=400)
    role = models.CharField(max_length=12, blank=True, choices=[(role, role) for role in ROLES])
    divisor = models.PositiveSmallIntegerField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["place", "file"], name="one_choice_a_map")]


class AskedUse(models.Model):
    """How large the views of a scene show its maps, as an engine told last."""

    place = models.CharField(max_length=400, unique=True)
    revision = models.CharField(max_length=64)
    engine = models.CharField(max_length=40)
    engine_title = models.CharField(max_length=200)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    views = models.JSONField()
    frames = models.JSONField()
    rows = models.JSONField(help_text="By texture: share of the picture in percent, pixels across")
    asked_at = models.DateTimeField(auto_now=True)
