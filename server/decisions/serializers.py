"""Uses, decisions, forecasts and recipes as the API takes and gives them."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from matchedpair.answers import failing
from matchedpair.choose import LIMITS, Forecast, Saving, recipe_of
from matchedpair.choose.forecast import PER_FRAME, PER_SHOT
from matchedpair.choose.uses import BREAKS, KEEPS, UNKNOWN, UNSURE
from matchedpair.curves.frontier import BEATEN, ON, TIE
from matchedpair.measures.figure import Figure
from rest_framework import serializers

from server.answers.serializers import OptionFigureSerializer
from server.decisions.candidates import OfStudy
from server.decisions.deciding import Decided, DecidedUse
from server.decisions.models import Production, RecipeVersion
from server.decisions.uses import use_values
from server.measuring.serializers import IntervalField
from server.store.versions import version_of

LIMIT_STATES = (KEEPS, BREAKS, UNSURE, UNKNOWN)
STANDINGS = (ON, TIE, BEATEN, "")


class LimitKindSerializer(serializers.Serializer):
    """What can be limited."""

    name = serializers.CharField()
    title = serializers.CharField()
    unit = serializers.CharField()
    most = serializers.BooleanField(help_text="Whether the limit is the most there may be, or the least")
    about = serializers.CharField()


class LimitFigureSerializer(OptionFigureSerializer):
    """A figure of an option, where it is from, and how it was got."""

    where = serializers.CharField()


class CandidateSerializer(serializers.Serializer):
    """An option that can be chosen."""

    key = serializers.CharField()
    name = serializers.CharField()
    control = serializers.BooleanField()
    option = serializers.IntegerField(help_text="At the first place")
    pair = serializers.IntegerField(help_text="That shows it; 0 for none")
    figures = serializers.DictField(child=LimitFigureSerializer())


class CheckedLimitSerializer(serializers.Serializer):
    """How an option stands to one limit."""

    limit = serializers.CharField()
    state = serializers.ChoiceField(choices=LIMIT_STATES)


class StandingSerializer(serializers.Serializer):
    """How an option stands to a use: out when it breaks a limit, else its place on the frontier."""

    checked = CheckedLimitSerializer(many=True)
    out = serializers.BooleanField()
    on_frontier = serializers.ChoiceField(choices=STANDINGS)
    beaten_by = serializers.CharField()


class MovedSerializer(serializers.Serializer):
    """What would be chosen with one limit or the weight a fifth off."""

    what = serializers.CharField()
    before = serializers.FloatField()
    after = serializers.FloatField()
    chosen = serializers.CharField()
    changes = serializers.BooleanField()


class ForecastSerializer(serializers.Serializer):
    """What production takes."""

    frame_seconds = serializers.FloatField()
    machine_hours = serializers.FloatField()
    interval = IntervalField(allow_null=True)
    hours = serializers.FloatField()
    nights = serializers.IntegerField()
    cost = serializers.FloatField()


class SavingSerializer(serializers.Serializer):
    """Against the baseline; below 0 it takes more."""

    share = serializers.FloatField()
    interval = IntervalField(allow_null=True)
    machine_hours = serializers.FloatField()
    cost = serializers.FloatField()
    tie = serializers.BooleanField()


class FailureSerializer(serializers.Serializer):
    """Where the choice shifts the look, breaks a limit in a zone, or loses against the baseline."""

    place = serializers.CharField()
    zone = serializers.CharField()
    pair = serializers.IntegerField()
    how = serializers.CharField()
    words = serializers.CharField()


class DecidedUseSerializer(serializers.Serializer):
    """A use with its limits, the choice, and all that goes with it."""

    name = serializers.CharField()
    title = serializers.CharField()
    own = serializers.BooleanField(help_text="Whether this study added it")
    limits = serializers.DictField(child=serializers.FloatField())
    weight = serializers.FloatField()
    words = serializers.CharField()
    but = serializers.ListField(child=serializers.CharField(), help_text="What speaks against the choice, worst first")
    chosen = serializers.CharField(help_text="Key of the option; empty for none")
    by_hand = serializers.BooleanField()
    reasons = serializers.CharField()
    ties = serializers.ListField(child=serializers.CharField())
    standings = serializers.DictField(child=StandingSerializer())
    frontier = serializers.ListField(child=serializers.CharField())
    knee = serializers.CharField()
    ranked_by = serializers.ChoiceField(choices=["noise", "visible"], help_text="The figure that ranks beside time")
    firm = serializers.BooleanField()
    moved = MovedSerializer(many=True)
    forecast = ForecastSerializer(allow_null=True)
    saving = SavingSerializer(allow_null=True)
    failures = FailureSerializer(many=True)
    version = serializers.CharField(help_text="Names what people change of it; sent back with a change")


class ProductionSerializer(serializers.ModelSerializer):
    """What is assumed of the production."""

    frames = serializers.IntegerField(min_value=1, max_value=100_000_000)
    shots = serializers.IntegerField(min_value=1, max_value=1_000_000)
    machines = serializers.IntegerField(min_value=1, max_value=1_000_000)
    hours_a_day = serializers.FloatField(min_value=0.1, max_value=24)
    cost_per_machine_hour = serializers.FloatField(min_value=0, max_value=1e9)
    ready_per = serializers.ChoiceField(choices=[PER_FRAME, PER_SHOT])
    width = serializers.IntegerField(min_value=16, max_value=65536, allow_null=True)
    height = serializers.IntegerField(min_value=16, max_value=65536, allow_null=True)

    class Meta:
        model = Production
        exclude = ["id", "study"]


def production_values(row: Production) -> dict[str, Any]:
    """What people change of what is assumed of the production."""
    return dict(ProductionSerializer(row).data)


class DecisionSerializer(serializers.Serializer):
    """What a study decides."""

    sentence = serializers.CharField()
    places = serializers.ListField(child=serializers.CharField())
    limit_kinds = LimitKindSerializer(many=True)
    options = CandidateSerializer(many=True)
    uses = DecidedUseSerializer(many=True)
    production = ProductionSerializer()
    production_version = serializers.CharField(help_text="Of what is assumed; sent back with a change")
    baseline = ForecastSerializer(allow_null=True)


class UseSerializer(serializers.Serializer):
    """What of a use can be changed."""

    limits = serializers.DictField(child=serializers.FloatField(), required=False)
    weight = serializers.FloatField(min_value=0, max_value=1, required=False)
    by_hand = serializers.IntegerField(required=False, allow_null=True, help_text="Option; null for what rules choose")
    reasons = serializers.CharField(required=False, allow_blank=True, max_length=2000)


class NewUseSerializer(serializers.Serializer):
    """A use of one's own."""

    title = serializers.CharField(max_length=60)
    limits = serializers.DictField(child=serializers.FloatField(), required=False)
    weight = serializers.FloatField(min_value=0, max_value=1, required=False)


