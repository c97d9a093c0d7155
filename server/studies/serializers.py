"""Studies and their options as the API gives them."""

from __future__ import annotations

from matchedpair.answers.phrases import listed
from rest_framework import serializers

from server.catalogue.fields import SettingsField
from server.store.versions import version_of
from server.studies.forms import UntilSureSerializer
from server.studies.models import Option, Purpose, Side, Study


class LevelShownSerializer(serializers.Serializer):
    """What an option has at one factor."""

    subject = serializers.CharField()
    title = serializers.CharField()
    shown = serializers.CharField()
    changed = serializers.BooleanField()


class OptionSerializer(serializers.ModelSerializer):
    """One option of a study."""

    side = serializers.ChoiceField(choices=Side.choices)
    purpose = serializers.ChoiceField(choices=Purpose.choices)
    engine = serializers.CharField(source="engine_title")
    settings = SettingsField()
    levels = LevelShownSerializer(many=True)
    size = serializers.SerializerMethodField()

    class Meta:
        model = Option
        fields = [
            "id", "number", "title", "side", "engine", "build", "settings", "levels", "purpose", "in_plan", "small",
            "left_out", "control", "comes_with", "size",
        ]  # fmt: skip
        read_only_fields = fields

    def get_size(self, option: Option) -> str:
        """The size in words."""
        return str(option.setup.description().conditions()["size"])


class StudySerializer(serializers.Serializer):
    """A study as it was set up."""

    id = serializers.IntegerField()
    question = serializers.CharField()
    asked = serializers.CharField()
    kind = serializers.CharField()
    match_on = serializers.CharField()
    scene = serializers.CharField(source="setup.scene.title")
    scene_name = serializers.CharField(source="setup.scene.name")
    scene_revision = serializers.CharField(source="setup.scene.revision")
    variant = serializers.CharField(source="setup.variant")
    view = serializers.CharField(source="setup.view")
    frame = serializers.IntegerField(source="setup.frame")
    size = serializers.SerializerMethodField()
    engine = serializers.SerializerMethodField()
    passes = serializers.ListField(child=serializers.CharField())
    from_elsewhere = serializers.BooleanField()
    plannable = serializers.SerializerMethodField()
    plan_version = serializers.SerializerMethodField()
    repeats = serializers.IntegerField()
    until_sure = UntilSureSerializer(allow_null=True)
    threads = serializers.IntegerField()
    time_limit_seconds = serializers.FloatField()
    created_at = serializers.DateTimeField()
    archived_at = serializers.DateTimeField(allow_null=True)
    removed_at = serializers.DateTimeField(allow_null=True)
    options = OptionSerializer(many=True)
    pair = serializers.SerializerMethodField()
    factors = serializers.SerializerMethodField()

    def get_size(self, study: Study) -> str:
        """The size in words."""
        return str(study.setup.description().conditions()["size"])

    def get_engine(self, study: Study) -> str:
        """The engine, or all of them."""
        return listed(list(dict.fromkeys(option.engine_title for option in study.options.all())))

    def get_plan_version(self, study: Study) -> str:
        """Names its plan; sent back with a change, so that nobody's is overwritten unseen."""
        return version_of(study.draft)

    def get_plannable(self, study: Study) -> bool:
        """Whether its plan can be changed and copied."""
        return bool(study.draft)

    def get_factors(self, study: Study) -> list[str]:
        """What its plan varies, by the subjects of its factors."""
        first = next(iter(study.options.all()), None)
        return [level["subject"] for level in first.levels] if first else []

    def get_pair(self, study: Study) -> int:
        """The study's first pair."""
        return study.pairs.values_list("id", flat=True).first() or 0


class SwitchSerializer(serializers.Serializer):
    """On or off."""

    on = serializers.BooleanField()
