"""The app's settings."""

from django.apps import AppConfig


class MatchingConfig(AppConfig):
    """Curves of noise against time, and pairs matched on either."""

    name = "server.matching"
    default_auto_field = "django.db.models.BigAutoField"
