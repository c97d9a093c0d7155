"""The viewer with a 4K pair: how soon it is seen and sharp, and how even its frames are in software rendering."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np
from django.utils import timezone
from matchedpair.pictures import read_picture, write_exr
from playwright.sync_api import Page

from benchmarks.browser import served
from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.runs.models import Run, RunState
from server.store.files import keep, path_of
from server.studies.models import Pair, Setup

SIZE, LARGER = (3840, 2160), ((7680, 4320), (16384, 8192))
MOST_PLANNED = 8192
FRAMES = 90
MOST_FIRST_SECONDS, MOST_SHARP_SECONDS = 1.0, 2.0
MOST_FRAME_MILLISECONDS = 100.0  # two cores draw what a graphics processor would; longer than this is felt as a stop
# those further down, and those that the pointer brings, are loaded once they come into sight
DRAWN = """() => [...document.images]
    .filter((image) => image.getClientRects().length && image.getBoundingClientRect().top < innerHeight)
    .every((image) => image.complete)"""
SEEN = """link => new Promise(done => {
  const began = performance.now();
  const look = () => {
    if (document.querySelector('canvas[data-seen=true]')) done(performance.now() - began);
    else requestAnimationFrame(look);
  };
  link.click();
  look();
})"""
PACE = """async ([frames, there, back]) => {
  const canvas = document.querySelector('canvas[data-part=picture]');
  const between = [], drawn = [];
  let last = performance.now(), lastDrawn = last, seen = canvas.dataset.drawn;
  await new Promise(done => {
    let count = 0;
    const step = () => {
      const now = performance.now();
      between.push(now - last); last = now;
      if (canvas.dataset.drawn !== seen) { drawn.push(now - lastDrawn); lastDrawn = now; seen = canvas.dataset.drawn; }
      const key = count % 20 < 10 ? there : back;
      if (key) document.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
      if (++count < frames) requestAnimationFrame(step); else done();
    };
    requestAnimationFrame(step);
  });
  const at = (values, share) => values.sort((a, b) => a - b)[Math.floor((values.length - 1) * share)] ?? 0;
  return { frame: at(between, 0.5), late: at(between, 0.95), drawn: at(drawn.slice(2), 0.5),
           drawnLate: at(drawn.slice(2), 0.95) };
}"""


def run() -> bool:
    """Open a pair as the runner leaves it and one whose tiles were let go, then wipe, pan and zoom."""
    pair = _pair(SIZE, (1, 2))
    files = [path_of(run.picture, ".exr") for run in Run.objects.filter(study=pair.study, seed=1)]
    began = time.perf_counter()
    for path in files:
        read_picture(path)
    reading = time.perf_counter() - began
    with served() as (page, base):
        without, _ = _opened(page, base, pair)
        opened = [_opened(page, base, pair) for _ in range(3)]
        first, sharp = (median(values) for values in zip(*opened, strict=True))
        figures = [
            Measured(
                "first picture of a 4K pair, tiles made as the runner leaves them", first, "s", MOST_FIRST_SECONDS
            ),
            Measured("first picture of a 4K pair, tiles let go before", without, "s"),
            Measured("the same over reading its two files", without / reading, "×"),
            Measured("sharp at 1:1 after the key", sharp, "s", MOST_SHARP_SECONDS),
            *_frames(page),
        ]
        for size in LARGER:
            larger = _pair(size, (1,))
            _opened(page, base, larger)
            first, sharp = _opened(page, base, larger)
            named = f"{size[0]} × {size[1]}"
            figures += [
                Measured(f"first picture of a pair of {named}", first, "s", MOST_FIRST_SECONDS),
                Measured(f"{named} sharp at 1:1", sharp, "s", MOST_SHARP_SECONDS),
            ]
    return show("The viewer, 3840 × 2160 in software rendering at 1280 × 800", figures)


def _pair(size: tuple[int, int], seeds: tuple[int, ...]) -> Pair:
    study = study_of(width=min(size[0], MOST_PLANNED), height=size[1], repeats=2)
    Setup.objects.filter(options__study=study).update(width=size[0])  # wider ones are rendered elsewhere
    dice = np.random.default_rng(1)
    y, x = np.mgrid[0 : size[1], 0 : size[0]].astype(np.float32)
    plain = (0.3 + 0.2 * np.sin(x / 31) * np.cos(y / 47))[..., None] * np.array([1.0, 0.8, 0.6], dtype=np.float32)
    with tempfile.TemporaryDirectory() as folder:
        for place, option in enumerate(study.options.all()):
            for seed in seeds:
                noise = dice.standard_normal((*size[::-1], 1), dtype=np.float32)
                path = Path(folder) / "p.exr"
                write_exr(path, plain * (1 + (0.1 + 0.1 * place) * noise))
                Run.objects.create(
                    study=study, option=option, seed=seed, position=2 * place + seed, state=RunState.FINISHED,
                    wall_seconds=10.0, ready_seconds=1.0, cpu_seconds=10.0, cpu_ready_seconds=1.0,
                    machine_name="bench", ended_at=timezone.now(), picture=keep(path.read_bytes(), ".exr"),
                )  # fmt: skip
    return study.pairs.get()


def _opened(page: Page, base: str, pair: Pair) -> tuple[float, float]:
    """Seconds from the click until both pictures are seen whole, and from the key until they are sharp at 1:1."""
    page.goto(f"{base}/studies/{pair.study_id}")
    link = page.get_by_role("link", name="Look at the pair")
    link.wait_for()
    page.wait_for_function(DRAWN)
    page.wait_for_timeout(1500)
    first = link.evaluate(SEEN) / 1000
    page.wait_for_selector("canvas[data-sharp=true]", timeout=60_000)
    page.wait_for_timeout(500)
    began = time.perf_counter()
    page.keyboard.press("1")
    page.wait_for_function("() => Number(document.querySelector('[aria-label=Pictures]').dataset.zoom) === 1")
    page.wait_for_selector("canvas[data-sharp=true]", timeout=60_000)
    return first, time.perf_counter() - began


def _frames(page: Page) -> list[Measured]:
    """Frame times while the line, the place or the magnification changes at every frame, over those of an idle page."""
    page.locator("[aria-label=Pictures]").focus()
    idle = page.evaluate(PACE, [FRAMES, "", ""])
    figures = []
    for name, zoom, there, back in (
        ("wiping, whole picture", "0", ",", "."), ("wiping at 1:1", "1", ",", "."),
        ("panning at 1:1", "1", "ArrowLeft", "ArrowRight"), ("panning, whole picture", "0", "ArrowLeft", "ArrowRight"),
        ("zooming in and out", "0", "+", "-"),
    ):  # fmt: skip
        page.keyboard.press(zoom)
        page.wait_for_selector("canvas[data-sharp=true]")
        page.wait_for_timeout(600)
        pace = page.evaluate(PACE, [FRAMES, there, back])
        page.wait_for_timeout(400)
        figures += [
            Measured(f"{name}: median between drawings", pace["drawn"], "ms"),
            Measured(f"{name}: 95 % of drawings within", pace["drawnLate"], "ms", MOST_FRAME_MILLISECONDS),
            Measured(f"{name}: median frame over an idle page's", pace["frame"] / idle["frame"], "×"),
        ]
    return figures
