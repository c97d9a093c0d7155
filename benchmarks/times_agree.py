"""Whether our account of a render agrees with ``/usr/bin/time -v`` of the very same process."""

from __future__ import annotations

import re
import shutil
import tempfile
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from matchedpair.engines import RenderJob, render

from benchmarks.figures import Measured, show
from server.catalogue.engines import engine_named

TIME = "/usr/bin/time"
MOST_PERCENT = 2.0
REPEATS = 5


def run() -> bool:
    """`time` is put between our supervisor and the engine, so that both watch one process."""
    if shutil.which(TIME) is None:
        print(f"\nTimes against {TIME}: not there, left out")
        return True
    definition = engine_named("alder")
    apart: dict[str, list[float]] = {"wall": [], "CPU": [], "peak memory": []}
    for seed in range(REPEATS):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            watched = replace(
                definition, builds=(replace(definition.builds[0], program=TIME),),
                render=(TIME, "-v", "-o", str(folder / "account.txt"), *definition.render),
            )  # fmt: skip
            scene = Path(settings.SCENES) / "cloth-corner.json"
            job = RenderJob(scene, "counter", 1, 240, 135, seed, 1, {"samples": 24}, 600.0)
            outcome = render(watched, job, folder)
            theirs = _account((folder / "account.txt").read_text())
        ours = (outcome.wall_seconds, outcome.cpu_seconds, outcome.peak_memory_bytes)
        for kind, mine, other in zip(apart, ours, theirs, strict=True):
            apart[kind].append(100.0 * abs((mine or 0.0) / other - 1.0))
    return show(f"Our account against {TIME} -v of the same process, worst of {REPEATS}", [
        Measured(f"{kind} apart", max(values), "%", MOST_PERCENT) for kind, values in apart.items()
    ])  # fmt: skip


def _account(text: str) -> tuple[float, float, float]:
    """Wall and CPU seconds, and bytes at the peak."""

    def number(label: str) -> float:
        return float(re.search(rf"{label}: ([\d.]+)", text)[1])  # type: ignore[index]  # `time` always writes it

    elapsed = re.search(r"\(h:mm:ss or m:ss\): ([\d:.]+)", text)
    wall = 0.0
    for part in elapsed[1].split(":") if elapsed else ():
        wall = wall * 60 + float(part)
    cpu = number(r"User time \(seconds\)") + number(r"System time \(seconds\)")
    return wall, cpu, number(r"Maximum resident set size \(kbytes\)") * 1024
