"""Tests. The machines that run them are shared and noisy: how long an example takes to draw says nothing."""

from hypothesis import HealthCheck, settings

settings.register_profile("shared machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("shared machine")
