"""Renders made elsewhere, as they came in."""

from __future__ import annotations

from django.db import models
from matchedpair.elsewhere import DISPLAY, LINEAR, Facts, merged, missing_fields

LEARNED = ("by_hand", "from_table", "from_name", "from_header")  # where facts come from, the most trusted first


class ImportSet(models.Model):
    """Renders that came in together, and what was said of all of them."""

    title = models.CharField(max_length=200)
    source = models.CharField(max_length=10, choices=[(s, s) for s in ("browser", "folder", "command")])
    pattern = models.CharField(max_length=200, blank=True)
    table = models.JSONField(default=dict, help_text="Rows of a table beside the renders, by file name")
    columns = models.JSONField(default=dict, help_text="What columns of the table mean, where people said so")
    table_name = models.CharField(max_length=200, blank=True)
    transform = models.CharField(max_length=200, blank=True)
    layer = models.CharField(
        max_length=200, blank=True, help_text="Which layer of each file is the picture; empty for the file's own"
    )
    grows = models.JSONField(
        default=dict, help_text="The study that its renders join: study, knobs, and what had joined: count and last"
    )
    watched = models.CharField(max_length=1000, blank=True, help_text="A folder from which renders are taken in")
    watch_problem = models.CharField(max_length=300, blank=True, help_text="Why that folder cannot be read now")
    created_at = models.DateTimeField(auto_now_add=True)
    removed_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-created_at", "-id"]


class ImportedRender(models.Model):
    """One file: its picture in linear light, or the reason why it could not be taken.

    What is known of it is kept apart by where it was learned, so that a better pattern replaces only its own.
    """

    import_set = models.ForeignKey(ImportSet, on_delete=models.CASCADE, related_name="renders")
    name = models.CharField(max_length=200)
    original = models.CharField(max_length=64, blank=True, help_text="Content hash of the file as it came")
    ending = models.CharField(max_length=8, blank=True)
    picture = models.CharField(max_length=64, blank=True, help_text="Content hash of its linear light as EXR")
    encoding = models.CharField(max_length=8, choices=[(LINEAR, LINEAR), (DISPLAY, DISPLAY)], default=LINEAR)
    transform = models.CharField(max_length=200, blank=True, help_text="The stated transform that was undone")
    width = models.PositiveIntegerField(default=0)
    height = models.PositiveIntegerField(default=0)
    storage = models.CharField(max_length=60, blank=True, help_text="How the file stores it, in words")
    layers = models.JSONField(default=list, help_text="The file's layers in colour; empty for its own R, G and B")
    checks = models.JSONField(default=list)
    problem = models.TextField(blank=True, help_text="Why the file could not be taken; empty when it was")
    notes = models.JSONField(default=list, help_text="What could not be read of name, header or table")
    from_header = models.JSONField(default=dict)
    from_name = models.JSONField(default=dict)
    from_table = models.JSONField(default=dict)
    by_hand = models.JSONField(default=dict)

    class Meta:
        ordering = ["name", "id"]
        constraints = [models.UniqueConstraint(fields=["import_set", "name"], name="one_render_a_name")]

    def facts(self) -> Facts:
        """All that is known; what was filled in by hand wins, then the table, the name, the header."""
        return merged(*(Facts(**getattr(self, place)) for place in LEARNED))

    @property
    def stop(self) -> str:
        """What was found on its picture that forbids measuring; empty where nothing was."""
        return next((str(check["message"]) for check in self.checks if check["severity"] == "stop"), "")

    def missing(self) -> list[str]:
        """What must be known before it can be compared."""
        return missing_fields(self.facts())
