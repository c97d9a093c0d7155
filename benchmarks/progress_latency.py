"""How long it takes until a line of progress that an engine prints is seen in the browser."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import textwrap
import time
from pathlib import Path
from statistics import median

from django.conf import settings

from benchmarks.browser import ROOT, served
from benchmarks.figures import Measured, show
from benchmarks.studies import study_of
from server.runs.actions import queue_study

STEPS, SECONDS_A_STEP = 12, 0.9
MOST_SECONDS = 1.0

ENGINE = """
    import sys, time
    import numpy as np, OpenImageIO as oiio
    print("ready", flush=True)
    told = open(sys.argv[1], "a")
    for step in range(1, {steps} + 1):
        time.sleep({seconds})
        told.write(f"{{step}} {{time.time()}}\\n"); told.flush()
        print(f"step {{step}}/{steps}", flush=True)
    time.sleep(2)
    output = oiio.ImageOutput.create(sys.argv[3])
    output.open(sys.argv[3], oiio.ImageSpec(240, 135, 3, "half"))
    output.write_image(np.random.default_rng(int(sys.argv[2])).random((135, 240, 3)).astype(np.float32))
    output.close()
"""

DEFINITION = """
format = 1
name = "ticker"
title = "Ticker"
[command]
render = ["{python}", "{script}", "{told}", "{{seed}}", "{{picture}}", "{{scene}}", "{{view}}", "{{settings}}"]
[output]
ready = '^ready'
progress = '^step (\\d+)/(\\d+)'
[[setting]]
name = "samples"
type = "integer"
default = 1
argument = ["{{value}}"]
"""


def run() -> bool:
    """An engine that writes down when it printed each step, and a page that writes down when it showed it."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        script, told = folder / "ticker.py", folder / "told.txt"
        script.write_text(textwrap.dedent(ENGINE).format(steps=STEPS, seconds=SECONDS_A_STEP))
        text = DEFINITION.format(python=sys.executable, script=script, told=told)
        (folder / "ticker.toml").write_text(text)
        settings.ENGINES = folder
        os.environ["MATCHEDPAIR_ENGINES"] = name
        study = study_of(engine="ticker", settings={}, factors=[{"subject": "samples", "levels": [{"value": 2}]}])
        queue_study(study)
        with served() as (page, base):
            runner = subprocess.Popen(
                [sys.executable, "manage.py", "runner"], cwd=ROOT, env=dict(os.environ), stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )  # fmt: skip
            try:
                page.goto(f"{base}/studies/{study.pk}")
                page.evaluate(WATCH)
                time.sleep(STEPS * SECONDS_A_STEP + 6)
                seen = page.evaluate("window.seen")
            finally:
                runner.kill()
                runner.wait()
        if not told.is_file():
            raise SystemExit(f"nothing was rendered: {[(run.state, run.reason) for run in study.runs.all()]}")
        printed = {int(step): float(moment) for step, moment in map(str.split, told.read_text().splitlines()[:STEPS])}
    late = [seen[str(step)] / 1000.0 - moment for step, moment in printed.items() if str(step) in seen]
    return show("From the engine's line of progress to the browser", [
        Measured(f"steps of {STEPS} that were never seen", STEPS - len(late), "steps", 0),
        Measured("median", median(late) if late else float("inf"), "s", MOST_SECONDS),
        Measured("slowest", max(late, default=float("inf")), "s", MOST_SECONDS),
    ])  # fmt: skip


WATCH = f"""() => {{
    window.seen = {{}};
    new MutationObserver(() => {{
        const bar = document.querySelector('[data-running] progress');
        const step = bar && bar.hasAttribute('value') ? Math.round(bar.value * {STEPS}) : 0;
        if (step && !(step in window.seen)) window.seen[step] = Date.now();
    }}).observe(document.body, {{subtree: true, childList: true, attributes: true, characterData: true}});
}}"""
