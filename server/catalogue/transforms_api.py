"""View transforms: what there is, and each as a shader for the viewer."""

from __future__ import annotations

from base64 import b64encode

from django.utils.cache import patch_cache_control
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.errors import InputError
from matchedpair.pictures.view_transform import SHADER_FUNCTION, view_transforms
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response


class ViewTransformsSerializer(serializers.Serializer):
    """The view transforms of the configuration in force."""

    names = serializers.ListField(child=serializers.CharField())
    default = serializers.CharField()
    source = serializers.CharField()


class ShaderTextureSerializer(serializers.Serializer):
    """A table of half floats, base64, that a shader looks values up in; `depth` is 0 for a flat one."""

    sampler = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    depth = serializers.IntegerField()
    channels = serializers.IntegerField()
    smooth = serializers.BooleanField()
    values = serializers.CharField()


class TransformShaderSerializer(serializers.Serializer):
    """A view transform as GLSL ES 3.00: `function` takes linear Rec.709 light and gives display values."""

    name = serializers.CharField()
    function = serializers.CharField()
    text = serializers.CharField()
    textures = ShaderTextureSerializer(many=True)


@extend_schema(responses=ViewTransformsSerializer)
@api_view(["GET"])
def transforms(request: Request) -> Response:
    """The view transforms of the OpenColorIO configuration in force."""
    found = view_transforms()
    return Response({"names": found.names, "default": found.default, "source": found.source.rpartition("/")[2]})


@extend_schema(parameters=[OpenApiParameter("name", str, required=True)], responses=TransformShaderSerializer)
@api_view(["GET"])
def transform_shader(request: Request) -> Response:
    """A view transform as GLSL ES 3.00 with the tables it looks values up in."""
    name = request.query_params.get("name", "")
    if not name:
        raise InputError("say which view transform: ?name=DISPLAY / VIEW")
    shader = view_transforms().shader(name)
    textures = [
        {**vars(each), "values": b64encode(each.values.astype("<f2").tobytes()).decode()} for each in shader.textures
    ]
    response = Response({"name": name, "function": SHADER_FUNCTION, "text": shader.text, "textures": textures})
    patch_cache_control(response, private=True, max_age=3600)
    return response
