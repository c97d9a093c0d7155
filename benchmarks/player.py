"""Control and trial played in step at 24 frames a second, 960 × 540, in software rendering: how even frames come."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from django.utils import timezone
from matchedpair.pictures import write_exr
from playwright.sync_api import Page

from benchmarks.browser import served
from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.runs.models import Run, RunState
from server.store.files import keep
from server.studies.models import Study

SIZE = (960, 540)
FRAMES = 24
A_SECOND = 24
PLAYED = 96
MOST_LATE_SHARE = 0.05  # of the frames that come more than half a frame late: beyond that, playing is seen to stutter
PLAY = """async frames => {
  const canvas = document.querySelector('canvas[data-shown]');
  const between = [];
  let last = performance.now(), seen = canvas.dataset.shown;
  const ended = new Promise(done => {
    const look = () => {
      if (canvas.dataset.shown !== seen) {
        const now = performance.now();
        between.push(now - last); last = now; seen = canvas.dataset.shown;
      }
      if (between.length < frames) requestAnimationFrame(look); else done();
    };
    requestAnimationFrame(look);
  });
  await ended;
  return between.slice(2);
}"""


def run() -> bool:
    """Load all frames, play them over and over divided by the line, with the line moving, and as a difference."""
    study = _study()
    with served() as (page, base):
        page.goto(f"{base}/studies/{study.pk}/motion")
        page.wait_for_selector("canvas[data-shown]")
        page.wait_for_function("() => !document.body.innerText.includes(' loaded')", timeout=120_000)
        page.get_by_label("Frames a second").select_option(str(A_SECOND))
        figures = _played(page, "divided by a line")
        page.get_by_label("Shows").select_option("difference")
        figures += _played(page, "their difference, times 4")
    return show(f"Playing {FRAMES} frames of {SIZE[0]} × {SIZE[1]} at {A_SECOND} a second, two sides in step", figures)


def _played(page: Page, name: str) -> list[Measured]:
    page.get_by_role("button", name="Play", exact=True).click()
    between = np.array(page.evaluate(PLAY, PLAYED))
    page.get_by_role("button", name="Stop", exact=True).click()
    wanted = 1000.0 / A_SECOND
    late = float((between > 1.5 * wanted).mean())
    return [
        Measured(f"{name}: median between frames over that asked for", float(np.median(between)) / wanted, "×"),
        Measured(f"{name}: 95 % of frames within", float(np.percentile(between, 95)), "ms"),
        Measured(f"{name}: share more than half a frame late", late, "", MOST_LATE_SHARE),
    ]


def _study() -> Study:
    frames = [{"value": frame, "settings": None} for frame in range(2, FRAMES + 1)]
    study = study_of(
        width=SIZE[0], height=SIZE[1], repeats=2, scene="mist-lane", view="lane", kind="table",
        factors=[{"subject": "frame", "levels": frames},
                 {"subject": "light_picking", "levels": [{"value": "estimate", "settings": None}]}],
    )  # fmt: skip
    dice = np.random.default_rng(1)
    y, x = np.mgrid[0 : SIZE[1], 0 : SIZE[0]].astype(np.float32)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "p.exr"
        for place, option in enumerate(study.options.select_related("setup")):
            moved = x - 8 * option.setup.frame
            plain = (0.3 + 0.2 * np.sin(moved / 31) * np.cos(y / 47))[..., None] * np.array([1, 0.8, 0.6], np.float32)
            noise = dice.standard_normal((*SIZE[::-1], 1), dtype=np.float32)
            write_exr(path, (plain * (1 + 0.05 * noise)).astype(np.float32))
            Run.objects.create(
                study=study, option=option, seed=1, position=place, state=RunState.FINISHED, wall_seconds=10.0,
                ready_seconds=1.0, cpu_seconds=10.0, cpu_ready_seconds=1.0, machine_name="bench",
                ended_at=timezone.now(), picture=keep(path.read_bytes(), ".exr"),
            )  # fmt: skip
    return study
