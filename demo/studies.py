"""How the demo data makes its studies: what they have in common, and rendering each to its end."""

from __future__ import annotations

from typing import Any

COMMON = {
    "view": "counter", "width": 320, "height": 180, "repeats": 2, "threads": 1, "time_limit_seconds": 1800.0,
    "scene": "marble-stall", "engine": "alder", "quantities": {}, "passes": [],
}  # fmt: skip
ESTIMATE = {"light_picking": "estimate"}


def finish() -> None:
    """Render whatever is queued, and what comes of it."""
    from server.bench.cluster import Cluster
    from server.bench.runner import Runner
    from server.matching.models import Matching
    from server.runs.models import OPEN_STATES, Run
    from server.searches.models import Search
    from server.searches.searching import GOING_ON

    cluster = Cluster()
    runner = Runner(cluster)
    runner.run_until(
        lambda: (
            not Run.objects.filter(state__in=OPEN_STATES).exists()
            and not Matching.objects.filter(state="searching").exists()
            and not Search.objects.filter(state__in=GOING_ON).exists()
        )
    )
    runner.step()  # compares the pair that the last search made
    cluster.close()


def factor(subject: str, *values: Any) -> dict[str, Any]:
    """A factor with these levels besides the control's."""
    return {"subject": subject, "levels": [{"value": value, "settings": None} for value in values]}


def engines(*levels: dict[str, Any]) -> dict[str, Any]:
    """Engines as they come or tuned, as a factor."""
    return {"subject": "engine", "levels": list(levels)}


TANSY = engines({"value": "tansy", "settings": {"gather_rays": 256}})
SEDGE: dict[str, Any] = {"value": "sedge", "settings": {}}


def run(question: str, **values: Any) -> Any:
    """Create a study and render it to its end."""
    from server.findings.studies import study_findings
    from server.runs.actions import queue_study
    from server.studies.forms import study_from

    study = study_from({"question": question, **COMMON, **values})
    queue_study(study)
    finish()
    print(f"{question} {study_findings(study).sentence}", flush=True)
    return study
