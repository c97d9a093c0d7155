"""View transforms: what there is, and each as a table for the viewer."""

from __future__ import annotations

from django.http import HttpResponse
from django.utils.cache import patch_cache_control
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import InputError
from matchedpair.pictures.view_transform import LOWEST_STOP, STOPS, view_transforms
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response


class ViewTransformsSerializer(serializers.Serializer):
    """The view transforms of the configuration in force."""

    names = serializers.ListField(child=serializers.CharField())
    default = serializers.CharField()
    source = serializers.CharField()


@extend_schema(responses=ViewTransformsSerializer)
@api_view(["GET"])
def transforms(request: Request) -> Response:
    """The view transforms of the OpenColorIO configuration in force."""
    found = view_transforms()
    return Response({"names": found.names, "default": found.default, "source": found.source.rpartition("/")[2]})


@extend_schema(
    parameters=[OpenApiParameter("name", str, required=True)],
    responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
)
@api_view(["GET"])
def transform_table(request: Request) -> HttpResponse:
    """Display values over a cube of light as half floats (red fastest, RGBA); headers tell size and stops."""
    name = request.query_params.get("name", "")
    if not name:
        raise InputError("say which view transform: ?name=DISPLAY / VIEW")
    table = view_transforms().table(name)
    response = HttpResponse(table.astype("<f2").tobytes(), content_type="application/octet-stream")
    response["Table-Size"], response["Table-Lowest-Stop"], response["Table-Stops"] = len(table), LOWEST_STOP, STOPS
    patch_cache_control(response, private=True, max_age=3600)
    return response
