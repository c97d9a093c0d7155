"""Stored pictures by content hash: tiles of linear light for judging, PNGs for finding and for print."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from django.conf import settings
from django.http import FileResponse, Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.utils.cache import patch_cache_control
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from matchedpair.errors import PictureError
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.store.files import HASH, path_of
from server.store.pixels import PICTURE, SHOWN_WIDTH, shown, spots, thumbnail
from server.store.serializers import PyramidSerializer, shape_row
from server.store.tiles import shape_of, tile

FOR_EVER = 365 * 24 * 3600
Got = TypeVar("Got")


class SpotsSerializer(serializers.Serializer):
    """Pixels that a map marks, strongest first, as column, row and value."""

    spots = serializers.ListField(child=serializers.ListField(child=serializers.FloatField(), min_length=3))


class ShownSerializer(serializers.Serializer):
    """How a picture is shown, and which part of it."""

    transform = serializers.CharField(max_length=200, allow_blank=True, default="")
    exposure = serializers.FloatField(min_value=-20, max_value=20, default=0.0)
    x = serializers.IntegerField(default=0)
    y = serializers.IntegerField(default=0)
    width = serializers.IntegerField(min_value=1, required=False, help_text="Of the part; all of it when not given")
    height = serializers.IntegerField(min_value=1, required=False)
    most = serializers.IntegerField(min_value=16, max_value=SHOWN_WIDTH, default=SHOWN_WIDTH)


@extend_schema(responses=PyramidSerializer)
@api_view(["GET"])
def pyramid(request: Request, digest: str) -> Response:
    """The size of a stored picture and how it is cut into tiles."""
    shape = _of_stored(digest, lambda: shape_of(digest))
    response = Response(PyramidSerializer(shape_row(shape)).data)
    patch_cache_control(response, private=True, max_age=0)
    return response


@extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
@api_view(["GET"])
def one_tile(request: Request, digest: str, level: int, column: int, row: int) -> HttpResponse:
    """One tile of linear light: rows of four little-endian half floats a pixel, R, G, B and the share that is valid.

    Level 0 is the full size; each further level has half the width and height, rounded up.
    """
    try:
        contents = _of_stored(digest, lambda: tile(digest, level, column, row))
    except IndexError as error:
        raise Http404 from error
    response = HttpResponse(contents, content_type="application/octet-stream")
    _kept_for_ever(response)
    return response


@extend_schema(responses=SpotsSerializer)
@api_view(["GET"])
def marked_spots(request: Request, digest: str) -> Response:
    """The pixels above 0 of a map that marks single pixels."""
    response = Response({"spots": _of_stored(digest, lambda: spots(digest))})
    _kept_for_ever(response)
    return response


@extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
@api_view(["GET"])
def small_picture(request: Request, digest: str) -> HttpResponse:
    """A thumbnail of a stored picture, sRGB."""
    response = HttpResponse(_of_stored(digest, lambda: thumbnail(digest)), content_type="image/png")
    _kept_for_ever(response)
    return response


@extend_schema(parameters=[ShownSerializer], responses={(200, "image/png"): OpenApiTypes.BINARY})
@api_view(["GET"])
def shown_picture(request: Request, digest: str) -> HttpResponse:
    """A stored picture, or a part of it, as a view transform shows it; reduced to fit, never enlarged."""
    form = ShownSerializer(data=request.query_params)
    form.is_valid(raise_exception=True)
    asked = form.validated_data
    box = (asked["x"], asked["y"], asked["width"], asked["height"]) if {"width", "height"} <= asked.keys() else None
    contents = _of_stored(
        digest, lambda: shown(digest, asked["transform"], asked["exposure"], box, asked["most"])
    )  # fmt: skip
    response = HttpResponse(contents, content_type="image/png")
    patch_cache_control(response, private=True, max_age=3600)
    return response


@extend_schema(responses={(200, "image/x-exr"): OpenApiTypes.BINARY})
@api_view(["GET"])
def picture_file(request: Request, digest: str) -> FileResponse:
    """A stored picture as the file that it is, to be saved or dragged into another program."""
    path = _of_stored(digest, lambda: path_of(digest, PICTURE))
    response = FileResponse(path.open("rb"), as_attachment=True, filename=f"{digest[:8]}{PICTURE}")
    response["Content-Type"] = "image/x-exr"
    _kept_for_ever(response)
    return response


def _kept_for_ever(response: HttpResponseBase) -> None:
    """By the browser that asked; by what stands between only where everybody may look."""
    patch_cache_control(
        response, max_age=FOR_EVER, immutable=True, **{"private" if settings.SHARED else "public": True}
    )


def _of_stored(digest: str, get: Callable[[], Got]) -> Got:
    """What `get` makes of a stored picture: not found when it is missing, a problem in words when it is broken."""
    if not HASH.fullmatch(digest) or not path_of(digest, PICTURE).is_file():
        raise Http404
    try:
        return get()
    except PictureError as error:
        raise serializers.ValidationError(f"the stored picture is broken: {error.problem}") from error
