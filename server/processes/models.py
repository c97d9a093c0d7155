"""What the measurer could not do and has set aside, and up to where it has done everything."""

from __future__ import annotations

from django.db import models


class Trouble(models.Model):
    """A piece of work that failed or brought the measurer down: tried a few times, then set aside until somebody asks
    for it again, or what it rests on changes (`rests_on`).
    """

    kind = models.CharField(max_length=20)
    key = models.CharField(max_length=200)
    about = models.TextField(help_text="What was being done, in words")
    rests_on = models.CharField(max_length=100, blank=True)
    tries = models.PositiveSmallIntegerField(default=0)
    reason = models.TextField(blank=True)
    set_aside_at = models.DateTimeField(null=True)
    last_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-last_at", "-id"]
        constraints = [models.UniqueConstraint(fields=["kind", "key"], name="one_trouble_a_piece_of_work")]


class MeasuredUpTo(models.Model):
    """One row: how far everything was when nothing was due to be measured."""

    look = models.JSONField(help_text="As the measurer saw it")
