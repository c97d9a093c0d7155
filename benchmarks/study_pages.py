"""Curves, tables and the decision of a study with 2,000 runs."""

from __future__ import annotations

import math
import time
from itertools import count
from statistics import median

from django.test import Client
from django.utils import timezone
from matchedpair.measures.kinds import KIND_OF

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.answers.studies import forget_answers
from server.catalogue.zones import signature
from server.measuring.models import Comparison, Measure
from server.runs.models import Run, RunState
from server.studies.models import Study

SEEDS = 2
MOST_SECONDS = 1.0
_asked = count()
PAGES = ("answer/", "curves/", "effects/", "decision/", "measures/")


def run() -> bool:
    """Fill a study by laws, and ask for each page."""
    study = filled_by_laws()
    client = Client(headers={"host": "127.0.0.1"})
    runs = Run.objects.filter(study=study).count()
    bare = _seconds(lambda: list(Run.objects.filter(study=study).defer("log", "command")))
    figures = []
    for page in PAGES:
        own = [MOST_SECONDS] if page in ("curves/", "effects/") else []
        taken = _seconds(lambda page=page: made_anew(client, study, page))  # type: ignore[misc]  # bound at once
        figures.append(Measured(page.rstrip("/"), taken, "s", *own))
        figures.append(Measured(f"{page.rstrip('/')} over its runs bare from the database", taken / bare, "×"))
    return show(f"The pages of a study with {runs:,} runs", figures)


def made_anew(client: Client, study: Study, page: str) -> None:
    """Ask for a page that is not kept from before."""
    forget_answers()
    answer = client.get(f"/api/studies/{study.pk}/{page}", {"again": next(_asked)})
    if answer.status_code != 200:
        raise SystemExit(f"{page} answered {answer.status_code}: {answer.content[:200]!r}")


def _seconds(act: object) -> float:
    taken = []
    for _ in range(3):
        began = time.perf_counter()
        act()  # type: ignore[operator]  # it is called
        taken.append(time.perf_counter() - began)
    return median(taken)


def filled_by_laws(clamps: int = 9) -> Study:
    """A study of a hundred options, and a hundred more for each clamp, measured as its laws say."""
    study = study_of(kind="table", repeats=SEEDS, factors=[
        {"subject": "samples", "levels": [{"value": 4 * n} for n in range(1, 11) if n != 4]},
        {"subject": "bounces", "levels": [{"value": n} for n in range(2, 12)]},
        {"subject": "indirect_clamp", "levels": [{"value": float(n)} for n in range(1, clamps + 1)]},
    ])  # fmt: skip
    now = timezone.now()
    kind = KIND_OF["noise"]
    runs, measures = [], []
    for number, option in enumerate(study.options.select_related("setup__scene")):
        seconds = 1.0 + 0.05 * option.settings["samples"]
        pictures = [f"{number:060x}{seed:04x}" for seed in range(SEEDS)]
        runs += [
            Run(
                study=study, option=option, seed=seed + 1, position=number * SEEDS + seed, state=RunState.FINISHED,
                wall_seconds=seconds, ready_seconds=1.0, cpu_seconds=seconds, cpu_ready_seconds=1.0, ended_at=now,
                machine_name="bench", picture=picture, peak_memory_bytes=10**8,
            )
            for seed, picture in enumerate(pictures)
        ]  # fmt: skip
        noise = math.sqrt(900.0 / option.settings["samples"])
        measures.append(Measure(
            option=option, name="noise", zone="whole", value=noise, low=noise * 0.98, high=noise * 1.02, unit="%",
            method="twin", version=kind.version, details={"total_error": [0.02, 0.02]}, inputs=pictures,
            area=signature([]),
        ))  # fmt: skip
    Run.objects.bulk_create(runs, batch_size=500)
    Measure.objects.bulk_create(measures, batch_size=500)
    own = dict(Run.objects.filter(study=study, seed=1).values_list("option", "picture"))
    Comparison.objects.bulk_create([
        Comparison(pair=pair, zone="whole", version=Comparison.VERSION, area=signature([]),
                   inputs=[own[pair.control_id], "against", own[pair.trial_id]])
        for pair in study.pairs.all()
    ], batch_size=500)  # fmt: skip
    return study
