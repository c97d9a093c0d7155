"""How the demo data makes its studies: what they have in common, and rendering each to its end."""

from __future__ import annotations

from typing import Any

COMMON = {
    "view": "counter", "width": 480, "height": 270, "repeats": 2, "threads": 1, "time_limit_seconds": 1800.0,
    "scene": "marble-stall", "engine": "alder", "quantities": {}, "passes": [],
}  # fmt: skip
MOST_ROUNDS, MOST_SECONDS = 3, 120.0  # of seeds that an answer asks for
ESTIMATE = {"light_picking": "estimate"}


def finish() -> None:
    """Render whatever is queued, and what comes of it."""
    from server.processes.cluster import Cluster
    from server.processes.measurer import Measurer
    from server.processes.runner import Runner
    from server.runs.models import OPEN_STATES, Run
    from server.searches.models import Matching, Search
    from server.searches.searching import GOING_ON

    cluster = Cluster()
    runner = Runner(cluster, between=Measurer().work)
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
    """Engines with their defaults or tuned, as a factor."""
    return {"subject": "engine", "levels": list(levels)}


TANSY = engines({"value": "tansy", "settings": {"gather_rays": 256}})
SEDGE: dict[str, Any] = {"value": "sedge", "settings": {}}


def run(question: str, *, rounds: int = MOST_ROUNDS, **values: Any) -> Any:
    """Create a study and render it to its end, with the seeds that its answer asks for while those are few."""
    from matchedpair.answers.answer import SEEDS

    from server.answers.settling import settle
    from server.answers.studies import answered_study
    from server.runs.actions import queue_study
    from server.studies.forms import study_from

    study = study_from({"question": question, **COMMON, **values})
    queue_study(study)
    finish()
    for _ in range(rounds):
        step = answered_study(study, now=True).answer.next
        if step is None or step.act != SEEDS or step.seconds is None or step.seconds > MOST_SECONDS:
            break
        print(f"{question} {answered_study(study, now=True).sentence} {step.words}", flush=True)
        settle(study)
        finish()
    print(f"{question} {answered_study(study, now=True).sentence}", flush=True)
    return study


def put_away(*studies: Any) -> None:
    """Archive studies that only made references: they ask nothing."""
    from django.utils import timezone

    from server.studies.models import Study

    Study.objects.filter(pk__in=[study.pk for study in studies]).update(archived_at=timezone.now())
