"""How stored pictures are cut up, as the API gives it."""

from __future__ import annotations

from collections.abc import Iterable

from matchedpair.pictures.pyramid import TILE, PyramidShape
from rest_framework import serializers

from server.store.tiles import shapes_at_hand


class PyramidSerializer(serializers.Serializer):
    """How a picture is cut up: square tiles of `tile` pixels, from the full size down to the level that is one tile."""

    width = serializers.IntegerField()
    height = serializers.IntegerField()
    tile = serializers.IntegerField()
    levels = serializers.IntegerField()


class KnownPyramidSerializer(PyramidSerializer):
    """The same with the picture it is of."""

    digest = serializers.CharField()


def known_pyramids(digests: Iterable[str]) -> list[dict[str, object]]:
    """Those pictures whose tiles are there, as plain values for `KnownPyramidSerializer`."""
    return [{"digest": digest} | shape_row(shape) for digest, shape in shapes_at_hand(digests).items()]


def shape_row(shape: PyramidShape) -> dict[str, object]:
    """How one is cut up as plain values for `PyramidSerializer`."""
    return {"width": shape.width, "height": shape.height, "tile": TILE, "levels": len(shape.levels)}
