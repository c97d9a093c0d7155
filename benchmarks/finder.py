"""The search for a matched pair on the demo scenes, against doubling the samples until the noise is there."""

from __future__ import annotations

from matchedpair.curves.finder import MOST_RENDERS, WITHIN

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.bench.cluster import Cluster
from server.bench.runner import Runner
from server.findings.measuring import measure_outstanding, noise_of
from server.matching.models import Matching
from server.matching.search import begin
from server.runs.actions import queue_study
from server.runs.models import OPEN_STATES, Run
from server.studies.models import Option, Study

SIZE = {"width": 160, "height": 90}
SEEDS = 2
# scene, view, and what is matched to the control: it picks lights by estimate, or ends by a noise target
CASES = (
    ("cloth-corner", "counter", {"light_picking": "estimate"}), ("mist-lane", "lane", {"light_picking": "estimate"}),
    ("glass-cabinet", "cabinet", {"bounces": 4}),
)  # fmt: skip
START, WANTED = 4, 40


def run() -> bool:
    """Search each scene from a trial at few samples for the noise that the control has at ten times as many."""
    cluster = Cluster()
    figures = []
    for scene, view, changed in CASES:
        study = _study(scene, view, changed)
        _finish(cluster, study)
        control = study.options.get(control=None)
        trial = study.options.exclude(pk=control.pk).get()
        found = begin(control, trial, "noise", "whole")
        _finish(cluster, study)
        found.refresh_from_db()
        figures += _of(scene, found, trial)
    cluster.close()
    return show("A pair matched on noise, searched and rendered", figures)


def _study(scene: str, view: str, changed: dict[str, object]) -> Study:
    settings = {"samples": START, **changed}
    level = {"value": "alder", "settings": settings}
    study = study_of(
        scene=scene, view=view, **SIZE, settings={"samples": WANTED},
        factors=[{"subject": "engine", "levels": [level]}],
        kind="on-off",
    )  # fmt: skip
    queue_study(study)
    return study


def _finish(cluster: Cluster, study: Study) -> None:
    Runner(cluster).run_until(
        lambda: (
            not Run.objects.filter(state__in=OPEN_STATES).exists()
            and not Matching.objects.filter(state="searching").exists()
        )
    )
    measure_outstanding(Option.objects.filter(study=study))


def _of(scene: str, found: Matching, trial: Option) -> list[Measured]:
    wanted = noise_of(found.control)
    steps = [Option.objects.prefetch_related("measures").get(pk=each["option"]) for each in found.tried]
    noise = {option.pk: own.value for option in steps if (own := noise_of(option)) and own.value}
    assert wanted is not None and wanted.value is not None
    target = wanted.value
    best = min(noise.values(), key=lambda value: abs(value / target - 1))
    refined = sum(each["refining"] for each in found.tried) * SEEDS
    pilot = sum(not each["refining"] and not each["before"] for each in found.tried) * SEEDS
    # doubling goes on until the noise is below the target, and is then as far off as it happens to be
    law = noise[trial.pk] * START**0.5
    doubled, renders = START, 0
    while law / doubled**0.5 > target:
        doubled, renders = doubled * 2, renders + SEEDS
    return [
        Measured(f"{scene}: off the control's noise ({found.state})", abs(best / target - 1), "", WITHIN),
        Measured(f"{scene}: renders beyond the pilot", refined, "", MOST_RENDERS),
        Measured(f"{scene}: renders of the pilot", pilot, ""),
        Measured(f"{scene}: doubling would end so far off, by noise ∝ 1/√N", abs(law / doubled**0.5 / target - 1), ""),
        Measured(f"{scene}: renders of doubling", renders, ""),
    ]
