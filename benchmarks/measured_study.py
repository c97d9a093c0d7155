"""A study of two hundred options measured and compared, over reading its renders' pictures once: seconds of a processor
of this process and of the one that decodes pictures, since the two may wait for each other.
"""

from __future__ import annotations

from collections.abc import Callable

import psutil

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.measuring.measuring import measure_outstanding
from server.runs.actions import claim, queue_study
from server.runs.models import Run
from server.runs.recording import record_result
from server.store.pixels import stored_picture
from server.studies.models import Option
from tests.server.base import result_of

SAMPLES, BOUNCES = 20, 10
SIZE = {"width": 480, "height": 270}
MOST_RATIO = 15.0


def run() -> bool:
    """Measured once from nothing, after its pictures were read."""
    study = study_of(kind="table", repeats=2, settings={"samples": 4, "bounces": 2}, **SIZE, factors=[
        {"subject": "samples", "levels": [{"value": 4 * n} for n in range(2, SAMPLES + 1)]},
        {"subject": "bounces", "levels": [{"value": n} for n in range(3, BOUNCES + 2)]},
    ])  # fmt: skip
    queue_study(study)
    for row in study.runs.filter(state="queued").select_related("option__setup"):
        claim(row.pk, "bench")
        record_result(row.pk, result_of(row, 0.4 / row.option.settings["samples"] ** 0.5))
    pictures = [row.picture for row in Run.objects.filter(study=study) if row.picture]
    options = Option.objects.filter(study=study)
    reading = _processor_seconds(lambda: [stored_picture(each) for each in pictures])
    measuring = _processor_seconds(lambda: measure_outstanding(options))
    again = _processor_seconds(lambda: measure_outstanding(options))
    return show(f"A study of {options.count()} options, {len(pictures)} pictures of {SIZE['width']}×{SIZE['height']}", [
        Measured("measured and compared, over reading its pictures once", measuring / reading, "×", MOST_RATIO),
        Measured("a picture measured and compared", 1000 * measuring / len(pictures), "ms"),
        Measured("a picture read", 1000 * reading / len(pictures), "ms"),
        Measured("asked again when nothing changed, an option", 1000 * again / options.count(), "ms"),
    ])  # fmt: skip


def _processor_seconds(act: Callable[[], object]) -> float:
    before = _used()
    act()
    return _used() - before


def _used() -> float:
    own = psutil.Process()
    times = [each.cpu_times() for each in (own, *own.children(recursive=True))]
    return sum(each.user + each.system for each in times)
