"""Serializer fields and rows that several rooms use."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

SCALAR = {"oneOf": [{"type": "number"}, {"type": "string"}, {"type": "boolean"}]}


@extend_schema_field(SCALAR)
class ScalarField(serializers.Field):
    """A number, a text, or true or false."""

    def to_internal_value(self, data: Any) -> Any:
        """Only scalars pass; whether the value fits is for the engine's definition to say."""
        if data is None or not isinstance(data, int | float | str | bool) or len(str(data)) > 200:
            raise serializers.ValidationError("must be a number, a text, or true or false")
        return data

    def to_representation(self, value: Any) -> Any:
        """As it is."""
        return value


class SettingsField(serializers.DictField):
    """Setting names to values."""

    child = ScalarField()


class NamedSerializer(serializers.Serializer):
    """A name for the machine and a title for people."""

    name = serializers.CharField()
    title = serializers.CharField()


class CropSerializer(serializers.Serializer):
    """A part of the picture in pixels from the top left."""

    x = serializers.IntegerField(min_value=0)
    y = serializers.IntegerField(min_value=0)
    width = serializers.IntegerField(min_value=1)
    height = serializers.IntegerField(min_value=1)