class SignedSerializer(serializers.Serializer):
    """Under which name, by whom, with which note."""

    name = serializers.CharField(max_length=120)
    author = serializers.CharField(max_length=80)
    note = serializers.CharField(required=False, allow_blank=True, max_length=4000)


class SearchRecipeSerializer(SignedSerializer):
    """What a search found: by range of frames, or constant."""

    constant = serializers.BooleanField(default=False)


class NewRecipeSerializer(SignedSerializer):
    """What is saved, by whom."""

    uses = serializers.ListField(child=serializers.CharField(max_length=40), required=False)


class RecipeFileSerializer(serializers.Serializer):
    """A recipe as text, TOML or JSON."""

    text = serializers.CharField(max_length=1_000_000, trim_whitespace=False)


class RecipeUseSerializer(serializers.Serializer):
    """One use of a recipe in short."""

    name = serializers.CharField()
    title = serializers.CharField()
    engine = serializers.CharField()
    settings = serializers.DictField()
    limits = serializers.DictField(child=serializers.FloatField())


class RecipeSerializer(serializers.Serializer):
    """A saved version of a recipe."""

    id = serializers.IntegerField()
    study = serializers.IntegerField(allow_null=True)
    name = serializers.CharField()
    version = serializers.IntegerField()
    author = serializers.CharField()
    note = serializers.CharField()
    scene = serializers.CharField()
    created_at = serializers.DateTimeField()
    uses = RecipeUseSerializer(many=True)
    table = serializers.CharField(help_text="Uses across, settings down, by tabs: to paste")


class RecipeDocumentUseSerializer(serializers.Serializer):
    """What one use is rendered with, as a recipe's file has it."""

    title = serializers.CharField()
    engine = serializers.CharField()
    build = serializers.CharField(allow_blank=True)
    engine_version = serializers.CharField(allow_blank=True)
    settings = serializers.DictField(help_text="All settings of the engine by name")
    output = serializers.DictField(help_text="width, height, format, view_transform and passes")
    limits = serializers.DictField(child=serializers.FloatField())
    evidence = serializers.ListField(child=serializers.DictField(), help_text="Each with what, and where it is from")
    forecast = serializers.DictField(help_text="Assumptions and what they come to; empty when none was made")
    frames = serializers.ListField(
        child=serializers.DictField(), required=False, help_text="first, last (included) and settings of their own"
    )


