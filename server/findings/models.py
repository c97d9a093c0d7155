"""What was measured, and what people concluded."""

from __future__ import annotations

from django.db import models

from server.studies.models import Option, Pair


class Chosen(models.TextChoices):
    """What a verdict chooses."""

    CONTROL = "control", "Control"
    TRIAL = "trial", "Trial"
    NEITHER = "neither", "Neither"


class Measure(models.Model):
    """One figure of an option in a zone, or the reason why there is none.

    `inputs` are the content hashes of the pictures it was got from: when an option's pictures are others by now, the
    figure is out of date, as it is when the zone has moved since.
    """

    option = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="measures")
    name = models.CharField(max_length=40)
    zone = models.CharField(max_length=80, default="whole")
    value = models.FloatField(null=True)
    unit = models.CharField(max_length=20, blank=True)
    low = models.FloatField(null=True)
    high = models.FloatField(null=True)
    method = models.CharField(max_length=20, blank=True)
    version = models.PositiveSmallIntegerField(default=0)
    details = models.JSONField(default=dict)
    refused = models.TextField(blank=True)
    inputs = models.JSONField(default=list)
    area = models.CharField(max_length=32, blank=True, help_text="Signature of the zones it counted and left out")
    measured_at = models.DateTimeField(auto_now=True, null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["option", "name", "zone"], name="one_figure_an_option_and_zone"),
        ]


class Verdict(models.Model):
    """What a person concluded from a pair, with the finding as it stood then."""

    pair = models.ForeignKey(Pair, on_delete=models.CASCADE, related_name="verdicts")
    chosen = models.CharField(max_length=10, choices=Chosen.choices)
    reasons = models.TextField()
    author = models.CharField(max_length=80)
    finding = models.TextField(help_text="The finding when the verdict was given")
    created_at = models.DateTimeField(auto_now_add=True)
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
