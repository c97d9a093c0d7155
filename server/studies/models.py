"""A study: a question, its setup, its options, and the pair they make."""

from __future__ import annotations

from django.db import models
from matchedpair.trials import CONTROL, TRIAL

from server.catalogue.models import SceneRevision


class Side(models.TextChoices):
    """The two sides of a pair."""

    CONTROL = CONTROL, "Control"
    TRIAL = TRIAL, "Trial"


class Setup(models.Model):
    """Everything about a render that is neither engine nor setting."""

    scene = models.ForeignKey(SceneRevision, on_delete=models.PROTECT)
    view = models.CharField(max_length=80)
    frame = models.IntegerField(default=1)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()


class Study(models.Model):
    """A question in words, and how it is put to the test."""

    question = models.CharField(max_length=300)
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT)
    engine = models.CharField(max_length=40)
    engine_title = models.CharField(max_length=200)
    device = models.CharField(max_length=80)
    quality_knob = models.CharField(max_length=40, blank=True)
    under_test = models.CharField(max_length=40, help_text="Name of the setting that the trial changes")
    under_test_title = models.CharField(max_length=200)
    repeats = models.PositiveSmallIntegerField(default=2)
    threads = models.PositiveSmallIntegerField(default=1)
    time_limit_seconds = models.FloatField(default=1800)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        verbose_name_plural = "studies"

    def __str__(self) -> str:
        return self.question


class Option(models.Model):
    """One way of rendering the setup: the engine's settings on one side."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="options")
    side = models.CharField(max_length=10, choices=Side.choices)
    settings = models.JSONField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["study", "side"], name="one_option_a_side")]


class Pair(models.Model):
    """A control and a trial, alike in all but one thing."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="pairs")
    control = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
    trial = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
