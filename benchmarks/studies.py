"""Studies for the benchmarks, really rendered or filled in."""

from __future__ import annotations

from typing import Any

from server.processes.cluster import Cluster
from server.processes.measurer import Measurer
from server.processes.runner import Runner
from server.runs.models import OPEN_STATES, Run
from server.studies.forms import study_from
from server.studies.models import Study

PLAIN: dict[str, Any] = {
    "question": "Benchmark", "scene": "cloth-corner", "view": "counter", "width": 240, "height": 135, "engine": "alder",
    "settings": {"samples": 16}, "factors": [{"subject": "light_picking", "levels": [{"value": "estimate"}]}],
}  # fmt: skip


def study_of(**changes: Any) -> Study:
    """A study from what the form would send."""
    return study_from(PLAIN | changes)


def finish(cluster: Cluster) -> None:
    """Carry the queue out to its end."""
    Runner(cluster, between=Measurer().work).run_until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists())
