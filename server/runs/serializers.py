"""Runs as the API gives them."""

from __future__ import annotations

from rest_framework import serializers

from server.runs.models import Run, RunState
from server.studies.models import Purpose, Side


class CheckSerializer(serializers.Serializer):
    """Something found on a picture file."""

    code = serializers.CharField()
    severity = serializers.ChoiceField(choices=["stop", "warn"])
    message = serializers.CharField()


class RunSerializer(serializers.ModelSerializer):
    """One run; times in seconds, memory in bytes, null where unknown."""

    side = serializers.ChoiceField(choices=Side.choices, source="option.side")
    state = serializers.ChoiceField(choices=RunState.choices)
    checks = CheckSerializer(many=True)
    passes = serializers.DictField(child=serializers.CharField())
    quietness = serializers.SerializerMethodField()
    render_seconds = serializers.SerializerMethodField()
    title = serializers.CharField(source="option.title")
    purpose = serializers.ChoiceField(choices=Purpose.choices, source="option.purpose")

    class Meta:
        model = Run
        fields = [
            "id", "side", "seed", "warm_up", "position", "state", "stop_asked", "reason", "attempt", "started_at",
            "ended_at", "share_done", "elapsed_seconds", "wall_seconds", "ready_seconds", "render_seconds",
            "cpu_seconds", "quietness", "peak_memory_bytes", "structures_bytes", "machine_name", "engine_version",
            "picture", "passes", "encoding", "seed_known", "checks", "option", "title", "reached", "made_by",
            "frames_per_second", "let_go_at", "time_alone", "purpose",
        ]  # fmt: skip
        read_only_fields = fields

    def get_quietness(self, run: Run) -> float | None:
        """CPU seconds over wall seconds × threads."""
        times = run.times()
        return times.quietness if times else None

    def get_render_seconds(self, run: Run) -> float | None:
        """Wall seconds without getting ready."""
        times = run.times()
        return times.render_seconds("wall") if times else None


class CountSerializer(serializers.Serializer):
    """How many runs it concerned."""

    runs = serializers.IntegerField()
