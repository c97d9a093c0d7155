"""What was measured, of renders and of pairs, and the maps that can be laid over them."""

from __future__ import annotations

from django.db import models
from matchedpair.measures import alignment, difference, look, visible

from server.studies.models import Option, Pair


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
    places = models.TextField(
        blank=True, help_text="What each place reads, packed in base 64; empty where there are none"
    )
    measured_at = models.DateTimeField(auto_now=True, null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["option", "name", "zone"], name="one_figure_an_option_and_zone"),
        ]


class Comparison(models.Model):
    """What a pair says in a zone beyond its sides' own figures: difference, look, visible difference.

    Out of date when its sides' pictures are others by now, the zone has moved, or a method is newer.
    """

    VERSION = ".".join(str(part.VERSION) for part in (alignment, difference, look, visible))

    pair = models.ForeignKey(Pair, on_delete=models.CASCADE, related_name="comparisons")
    zone = models.CharField(max_length=80, default="whole")
    shift_pixels = models.FloatField(null=True)
    noise_refused = models.TextField(blank=True, help_text="Why the noise of both sides must not be compared")
    difference = models.JSONField(null=True)
    look = models.JSONField(null=True)
    visible = models.JSONField(null=True)
    refused = models.JSONField(default=dict)
    inputs = models.JSONField(default=list)
    area = models.CharField(max_length=32, blank=True)
    version = models.CharField(max_length=40)
    measured_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["pair", "zone"], name="one_comparison_a_pair_and_zone")]


class LayerState(models.TextChoices):
    """How far a map is."""

    WANTED = "wanted", "Wanted: the runner makes it between renders"
    READY = "ready", "Ready"
    REFUSED = "refused", "Refused"


class MapLayer(models.Model):
    """A map that can be laid over a picture, of an option or of a pair; made when it is asked for, kept by content."""

    option = models.ForeignKey(Option, null=True, on_delete=models.CASCADE, related_name="layers")
    pair = models.ForeignKey(Pair, null=True, on_delete=models.CASCADE, related_name="layers")
    name = models.CharField(max_length=40)
    state = models.CharField(max_length=10, choices=LayerState.choices, default=LayerState.WANTED)
    picture = models.CharField(max_length=64, blank=True, help_text="Content hash of its EXR, one channel")
    bytes = models.PositiveBigIntegerField(null=True)
    low = models.FloatField(null=True, help_text="Ends of the scale that suits it")
    high = models.FloatField(null=True)
    refused = models.TextField(blank=True)
    inputs = models.JSONField(default=list)
    asked_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["option", "name"], name="one_map_an_option"),
            models.UniqueConstraint(fields=["pair", "name"], name="one_map_a_pair"),
        ]
