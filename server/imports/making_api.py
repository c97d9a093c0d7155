"""What is made of renders from elsewhere: pairs, sequences, studies of many options."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from matchedpair.errors import InputError
from matchedpair.plans.questions import QUESTIONS
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from server.imports.growing import grow_with
from server.imports.many import make_study
from server.imports.models import ImportedRender, ImportSet
from server.imports.pairing import make_pair
from server.imports.passes import NONE, pass_of
from server.imports.sequences import make_sequence
from server.imports.times_alone import TimeAlone, times_alone


class AskedPairSerializer(serializers.Serializer):
    """Which renders stand against which; several a side are its seeds."""

    question = serializers.CharField(max_length=300)
    control = serializers.ListField(child=serializers.IntegerField(), max_length=100)
    trial = serializers.ListField(child=serializers.IntegerField(), max_length=100)


class AskedSequenceSerializer(serializers.Serializer):
    """Which renders are the frames; with a trial both are played in step."""

    question = serializers.CharField(max_length=300)
    control = serializers.ListField(child=serializers.IntegerField(), max_length=10_000)
    trial = serializers.ListField(child=serializers.IntegerField(), max_length=10_000, default=list)
    reference = serializers.ListField(
        child=serializers.IntegerField(), max_length=20_000, default=list, help_text="Frames that both are judged by"
    )


class MadeSequenceSerializer(serializers.Serializer):
    """The study that came of it, and what was left out."""

    study = serializers.IntegerField()
    left_out = serializers.ListField(child=serializers.CharField())


class MadePairSerializer(serializers.Serializer):
    """The study and pair that came of it."""

    study = serializers.IntegerField()
    pair = serializers.IntegerField()


class AskedStudySerializer(serializers.Serializer):
    """Renders for a study of many options."""

    question = serializers.CharField(max_length=300)
    asked = serializers.ChoiceField(choices=[each.name for each in QUESTIONS], default="own")
    renders = serializers.ListField(child=serializers.IntegerField(), max_length=10_000)
    knobs = serializers.ListField(child=serializers.CharField(max_length=40), max_length=50, default=list)
    knobs_down = serializers.ListField(
        child=serializers.CharField(max_length=40), max_length=50, default=list,
        help_text="Of these knobs the ones of which less buys less noise",
    )  # fmt: skip
    control = serializers.IntegerField(allow_null=True, default=None, help_text="A render of the control")
    references = serializers.ListField(
        child=serializers.IntegerField(), max_length=1000, default=list,
        help_text="Renders that the others are judged by; they are no options",
    )  # fmt: skip
    grows = serializers.BooleanField(default=False, help_text="Whether what comes into the set later joins it")
    pass_layer = serializers.CharField(
        max_length=200, allow_blank=True, default="", help_text="The layer of the files that is a pass of their renders"
    )


@extend_schema(request=AskedPairSerializer, responses={201: MadePairSerializer})
@api_view(["POST"])
def pair(request: Request) -> Response:
    """Make a pair of renders from elsewhere; the runner measures it between renders."""
    study = make_pair(*_asked(AskedPairSerializer(data=request.data)))
    return Response({"study": study.pk, "pair": study.pairs.get().pk}, status=status.HTTP_201_CREATED)


@extend_schema(request=AskedSequenceSerializer, responses={201: MadeSequenceSerializer})
@api_view(["POST"])
def sequence(request: Request) -> Response:
    """Make a sequence, or two in step, of renders from elsewhere; the runner measures it between renders."""
    form = AskedSequenceSerializer(data=request.data)
    asked = _asked(form)
    reference = ImportedRender.objects.filter(pk__in=form.validated_data["reference"]).order_by("name")
    study, left_out = make_sequence(*asked, list(reference))
    body = {"study": study.pk, "left_out": left_out}
    return Response(MadeSequenceSerializer(body).data, status=status.HTTP_201_CREATED)


def _asked(form: serializers.Serializer) -> tuple[str, list[ImportedRender], list[ImportedRender]]:
    """The question, and the renders of both sides by name."""
    form.is_valid(raise_exception=True)
    given = form.validated_data
    control, trial = (
        list(ImportedRender.objects.filter(pk__in=given[side]).order_by("name")) for side in ("control", "trial")
    )
    return given["question"], control, trial


@extend_schema(request=AskedStudySerializer, responses={201: MadeSequenceSerializer})
@api_view(["POST"])
def study(request: Request) -> Response:
    """Make a study of all options among some renders; the measurer measures it between renders."""
    form = AskedStudySerializer(data=request.data)
    form.is_valid(raise_exception=True)
    asked = form.validated_data
    rows, references = (
        list(ImportedRender.objects.filter(pk__in=asked[name]).order_by("name")) for name in ("renders", "references")
    )
    sets = list(ImportSet.objects.filter(renders__in=rows).distinct())
    times, unusable = _times_of(sets, waits=asked["grows"])
    knobs = {name: name in asked["knobs_down"] for name in asked["knobs"]}
    layer = asked["pass_layer"]
    if asked["asked"] == "pass" and not layer:
        raise InputError("say which layer of the files is the pass")
    made = make_study(
        asked["question"], rows, asked=asked["asked"], knobs=knobs, control=asked["control"], times=times,
        passes=pass_of(rows, layer) if layer else NONE, references=references,
    )  # fmt: skip
    if asked["grows"] and rows:
        grow_with(rows[0].import_set, made.study, knobs, layer)
    body = {"study": made.study.pk, "left_out": [*made.left_out, *unusable]}
    return Response(MadeSequenceSerializer(body).data, status=status.HTTP_201_CREATED)


def _times_of(sets: list[ImportSet], *, waits: bool) -> tuple[list[TimeAlone], list[str]]:
    each = [times_alone(row, waits=waits) for row in sets]
    return [time for found, _ in each for time in found], [reason for _, reasons in each for reason in reasons]
