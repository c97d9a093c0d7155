"""What grows faster than what it is made for: options in a study, studies in a library, zones in a view."""

from __future__ import annotations

import time
from collections.abc import Callable

from django.test import Client

from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from benchmarks.study_pages import PAGES, filled_by_laws, made_anew
from server.answers.studies import forget_answers
from server.catalogue.models import Zone
from server.studies.models import Study

FEW_CLAMPS, MANY_CLAMPS = 3, 15  # four hundred and sixteen hundred options: four times as many
FEW_STUDIES, MANY_STUDIES = 100, 400
FEW_ZONES, MANY_ZONES = 20, 80
MOST_OVER_FOUR = 1.5


def run() -> bool:
    """Each at some size and at four times that, over four."""
    client = Client(headers={"host": "127.0.0.1"})
    few, many = filled_by_laws(FEW_CLAMPS), filled_by_laws(MANY_CLAMPS)
    sizes = [study.options.count() for study in (few, many)]
    figures = []
    for page in PAGES:
        taken = [_seconds(lambda study=study, page=page: made_anew(client, study, page)) for study in (few, many)]  # type: ignore[misc]  # bound at once
        figures.append(_grown(f"{page.rstrip('/')} of {sizes[1]:,} options", taken, sizes[1] / sizes[0]))
    listed = []
    for wanted in (FEW_STUDIES, MANY_STUDIES):
        while Study.objects.count() < wanted:
            study_of()
        listed.append(_seconds(lambda: _asked(client, "/api/overview/")))
    figures.append(_grown(f"the list of {MANY_STUDIES:,} studies", listed, MANY_STUDIES / FEW_STUDIES))
    figures.append(Measured("the list again, once it is kept", _seconds(lambda: client.get("/api/overview/")), "s"))
    zoned = []
    for wanted in (FEW_ZONES, MANY_ZONES):
        _zones(few, wanted)
        zoned.append(_seconds(lambda: made_anew(client, few, "measures/")))
    figures.append(_grown(f"measures with {MANY_ZONES} zones", zoned, MANY_ZONES / FEW_ZONES))
    return show("What grows", figures)


def _grown(name: str, taken: list[float], times: float) -> Measured:
    """How much longer, over how much more; above one it grows faster than what it is made for."""
    return Measured(f"{name}, {taken[1]:.2f} s: growth over {times:.0f} times", taken[1] / taken[0] / times, "×",
                    MOST_OVER_FOUR)  # fmt: skip


def _zones(study: Study, wanted: int) -> None:
    setup = study.setup
    there = Zone.objects.filter(scene=setup.scene.name, view=setup.view).count()
    Zone.objects.bulk_create(
        Zone(scene=setup.scene.name, view=setup.view, name=f"Zone {number}", kind="measure", shape="rectangle",
             points=[[0.1, 0.1], [0.1 + number / 200.0, 0.4]])
        for number in range(there, wanted)
    )  # fmt: skip


def _asked(client: Client, path: str) -> None:
    forget_answers()
    if client.get(path, {"again": time.monotonic()}).status_code != 200:
        raise SystemExit(f"{path} did not answer")


def _seconds(act: Callable[[], object]) -> float:
    """The less of two, the first of which may read what is read once."""
    taken = []
    for _ in range(2):
        began = time.perf_counter()
        act()
        taken.append(time.perf_counter() - began)
    return min(taken)
