"""Deciding: uses with limits, the choice, the forecast, and recipes."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from matchedpair.choose import as_table, differences, recipe_json, recipe_of, recipe_toml
from matchedpair.errors import InputError
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.decisions import recipes as making
from server.decisions import uses as using
from server.decisions.deciding import assumptions, decided, production_of
from server.decisions.from_search import save_found
from server.decisions.models import RecipeVersion
from server.decisions.serializers import (
    DecisionSerializer,
    MadeStudySerializer,
    NewRecipeSerializer,
    NewUseSerializer,
    ProductionSerializer,
    RecipeDifferenceSerializer,
    RecipeDocumentSerializer,
    RecipeFileSerializer,
    RecipeSerializer,
    RenderRecipeSerializer,
    SearchRecipeSerializer,
    UseSerializer,
    decision_row,
    production_values,
    recipe_row,
)
from server.searches.models import Search
from server.store.versions import must_match
from server.studies.models import Option, Study
from server.tables.measure_table import pairs_by_option

PLACE = OpenApiParameter("place", str, description="Scene, view and size in words; empty for the worst of all places")


@extend_schema(parameters=[PLACE], responses=DecisionSerializer)
@api_view(["GET"])
def decision(request: Request, pk: int) -> Response:
    """For each use: which options keep its limits, which is chosen, how firm that is, its cost, and where it fails."""
    return _decision(get_object_or_404(Study, pk=pk), request.query_params.get("place", ""))


def _decision(study: Study, place: str = "") -> Response:
    return Response(DecisionSerializer(decision_row(decided(study, place), pairs_by_option(study))).data)


@extend_schema(request=NewUseSerializer, responses={201: DecisionSerializer})
@api_view(["POST"])
def uses(request: Request, pk: int) -> Response:
    """Add a use of one's own."""
    study = get_object_or_404(Study, pk=pk)
    form = NewUseSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = dict(form.validated_data)
    using.add_use(study, values.pop("title"), values)
    answer = _decision(study)
    answer.status_code = status.HTTP_201_CREATED
    return answer


@extend_schema(methods=["PATCH"], request=UseSerializer, responses=DecisionSerializer)
@extend_schema(methods=["DELETE"], request=None, responses=DecisionSerializer)
@api_view(["PATCH", "DELETE"])
def use(request: Request, pk: int, name: str) -> Response:
    """Change a use's limits, its weight, or choose by hand; or remove it (it can be put back)."""
    study = get_object_or_404(Study, pk=pk)
    if request.method == "DELETE":
        using.remove_use(study, name, on=True)
        return _decision(study)
    form = UseSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = dict(form.validated_data)
    if values.get("by_hand") is not None:
        values["by_hand"] = get_object_or_404(Option, pk=values["by_hand"], study=study)
    using.change_use(study, name, values, lambda row: must_match(request, "this use", using.use_values(row)))
    return _decision(study, request.query_params.get("place", ""))


@extend_schema(request=None, responses=DecisionSerializer)
@api_view(["POST"])
def restore_use(request: Request, pk: int, name: str) -> Response:
    """Put back a use that was taken away."""
    study = get_object_or_404(Study, pk=pk)
    using.remove_use(study, name, on=False)
    return _decision(study)


@extend_schema(request=ProductionSerializer, responses=DecisionSerializer)
@api_view(["PUT"])
def production(request: Request, pk: int) -> Response:
    """Say what is assumed of the production."""
    study = get_object_or_404(Study, pk=pk)
    with transaction.atomic():
        row = production_of(study)
        must_match(request, "what is assumed of the production", production_values(row))
        form = ProductionSerializer(row, data=request.data)
        form.is_valid(raise_exception=True)
        for field, value in form.validated_data.items():
            setattr(row, field, value)
        if (row.width is None) != (row.height is None):
            raise InputError("state both width and height of a final frame, or neither")
        assumptions(row)
        row.save()
    return _decision(study)


