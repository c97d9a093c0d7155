"""Both ways of searching for the least settings on the demo scenes, with as many ways rendered by each."""

from __future__ import annotations

from matchedpair.search.raising import Ladder

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.measuring.measuring import measure_outstanding
from server.processes.cluster import Cluster
from server.processes.measurer import Measurer
from server.processes.runner import Runner
from server.runs.actions import queue_study
from server.runs.models import OPEN_STATES, Run
from server.searches.changes import Thresholds, change_of
from server.searches.models import Search, SearchState, Way
from server.searches.renders import options_of, seconds_of
from server.searches.searching import GOING_ON, Asked, begin
from server.studies.models import Option, Study

SIZE = {"width": 160, "height": 90}
SCENES = (("cloth-corner", "counter"), ("glass-cabinet", "cabinet"), ("marble-stall", "counter"))
LADDERS = (
    Ladder("bounces", (1, 2, 4, 8)), Ladder("matte_bounces", (1, 2, 8, 64)), Ladder("metal_bounces", (1, 4, 64)),
    Ladder("glass_bounces", (1, 4, 16, 64)),
)  # fmt: skip
MOST = Thresholds(0.05, 2.0, 12.0, 15.0)


def run() -> bool:
    """Raise one by one, then explore with the same number of ways; what each found, held at full size."""
    cluster = Cluster()
    figures = []
    for scene, view in SCENES:
        study = study_of(scene=scene, view=view, **SIZE, settings={"samples": 24, "bounces": 8}, kind="on-off")
        queue_study(study)
        _finish(cluster, study)
        base = study.options.get(control=None)
        raised = _searched(cluster, study, Asked(MOST, scale=1.0))
        ways = len({str(side) for each in raised.compared for side in (each["lower"], each["upper"])})
        explored = _searched(cluster, study, Asked(MOST, scale=1.0, way=Way.EXPLORE, most_renders=ways))
        figures.append(Measured(f"{scene}: ways rendered, each", ways, ""))
        for name, row in (("raised", raised), ("explored", explored)):
            figures += _of(f"{scene}, {name}", row, base)
    cluster.close()
    return show("The least settings, one by one and by combinations", figures)


def _searched(cluster: Cluster, study: Study, asked: Asked) -> Search:
    row = begin(study.options.get(control=None), LADDERS, asked)
    _finish(cluster, study)
    row.refresh_from_db()
    if row.state != SearchState.DONE:
        raise SystemExit(f"the search did not end well: {row.words}")
    return row


def _of(name: str, row: Search, base: Option) -> list[Measured]:
    settings = row.found[str(base.setup.frame)]
    told = ", ".join(str(settings[ladder.setting]) for ladder in LADDERS)
    if row.pair is None:
        return [Measured(f"{name}: {told} (as it was)", 1.0, "of the time")]
    found = Option.objects.get(pk=row.pair.trial_id)
    seconds, before = seconds_of(found), seconds_of(base)
    change = change_of(row.pair.pk, MOST)
    assert seconds and before and change and not isinstance(change, str)
    spent = sum(run.wall_seconds or 0.0 for run in Run.objects.filter(option__in=options_of(row)))
    return [
        Measured(f"{name}: {told}", seconds / before, "of the time"),
        Measured(f"{name}: change at full size, of the threshold", change.amount, ""),
        Measured(f"{name}: rendering of the search", spent, "s"),
    ]


def _finish(cluster: Cluster, study: Study) -> None:
    Runner(cluster, between=Measurer().work).run_until(
        lambda: (
            not Run.objects.filter(state__in=OPEN_STATES).exists()
            and not Search.objects.filter(state__in=GOING_ON).exists()
        )
    )
    measure_outstanding(Option.objects.filter(study=study))
