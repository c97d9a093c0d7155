"""Brightness factors as the API gives them."""

from __future__ import annotations

from rest_framework import serializers

from server.catalogue.models import BrightnessFactor


class BrightnessSerializer(serializers.ModelSerializer):
    """A brightness factor with its evidence."""

    evidence = serializers.CharField(read_only=True)

    class Meta:
        model = BrightnessFactor
        fields = [
            "id", "engine", "relative_to", "factor", "low", "high", "spread_low", "spread_high", "zone", "place",
            "pair", "evidence", "created_at",
        ]  # fmt: skip
        read_only_fields = fields