class RecipeDocumentSerializer(serializers.Serializer):
    """A recipe's file, whole: what the command line reads again."""

    format = serializers.IntegerField()
    kind = serializers.CharField(help_text="recipe")
    name = serializers.CharField()
    version = serializers.IntegerField()
    author = serializers.CharField(allow_blank=True)
    made_at = serializers.CharField()
    scene = serializers.CharField(allow_blank=True)
    note = serializers.CharField(allow_blank=True)
    uses = serializers.DictField(child=RecipeDocumentUseSerializer())


class RecipeDifferenceSerializer(serializers.Serializer):
    """One thing in which two recipes differ."""

    use = serializers.CharField()
    what = serializers.CharField()
    first = serializers.CharField()
    second = serializers.CharField()


class RenderRecipeSerializer(serializers.Serializer):
    """Where to render a recipe."""

    use = serializers.CharField(max_length=40)
    scene = serializers.CharField(max_length=80)
    view = serializers.CharField(max_length=80)
    variant = serializers.CharField(max_length=80, required=False, allow_blank=True)
    frame = serializers.IntegerField(required=False)
    width = serializers.IntegerField(min_value=16, max_value=8192, required=False)
    height = serializers.IntegerField(min_value=16, max_value=8192, required=False)


class MadeStudySerializer(serializers.Serializer):
    """The study that was made."""

    study = serializers.IntegerField()


def decision_row(found: Decided, pairs: dict[int, int]) -> dict[str, Any]:
    """What a study decides as plain values for `DecisionSerializer`."""
    return {
        "sentence": found.sentence, "places": found.places, "limit_kinds": [asdict(kind) for kind in LIMITS],
        "options": [_candidate(row, pairs) for row in found.options], "uses": [_use(row) for row in found.uses],
        "production": found.production, "production_version": version_of(production_values(found.production)),
         "baseline": _forecast(found.baseline.forecast) if found.baseline else None,
    }  # fmt: skip


def _candidate(row: OfStudy, pairs: dict[int, int]) -> dict[str, Any]:
    option = row.first
    return {
        "key": row.key, "name": row.name, "control": row.control, "option": option.pk,
        "pair": pairs.get(option.pk, 0),
        "figures": {
            name: _figure(figure, row.candidate.where.get(name, "")) for name, figure in row.candidate.figures.items()
        },
    }  # fmt: skip


def _figure(figure: Figure, where: str) -> dict[str, Any]:
    interval = None if figure.interval is None else list(figure.interval)
    return {"value": figure.value, "interval": interval, "method": figure.method, "where": where}


def _use(row: DecidedUse) -> dict[str, Any]:
    use, decision = row.use, row.decision
    return {
        "name": use.name, "title": use.title, "own": use.position > OWN_FROM, "limits": use.limits,
        "weight": use.weight, "words": row.answer.sentence,
        "but": [claim.text for claim in row.answer.but], "chosen": row.chosen.key if row.chosen else "",
        "version": version_of(use_values(use)), "by_hand": row.by_hand, "reasons": use.reasons,
        "ties": list(decision.ties),
        "standings": {
            key: {
                "checked": [{"limit": each.limit, "state": each.state} for each in standing.checked],
                "out": standing.out, "on_frontier": standing.on_frontier, "beaten_by": standing.beaten_by,
            }
            for key, standing in decision.standings.items()
        },
        "frontier": list(decision.frontier.order), "knee": decision.frontier.knee, "ranked_by": decision.by,
        "firm": decision.firm,
        "moved": [asdict(move) | {"changes": move.chosen != decision.chosen} for move in decision.moved],
        "forecast": _forecast(row.cost.forecast) if row.cost else None,
        "saving": _saving(row.cost.saving) if row.cost and row.cost.saving else None,
        "failures": [asdict(each) | {"words": failing(each)} for each in row.failures],
    }  # fmt: skip


OWN_FROM = 2  # the starting uses are at 0, 1 and 2


def _forecast(made: Forecast) -> dict[str, Any]:
    return asdict(made) | {"interval": None if made.interval is None else list(made.interval)}


def _saving(made: Saving) -> dict[str, Any]:
    return asdict(made) | {"interval": None if made.interval is None else list(made.interval)}


def recipe_row(row: RecipeVersion, table: str) -> dict[str, Any]:
    """A recipe as plain values for `RecipeSerializer`."""
    recipe = recipe_of(row.document)
    return {
        "id": row.pk, "study": row.study_id, "name": row.name, "version": row.version, "author": row.author,
        "note": row.note, "scene": recipe.scene, "created_at": row.created_at,
        "uses": [
            {
                "name": name, "title": use.title, "engine": use.engine, "settings": use.settings, "limits": use.limits,
            }
            for name, use in recipe.uses.items()
        ],
        "table": table,
    }  # fmt: skip
