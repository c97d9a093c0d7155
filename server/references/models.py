"""What renders are judged against, and the light around a real set-up."""

from __future__ import annotations

from django.db import models

from server.studies.models import Setup


class ReferenceKind(models.TextChoices):
    """How a reference came to be."""

    RENDER = "render", "Long render"
    PHOTOGRAPH = "photograph", "Photograph"
    ANALYTIC = "analytic", "Analytic picture"


class Reference(models.Model):
    """A picture of a setup to judge its renders by.

    `details` holds, of a photograph, how it was taken; of a long render, its engine, settings and seeds; of an analytic
    picture, how it was computed. `match` holds what was done to lay a photograph over a render.
    """

    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="references")
    kind = models.CharField(max_length=10, choices=ReferenceKind.choices)
    title = models.CharField(max_length=200)
    picture = models.CharField(max_length=64, help_text="Content hash of its linear light as EXR")
    twin = models.CharField(max_length=64, blank=True)
    encoding = models.CharField(max_length=8, default="linear")
    details = models.JSONField(default=dict)
    matched_picture = models.CharField(max_length=64, blank=True, help_text="The photograph as it lies over the render")
    match = models.JSONField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]


class Panorama(models.Model):
    """A light panorama and its figures."""

    title = models.CharField(max_length=200)
    picture = models.CharField(max_length=64)
    figures = models.JSONField()
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]
