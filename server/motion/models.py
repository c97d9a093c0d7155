"""What was measured of sequences: options alike in all but their frame."""

from __future__ import annotations

from django.db import models

from server.studies.models import Study


class SequenceFigures(models.Model):
    """Figures of one sequence in a zone, or the reason why there are none; out of date as any measure is."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="sequences")
    key = models.CharField(max_length=64, help_text="Hash of all that its frames have in common")
    zone = models.CharField(max_length=80)
    figures = models.JSONField(null=True, help_text="As the core's sequence report has them")
    refused = models.TextField(blank=True)
    inputs = models.JSONField(default=list)
    area = models.CharField(max_length=32, blank=True)
    version = models.PositiveSmallIntegerField()
    measured_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "key", "zone"], name="one_figure_a_sequence_and_zone"),
        ]
