"""Searches for a matched pair: the same noise as a control's, or the same time."""

from __future__ import annotations

from django.db import models
from matchedpair.curves.finder import NOISE, TIME
from matchedpair.measures.zones import WHOLE

from server.studies.models import Option, Pair, Study


class MatchedOn(models.TextChoices):
    """What a pair is matched on by a search."""

    NOISE = NOISE, "Noise"
    TIME = TIME, "Time"


class MatchingState(models.TextChoices):
    """How far a search is."""

    SEARCHING = "searching", "Searching"
    SURE = "sure", "Found within 3 %"
    CLOSEST = "closest", "The nearest found"
    NOT_REACHABLE = "not_reachable", "Not reachable"
    FAILED = "failed", "Failed"
    STOPPED = "stopped", "Stopped"


class Matching(models.Model):
    """One search: the trial's quality knob, or another number, is changed until it matches the control.

    `tried` are the values of the knob in their order, each with the option that it is rendered as, whether that option
    was there before, and whether it belongs to the refining.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="matchings")
    control = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
    trial = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+", help_text="Where the search begins")
    on = models.CharField(max_length=10, choices=MatchedOn.choices)
    knob = models.CharField(max_length=40, help_text="The setting that is searched, by name")
    zone = models.CharField(max_length=80, default=WHOLE)
    state = models.CharField(max_length=20, choices=MatchingState.choices, default=MatchingState.SEARCHING)
    tried = models.JSONField(default=list)
    words = models.TextField(blank=True, help_text="What it does now, or how it ended")
    pair = models.ForeignKey(
        Pair, null=True, on_delete=models.SET_NULL, related_name="matchings", help_text="Control and what was found"
    )
    created_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
