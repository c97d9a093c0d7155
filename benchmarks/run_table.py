"""A study of 50,000 runs asked from the API, and scrolling through one of 10,000 in a browser."""

from __future__ import annotations

import time
from itertools import count
from statistics import median

from django.db import connection
from django.test import Client
from django.utils import timezone
from playwright.sync_api import Page

from benchmarks.browser import served
from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.runs.models import Run, RunState
from server.studies.models import Study

RUNS, SCROLLED = 50_000, 10_000
MOST_MILLISECONDS = 150.0
STEPS = 60
_asked = count()


def run() -> bool:
    """Fill the table, ask for pages, scroll."""
    study = _filled(RUNS)
    client = Client(headers={"host": "127.0.0.1"})
    path = f"/api/studies/{study.pk}/table/"
    pages = {
        "first page": {}, "last page": {"offset": RUNS - 100}, "sorted by time": {"sort": "-render_seconds"},
        "failed ones": {"states": "bad"},
    }  # fmt: skip
    plain = _milliseconds(lambda: list(Run.objects.filter(study=study).order_by("position")[:100]))
    figures = []
    for name, asked in pages.items():
        taken = _milliseconds(lambda asked=asked: _page(client, path, asked))  # type: ignore[misc]  # bound at once
        figures.append(Measured(f"{name} of 100 rows", taken, "ms", MOST_MILLISECONDS))
        if name == "first page":
            figures.append(Measured("first page over 100 bare rows from the database", taken / plain, "×"))
    words = _milliseconds(lambda: _page(client, path, {"text": "samples 22 seed 3"}))
    figures.append(Measured("looking for words in all rows", words, "ms", MOST_MILLISECONDS))
    anew = _milliseconds(lambda: (_changed(study), _page(client, path, {"text": "samples 22 seed 3"})))
    figures.append(Measured("the same each time that a run has ended", anew, "ms", 3 * MOST_MILLISECONDS))
    smaller = _filled(SCROLLED)
    with served() as (page, base):
        figures += _scrolled(page, f"{base}/studies/{smaller.pk}")
    return show(f"The run table with {RUNS:,} runs", figures)


def _page(client: Client, path: str, asked: dict[str, object]) -> None:
    answer = client.get(path, {**asked, "again": next(_asked)})  # an answer is kept
    if answer.status_code != 200:
        raise SystemExit(f"{path} answered {answer.status_code}: {answer.content[:200]!r}")


def _changed(study: Study) -> None:
    Run.objects.filter(pk=study.runs.values("pk")[:1]).update(reason=f"ended {next(_asked)}")


def _filled(runs: int) -> Study:
    study = study_of(kind="table", repeats=2, factors=[
        {"subject": "samples", "levels": [{"value": n} for n in range(20, 44)]},
        {"subject": "bounces", "levels": [{"value": n} for n in range(10, 29)]},
    ])  # fmt: skip
    options = list(study.options.all())
    seeds = runs // len(options)
    rows = [
        Run(study=study, option=option, seed=seed, position=place * seeds + seed, state=RunState.FINISHED,
            wall_seconds=10.0 + place % 97, ready_seconds=1.0, cpu_seconds=10.0 + place % 97, cpu_ready_seconds=1.0,
            machine_name="bench", peak_memory_bytes=2e8, ended_at=timezone.now())
        for place, option in enumerate(options) for seed in range(1, seeds + 1)
    ]  # fmt: skip
    Run.objects.bulk_create(rows)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")
    return study


def _milliseconds(act: object) -> float:
    act()  # type: ignore[operator]  # a callable; the first call is thrown away
    taken = []
    for _ in range(7):
        began = time.perf_counter()
        act()  # type: ignore[operator]  # a callable
        taken.append(1000.0 * (time.perf_counter() - began))
    return median(taken)


def _scrolled(page: Page, address: str) -> list[Measured]:
    """Scroll from top to bottom; after each step every row in view must come to be filled."""
    page.goto(address)
    page.wait_for_selector("tr[data-run]")
    box = page.locator('section[aria-label="Run table"] > div').nth(1)
    height = box.evaluate("box => box.scrollHeight - box.clientHeight")
    slowest, missed, frames = 0.0, 0, []
    for step in range(1, STEPS + 1):
        began = time.perf_counter()
        frames.append(box.evaluate(
            """(box, top) => new Promise(done => {
                const began = performance.now(); box.scrollTop = top;
                requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - began)));
            })""", height * step / STEPS,
        ))  # fmt: skip
        try:
            page.wait_for_function(
                """() => { const rows = document.querySelectorAll('table[aria-label="Runs"] tbody tr');
                    return document.querySelectorAll('tr[data-run]').length > 5
                        && ![...rows].some(row => row.getAttribute('aria-busy')); }""", timeout=5000,
            )  # fmt: skip
        except Exception:
            missed += 1
        slowest = max(slowest, time.perf_counter() - began)
    return [
        Measured(f"steps of {STEPS} through all rows with a row missing after 5 s", missed, "steps", 0),
        Measured("slowest step until every row in view is filled", slowest, "s"),
        Measured("median time of two frames after a step, software rendering", median(frames), "ms"),
    ]
