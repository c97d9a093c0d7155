"""Studies for the benchmarks, really rendered or filled in."""

from __future__ import annotations

from typing import Any

from server.bench.cluster import Cluster
from server.bench.runner import Runner
from server.runs.models import OPEN_STATES, Run
from server.studies.actions import create_study
from server.studies.api import DraftSerializer
from server.studies.draft import resolve
from server.studies.models import Study

PLAIN: dict[str, Any] = {
    "question": "Benchmark", "scene": "cloth-corner", "view": "counter", "width": 240, "height": 135, "engine": "alder",
    "settings": {"samples": 16}, "factors": [{"subject": "light_picking", "levels": [{"value": "estimate"}]}],
}  # fmt: skip


def study_of(**changes: Any) -> Study:
    """A study from what the form would send."""
    form = DraftSerializer(data=PLAIN | changes)
    form.is_valid(raise_exception=True)
    draft, problems = resolve(form.validated_data)
    if draft is None:
        raise SystemExit(f"the benchmark's own study cannot be planned: {problems}")
    return create_study(draft)


def finish(cluster: Cluster) -> None:
    """Carry the queue out to its end."""
    Runner(cluster).run_until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists())