@extend_schema(methods=["GET"], parameters=[OpenApiParameter("study", int)], responses=RecipeSerializer(many=True))
@extend_schema(methods=["POST"], request=RecipeFileSerializer, responses={201: RecipeSerializer})
@api_view(["GET", "POST"])
def recipes(request: Request) -> Response:
    """All recipes, newest first, or those of a study; or take one in that came as a file."""
    if request.method == "POST":
        form = RecipeFileSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        made = making.take_recipe(form.validated_data["text"].encode())
        return Response(_recipe(made), status=status.HTTP_201_CREATED)
    rows = RecipeVersion.objects.filter(removed_at=None)
    asked = request.query_params.get("study", "")
    if asked.isdigit():
        rows = rows.filter(study=int(asked))
    return Response([_recipe(row) for row in rows])


@extend_schema(request=NewRecipeSerializer, responses={201: RecipeSerializer})
@api_view(["POST"])
def new_recipe(request: Request, pk: int) -> Response:
    """Save what a study decides as the next version of a recipe."""
    study = get_object_or_404(Study, pk=pk)
    form = NewRecipeSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Response(_recipe(making.save_recipe(study, **form.validated_data)), status=status.HTTP_201_CREATED)


@extend_schema(request=SearchRecipeSerializer, responses={201: RecipeSerializer})
@api_view(["POST"])
def search_recipe(request: Request, pk: int) -> Response:
    """Save what a search found as the next version of a recipe, by range of frames or constant."""
    search = get_object_or_404(Search.objects.select_related("study", "base__setup__scene"), pk=pk)
    form = SearchRecipeSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Response(_recipe(save_found(search, **form.validated_data)), status=status.HTTP_201_CREATED)


@extend_schema(methods=["GET"], responses=RecipeSerializer)
@extend_schema(methods=["DELETE"], request=None, responses={204: None})
@api_view(["GET", "DELETE"])
def recipe(request: Request, pk: int) -> Response:
    """A recipe; or take it out of the list (it can be put back)."""
    row = get_object_or_404(RecipeVersion, pk=pk)
    if request.method == "DELETE":
        making.remove_recipe(row, on=True)
        return Response(status=status.HTTP_204_NO_CONTENT)
    return Response(_recipe(row))


@extend_schema(request=None, responses=RecipeSerializer)
@api_view(["POST"])
def restore_recipe(request: Request, pk: int) -> Response:
    """Put a recipe back."""
    row = get_object_or_404(RecipeVersion, pk=pk)
    making.remove_recipe(row, on=False)
    return Response(_recipe(row))


@extend_schema(responses=RecipeDifferenceSerializer(many=True))
@api_view(["GET"])
def compare_recipes(request: Request, pk: int, other: int) -> Response:
    """In what two recipes differ."""
    rows = [recipe_of(get_object_or_404(RecipeVersion, pk=number).document) for number in (pk, other)]
    return Response([vars(row) for row in differences(*rows)])


@extend_schema(request=RenderRecipeSerializer, responses={201: MadeStudySerializer})
@api_view(["POST"])
def render_recipe(request: Request, pk: int) -> Response:
    """Render with a recipe at a place of one's choice, against its baseline."""
    row = get_object_or_404(RecipeVersion.objects.select_related("study"), pk=pk)
    form = RenderRecipeSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    values = dict(form.validated_data)
    made = making.render_with(row, values.pop("use"), values)
    return Response({"study": made.pk}, status=status.HTTP_201_CREATED)


@extend_schema(responses={(200, "application/toml"): OpenApiTypes.BINARY})
@api_view(["GET"])
def recipe_as_toml(request: Request, pk: int) -> HttpResponse:
    """The recipe as TOML."""
    return _file(pk, "toml", "application/toml")


@extend_schema(responses={(200, "application/json"): RecipeDocumentSerializer})
@api_view(["GET"])
def recipe_as_json(request: Request, pk: int) -> HttpResponse:
    """The recipe as JSON."""
    return _file(pk, "json", "application/json")


def _file(pk: int, ending: str, kind: str) -> HttpResponse:
    row = get_object_or_404(RecipeVersion, pk=pk)
    made = recipe_of(row.document)
    content = recipe_toml(made) if ending == "toml" else recipe_json(made)
    name = f"{slugify(row.name) or 'recipe'}-{row.version}.{ending}"
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _recipe(row: RecipeVersion) -> object:
    return RecipeSerializer(recipe_row(row, as_table(recipe_of(row.document)))).data
