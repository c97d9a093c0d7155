"""What the queue costs: twenty renders through it against the same twenty commands run bare."""

from __future__ import annotations

import subprocess
import tempfile
import time
from pathlib import Path

from django.conf import settings
from matchedpair.engines import RenderJob, command_for

from benchmarks.figures import Measured, show
from benchmarks.studies import finish, study_of
from server.catalogue.engines import engine_named
from server.processes.cluster import Cluster
from server.runs.actions import queue_study
from server.runs.models import Run

SEEDS = 10
MOST = 1.05


def run() -> bool:
    """Half of the bare ones before and half after, so that a drift of the machine falls on both alike."""
    cluster = Cluster()
    queue_study(study_of(repeats=2))
    finish(cluster)  # compiled, and warm for an hour
    study = study_of(repeats=SEEDS)
    queue_study(study)
    runs = list(study.runs.order_by("queued_order").select_related("option"))
    before = _bare(runs[:SEEDS])
    began = time.perf_counter()
    finish(cluster)
    queued = time.perf_counter() - began
    bare = before + _bare(runs[SEEDS:])
    cluster.close()
    done = Run.objects.filter(study=study, state="finished")
    engines = sum(row.wall_seconds or 0.0 for row in done)
    return show("The queue against bare commands, 20 renders of Alder at 240 × 135", [
        Measured("finished through the queue, short of 20", 20 - done.count(), "renders", 0),
        Measured("seconds a bare render", bare / (2 * SEEDS), "s"),
        Measured("total wall through the queue over bare", queued / bare, "×", MOST),
        Measured("of it the runner's own, over the engines' time", queued / engines, "×"),
    ])  # fmt: skip


def _bare(runs: list[Run]) -> float:
    """Seconds of the same commands without anything of ours around them."""
    definition = engine_named("alder")
    scene = Path(settings.SCENES) / "cloth-corner.json"
    total = 0.0
    for row in runs:
        with tempfile.TemporaryDirectory() as folder:
            job = RenderJob(scene, "counter", 1, 240, 135, row.seed, 1, row.option.settings, 600.0, build="2")
            command = command_for(definition, job, Path(folder))
            began = time.perf_counter()
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
            total += time.perf_counter() - began
    return total
