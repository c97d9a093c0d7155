"""Searches: for a pair matched on noise or time, and for the least settings that still give the picture."""

from __future__ import annotations

from django.db import models
from matchedpair.measures.zones import WHOLE
from matchedpair.search.same_noise import NOISE, TIME

from server.studies.models import Option, Pair, Study


class SearchState(models.TextChoices):
    """How far a search is."""

    SEARCHING = "searching", "Searching"
    CONFIRMING = "confirming", "Rendering the result at full size"
    DONE = "done", "Done"
    OUT_OF_BUDGET = "out_of_budget", "The budget is used up"
    FAILED = "failed", "Failed"
    STOPPED = "stopped", "Stopped"


class Way(models.TextChoices):
    """How a search goes about it."""

    RAISE = "raise", "Raise one setting after the other"
    EXPLORE = "explore", "Explore combinations"


class Search(models.Model):
    """One search from an option's settings.

    `ladders` are settings with their levels from low to high, in the order in which they are raised; `compared` the
    options that were compared, each with its frame and the pair that shows it; `trace` the
    decisions, and `found` the settings by frame that came of them so far; `confirmed` what was rendered at full size.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="searches")
    base = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+", help_text="The present settings")
    way = models.CharField(max_length=10, choices=Way.choices, default=Way.RAISE)
    ladders = models.JSONField()
    frames = models.JSONField(default=list, help_text="Looked at; the present one alone where it is empty")
    more_levels = models.PositiveSmallIntegerField(default=0, help_text="Safety of frame ranges")
    scale = models.FloatField(default=0.5, help_text="Share of the size that is searched at")
    zone = models.CharField(max_length=80, blank=True, help_text="Rendered alone; the whole picture when empty")
    most_stops = models.FloatField(default=0.02)
    most_colour = models.FloatField(default=0.5, help_text="ΔE00 after the brightness is made equal")
    most_percent = models.FloatField(default=2.0, help_text="In a cell that differs by itself")
    most_detail = models.FloatField(null=True, default=5.0, help_text="Percent of an octave's detail")
    most_seconds = models.FloatField(null=True, help_text="Budget of rendering time")
    most_renders = models.PositiveIntegerField(null=True, help_text="Combinations it may render; empty for no end")
    state = models.CharField(max_length=20, choices=SearchState.choices, default=SearchState.SEARCHING)
    compared = models.JSONField(default=list)
    trace = models.JSONField(default=list)
    unused = models.JSONField(default=list)
    found = models.JSONField(default=dict, help_text="Settings by frame")
    confirmed = models.JSONField(default=list, help_text="By frame: options present, found, constant, and their pair")
    words = models.TextField(blank=True)
    pair = models.ForeignKey(
        Pair,
        null=True,
        on_delete=models.SET_NULL,
        related_name="+",
        help_text="Present settings and result at full size",
    )
    created_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        verbose_name_plural = "searches"


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
