"""A study: a question, its setup, its options, and the pair they make."""

from __future__ import annotations

from django.db import models
from matchedpair.trials import AS_IS, CONTROL, FORMATS, TRIAL
from matchedpair.trials import Setup as SetupDescription

from server.catalogue.models import SceneRevision


class Side(models.TextChoices):
    """The two sides of a pair."""

    CONTROL = CONTROL, "Control"
    TRIAL = TRIAL, "Trial"


class Setup(models.Model):
    """Everything about a render that is neither engine nor setting."""

    scene = models.ForeignKey(SceneRevision, on_delete=models.PROTECT)
    variant = models.CharField(max_length=80, default=AS_IS)
    view = models.CharField(max_length=80)
    frame = models.IntegerField(default=1)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    crop = models.JSONField(null=True, help_text="x, y, width, height in pixels, or null for the whole picture")
    quantities = models.JSONField(default=dict, help_text="Scene quantities that are not at their own value")
    output_format = models.CharField(max_length=20, default="exr-half", choices=list(FORMATS.items()))
    view_transform = models.CharField(max_length=200, blank=True)

    def description(self) -> SetupDescription:
        """The setup as the core takes it."""
        crop = tuple(self.crop) if self.crop else None
        return SetupDescription(
            self.scene.title, self.scene.revision, self.view, self.width, self.height, self.variant, self.frame, crop,
            self.quantities, self.output_format, self.view_transform,
        )  # fmt: skip


class Study(models.Model):
    """A question in words, and how it is put to the test; `setup` is the control's."""

    question = models.CharField(max_length=300)
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT)
    under_test = models.CharField(max_length=40, help_text="A setting's name, or a condition such as engine or light")
    under_test_title = models.CharField(max_length=200)
    repeats = models.PositiveSmallIntegerField(default=2)
    threads = models.PositiveSmallIntegerField(default=1)
    time_limit_seconds = models.FloatField(default=1800)
    passes = models.JSONField(default=list)
    from_elsewhere = models.BooleanField(default=False, help_text="Its renders were made elsewhere; it queues none")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created_at", "-id"]
        verbose_name_plural = "studies"

    def __str__(self) -> str:
        return self.question


class Option(models.Model):
    """One way of rendering: a setup, an engine's build, its settings, and what its light is multiplied with."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="options")
    side = models.CharField(max_length=10, choices=Side.choices)
    setup = models.ForeignKey(Setup, on_delete=models.PROTECT, related_name="options")
    engine = models.CharField(max_length=40)
    engine_title = models.CharField(max_length=200)
    build = models.CharField(max_length=40, blank=True)
    device = models.CharField(max_length=80)
    quality_knob = models.CharField(max_length=40, blank=True)
    settings = models.JSONField()
    brightness = models.JSONField(null=True, help_text="factor and evidence, or null for none")

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["study", "side"], name="one_option_a_side")]


class Pair(models.Model):
    """A control and a trial, alike in all but one thing."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="pairs")
    control = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
    trial = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="+")
