"""Scenes as they were when a study used them, what is drawn on their views, and what is known of engines."""

from __future__ import annotations

from django.db import models
from matchedpair.measures.drawn_zones import KINDS, SHAPES, DrawnZone


class SceneRevision(models.Model):
    """A scene file at one revision; its contents lie in the store under the revision's hash."""

    name = models.CharField(max_length=80)
    title = models.CharField(max_length=200)
    revision = models.CharField(max_length=64, blank=True, help_text="Empty for a scene that is known by name only")
    views = models.JSONField(help_text="List of {name, title}")
    textures = models.JSONField(default=dict, help_text="Hash of each texture's contents, by its file")
    reduced = models.JSONField(default=dict, help_text="By variant: hashes of reduced copies, by the file they replace")
    stated = models.JSONField(default=dict, help_text="Of a scene known by name only: variants, first and last frame")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["name", "revision"], name="one_row_a_revision")]

    def __str__(self) -> str:
        return f"{self.title} ({self.revision[:8]})"


class Look(models.Model):
    """A quick picture of a view, so that there is something to see and to draw zones on."""

    scene = models.CharField(max_length=80)
    revision = models.CharField(max_length=64)
    variant = models.CharField(max_length=80)
    view = models.CharField(max_length=80)
    frame = models.IntegerField(default=1)
    picture = models.CharField(max_length=64)
    engine_title = models.CharField(max_length=200)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["scene", "revision", "variant", "view", "frame"], name="one_look_a_view"),
        ]


class Zone(models.Model):
    """A named part of a view, in shares of the full picture: measured on its own, or left out."""

    scene = models.CharField(max_length=80)
    view = models.CharField(max_length=80)
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=12, choices=[(kind, kind) for kind in KINDS])
    shape = models.CharField(max_length=12, choices=[(shape, shape) for shape in SHAPES])
    points = models.JSONField()
    changed_at = models.DateTimeField(auto_now=True)
    removed_at = models.DateTimeField(null=True)
    described = models.CharField(
        max_length=80, blank=True, help_text="Its name in the scene's description, from which it was taken once"
    )

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["scene", "view", "name"], condition=models.Q(removed_at=None), name="one_zone_a_name"
            ),
        ]

    def drawn(self) -> DrawnZone:
        """The zone as the core takes it."""
        return DrawnZone(self.name, self.kind, self.shape, tuple((float(x), float(y)) for x, y in self.points))


class BrightnessFactor(models.Model):
    """What an engine's light is multiplied with from then on, and the pair that shows why.

    `pair` is the number of the pair; the studies' tables know the catalogue, not the other way round.
    """

    engine = models.CharField(max_length=40)
    relative_to = models.CharField(max_length=40)
    factor = models.FloatField(help_text="In all, earlier factors included")
    low = models.FloatField(null=True)
    high = models.FloatField(null=True)
    spread_low = models.FloatField(null=True)
    spread_high = models.FloatField(null=True)
    zone = models.CharField(max_length=80)
    place = models.CharField(max_length=300, help_text="Scene and view of the pair")
    pair = models.PositiveBigIntegerField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]

    def evidence(self) -> str:
        """Where it was got, in words."""
        return f"brought together on {self.zone} of {self.place}"


class EffectEvidence(models.Model):
    """A pair or run that shows whether an engine does an effect, found by people."""

    engine = models.CharField(max_length=40)
    effect = models.CharField(max_length=40)
    version = models.CharField(max_length=80)
    shown_by = models.CharField(max_length=4, choices=[("pair", "Pair"), ("run", "Run")])
    number = models.PositiveBigIntegerField()
    note = models.CharField(max_length=500, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
