"""What settings are chosen for, what production is assumed to be, and the recipes that came of it."""

from __future__ import annotations

from django.db import models

from server.studies.models import Option, Study


class StudyUse(models.Model):
    """A use with its limits in one study; `by_hand` is what a person chose instead of what the rules choose."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="uses")
    name = models.CharField(max_length=40)
    title = models.CharField(max_length=60)
    position = models.PositiveSmallIntegerField(default=0)
    limits = models.JSONField(default=dict)
    weight = models.FloatField(default=0.0)
    by_hand = models.ForeignKey(Option, null=True, on_delete=models.SET_NULL, related_name="+")
    reasons = models.TextField(blank=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["position", "id"]
        constraints = [models.UniqueConstraint(fields=["study", "name"], name="one_use_a_name")]


class Production(models.Model):
    """What is assumed of the production that a study is for."""

    study = models.OneToOneField(Study, on_delete=models.CASCADE, related_name="production")
    frames = models.PositiveIntegerField(default=1000)
    shots = models.PositiveIntegerField(default=1)
    machines = models.PositiveIntegerField(default=1)
    hours_a_day = models.FloatField(default=12.0)
    cost_per_machine_hour = models.FloatField(default=0.0)
    currency = models.CharField(max_length=10, blank=True)
    ready_per = models.CharField(max_length=10, default="frame")
    width = models.PositiveIntegerField(null=True, help_text="Of a final frame; null for the size that was timed")
    height = models.PositiveIntegerField(null=True)


class RecipeVersion(models.Model):
    """One saved version of a recipe, whole and never changed; without a study it came as a file."""

    study = models.ForeignKey(Study, null=True, on_delete=models.SET_NULL, related_name="recipes")
    name = models.CharField(max_length=120)
    version = models.PositiveIntegerField()
    author = models.CharField(max_length=80)
    note = models.TextField(blank=True)
    document = models.JSONField(help_text="As the core's recipe writes it")
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["name", "version"], name="one_recipe_a_version")]
