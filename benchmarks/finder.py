"""The search for a matched pair on the demo scenes, against doubling the samples until the noise is there."""

from __future__ import annotations

from matchedpair.search.same_noise import MOST_RENDERS, WITHIN

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from demo.make_data import zones
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.processes.cluster import Cluster
from server.processes.measurer import Measurer
from server.processes.runner import Runner
from server.runs.actions import queue_study
from server.runs.models import OPEN_STATES, Run
from server.searches.models import Matching
from server.searches.same_noise import begin
from server.studies.models import Option, Study

SIZE = {"width": 160, "height": 90}
SEEDS = 2
FEW, MANY = 4, 40
# scene, view, zone, what the trial has otherwise, and which number is searched (the quality knob for nothing)
CASES = (
    ("cloth-corner", "counter", "Striped bolts", {"light_picking": "estimate", "samples": FEW}, ""),
    ("mist-lane", "lane", "whole", {"light_picking": "estimate", "samples": FEW}, ""),
    ("marble-stall", "shelf", "Lower board", {"indirect_clamp": 4.0, "samples": FEW}, ""),
    ("mist-lane", "lane", "whole", {"samples": 512, "noise_target": 20.0}, "noise_target"),
)


def run() -> bool:
    """Search each scene from a trial at few samples for the noise that the control has at ten times as many."""
    zones()
    cluster = Cluster()
    figures = []
    for scene, view, zone, changed, knob in CASES:
        study = _study(scene, view, changed)
        _finish(cluster, study)
        control = study.options.get(control=None)
        trial = study.options.exclude(pk=control.pk).get()
        found = begin(control, trial, "noise", zone, knob)
        _finish(cluster, study)
        found.refresh_from_db()
        figures += _of(f"{scene}{f', {knob}' if knob else ''}", found, trial)
    cluster.close()
    return show("A pair matched on noise, searched and rendered", figures)


def _study(scene: str, view: str, changed: dict[str, object]) -> Study:
    level = {"value": "alder", "settings": changed}
    study = study_of(
        scene=scene, view=view, **SIZE, settings={"samples": MANY}, kind="on-off",
        factors=[{"subject": "engine", "levels": [level]}],
    )  # fmt: skip
    queue_study(study)
    return study


def _finish(cluster: Cluster, study: Study) -> None:
    Runner(cluster, between=Measurer().work).run_until(
        lambda: (
            not Run.objects.filter(state__in=OPEN_STATES).exists()
            and not Matching.objects.filter(state="searching").exists()
        )
    )
    measure_outstanding(Option.objects.filter(study=study))


def _of(name: str, found: Matching, trial: Option) -> list[Measured]:
    target = _noise(found.control, found.zone)
    steps = [Option.objects.get(pk=each["option"]) for each in found.tried]
    noise = {option.pk: _noise(option, found.zone) for option in steps}
    best = min(noise.values(), key=lambda value: abs(value / target - 1))
    refined = sum(each["refining"] for each in found.tried) * SEEDS
    pilot = sum(not each["refining"] and not each["before"] for each in found.tried) * SEEDS
    figures = [
        Measured(f"{name}: off the control's noise ({found.state})", abs(best / target - 1), "", WITHIN),
        Measured(f"{name}: renders beyond the pilot", refined, "", MOST_RENDERS),
        Measured(f"{name}: renders of the pilot", pilot, ""),
    ]
    if found.knob != "samples":
        return figures
    # doubling goes on until the noise is below the target, and is then as far off as it happens to be
    law = noise[trial.pk] * FEW**0.5
    doubled, renders = FEW, 0
    while law / doubled**0.5 > target:
        doubled, renders = doubled * 2, renders + SEEDS
    return [
        *figures,
        Measured(f"{name}: doubling would end so far off, by noise ∝ 1/√N", abs(law / doubled**0.5 / target - 1), ""),
        Measured(f"{name}: renders of doubling", renders, ""),
    ]


def _noise(option: Option, zone: str) -> float:
    row = Measure.objects.get(option=option, name="noise", zone=zone)
    assert row.value is not None
    return row.value
