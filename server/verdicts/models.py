"""What people concluded: verdicts with marks by criterion, pins on the picture, blind tests."""

from __future__ import annotations

from django.db import models
from matchedpair.judging import blind

from server.studies.models import Pair, Side


class Chosen(models.TextChoices):
    """What a verdict chooses."""

    CONTROL = "control", "Control"
    TRIAL = "trial", "Trial"
    NEITHER = "neither", "Neither"


class Mark(models.TextChoices):
    """Which side is better by one criterion."""

    CONTROL = "control", "Control"
    ALIKE = "alike", "Alike"
    TRIAL = "trial", "Trial"


class Criterion(models.Model):
    """One thing that verdicts mark; a studio keeps its own list."""

    name = models.CharField(max_length=60, unique=True)
    position = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["position", "id"]
        verbose_name_plural = "criteria"

    def __str__(self) -> str:
        return self.name


class Verdict(models.Model):
    """What a person concluded from a pair, with the sentence and the pictures as they stood then."""

    pair = models.ForeignKey(Pair, on_delete=models.CASCADE, related_name="verdicts")
    chosen = models.CharField(max_length=10, choices=Chosen.choices)
    reasons = models.TextField()
    marks = models.JSONField(default=dict, help_text="Which side is better, by the name of the criterion")
    less_than_fair = models.TextField(blank=True, help_text="What makes this test less than fair")
    author = models.CharField(max_length=80)
    sentence = models.TextField(help_text="The pair's sentence when the verdict was given")
    inputs = models.JSONField(default=list, help_text="The pictures it rests on")
    created_at = models.DateTimeField(auto_now_add=True)
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]


class Pin(models.Model):
    """A note at a place of a pair's pictures, in shares of their width and height."""

    pair = models.ForeignKey(Pair, on_delete=models.CASCADE, related_name="pins")
    x = models.FloatField()
    y = models.FloatField()
    note = models.TextField()
    author = models.CharField(max_length=80)
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["created_at", "id"]


BLIND_KIND_CHOICES = list(blind.KINDS.items())


class BlindTest(models.Model):
    """One person's rounds over a pair without knowing which side is which."""

    pair = models.ForeignKey(Pair, on_delete=models.CASCADE, related_name="blind_tests")
    kind = models.CharField(max_length=10, choices=BLIND_KIND_CHOICES)
    author = models.CharField(max_length=80)
    created_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True, help_text="After the last round, or when it was ended before")

    class Meta:
        ordering = ["-created_at", "-id"]


class Answer(models.TextChoices):
    """What a person may say in a round."""

    SAME = "same", "Same"
    DIFFERENT = "different", "Different"
    LEFT = "left", "The left one is better"
    RIGHT = "right", "The right one is better"


class BlindRound(models.Model):
    """One round: which render was shown in which place, and the answer; empty while there is none."""

    test = models.ForeignKey(BlindTest, on_delete=models.CASCADE, related_name="rounds")
    number = models.PositiveSmallIntegerField()
    zone = models.CharField(max_length=80, blank=True)
    left_side = models.CharField(max_length=10, choices=Side.choices)
    right_side = models.CharField(max_length=10, choices=Side.choices)
    left_picture = models.CharField(max_length=64)
    right_picture = models.CharField(max_length=64)
    answer = models.CharField(max_length=10, choices=Answer.choices, blank=True)
    seconds = models.FloatField(null=True, help_text="Until the answer")

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["test", "number"], name="one_round_a_number")]
