"""Scenes as they were when a study used them."""

from django.db import models


class SceneRevision(models.Model):
    """A scene file at one revision; its contents lie in the store under the revision's hash."""

    name = models.CharField(max_length=80)
    title = models.CharField(max_length=200)
    revision = models.CharField(max_length=64)
    views = models.JSONField(help_text="List of {name, title}")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["name", "revision"], name="one_row_a_revision")]

    def __str__(self) -> str:
        return f"{self.title} ({self.revision[:8]})"
