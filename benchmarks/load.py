"""Fifty people at once while a render runs: how long the main addresses take to answer, and whether any fails.

Each asks as a browser on one screen does, with a second or so between questions, of a server, a runner and a measurer
as they are started for people, with the demo data and a render under way all the time.
"""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import defaultdict
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.figures import Measured, show
from demo.screenshots import wait_for

ROOT = Path(__file__).parents[1]
CLIENTS, SECONDS, PORT = 50, 60.0, 8399
PAUSE = (0.5, 1.5)  # seconds between a client's questions
MOST_MILLISECONDS = 300.0
BASE = f"http://127.0.0.1:{PORT}"


def run() -> bool:
    """Start everything, let them all ask, end everything."""
    with tempfile.TemporaryDirectory(prefix="matchedpair-load-") as home:
        environment = {
            **os.environ, "MATCHEDPAIR_HOME": home, "MATCHEDPAIR_PORT": str(PORT), "MATCHEDPAIR_MACHINE": "load-bench",
        }  # fmt: skip
        for words in (["prepare"], ["load_data", "demo/data"]):
            subprocess.run(
                [sys.executable, "manage.py", *words], cwd=ROOT, env=environment, check=True, stdout=subprocess.DEVNULL
            )
        started = [
            subprocess.Popen(["bash", "-c", f"exec {command}"], cwd=ROOT, env=environment, stderr=subprocess.DEVNULL)
            for command in _commands()
        ]
        try:
            wait_for(BASE)
            _render_all_the_time(environment)
            taken, failed = _asked()
        finally:
            for process in started:
                process.terminate()
            for process in started:
                process.wait()
    figures = [
        Measured(f"p95 of {name}, {len(own)} answers", float(np.percentile(own, 95)), "ms", MOST_MILLISECONDS)
        for name, own in sorted(taken.items())
    ]
    figures.append(Measured("answers that failed", float(len(failed)), "", 0.0))
    return show(f"{CLIENTS} clients at once while a render runs", figures)


def _commands() -> list[str]:
    return [line.partition(":")[2].strip() for line in (ROOT / "Procfile").read_text(encoding="utf-8").splitlines()]


def _render_all_the_time(environment: dict[str, str]) -> None:
    """Queue a demo study anew, more than is rendered while the clients ask, and wait for the first to begin."""
    made = "from server.studies.models import Study; from server.runs.actions import queue_study; " \
        "from server.runs.models import Run; " \
        "s = Study.objects.get(question__startswith='How many samples are enough'); " \
        "Run.objects.filter(study=s).delete(); queue_study(s)"  # fmt: skip
    subprocess.run(
        [sys.executable, "manage.py", "shell", "--verbosity", "0", "--command", made], cwd=ROOT, env=environment,
        check=True,
    )  # fmt: skip
    end = time.monotonic() + 120.0
    while time.monotonic() < end:
        with urllib.request.urlopen(f"{BASE}/api/queue/", timeout=30) as answer:
            if b'"running"' in answer.read():
                return
        time.sleep(0.5)
    raise SystemExit("no render began")


def _addresses() -> dict[str, list[str]]:
    """What screens ask for, by the screen: of the demo's studies, and of the pairs that they show first."""
    studies = [row["id"] for row in _told("/api/overview/")["studies"]]
    shown = [(_told(f"/api/studies/{pk}/answer/")["answer"] or {}).get("shown") for pk in studies]
    pairs = [row["pair"] for row in shown if row and row["pair"]]
    return {
        "the list of studies": ["/api/overview/"],
        "what a study says": [f"/api/studies/{pk}/answer/" for pk in studies],
        "its progress": [f"/api/studies/{pk}/progress/" for pk in studies],
        "its run table": [f"/api/studies/{pk}/table/" for pk in studies],
        "a pair": [f"/api/pairs/{pk}/" for pk in pairs],
        "curves": [f"/api/studies/{pk}/curves/" for pk in studies],
        "the queue": ["/api/queue/"],
        "scenes and engines": ["/api/scenes/", "/api/engines/"],
        "the page itself": ["/"],
    }


def _told(path: str) -> Any:
    with urllib.request.urlopen(BASE + path, timeout=60) as answer:
        return json.load(answer)


def _asked() -> tuple[dict[str, list[float]], list[str]]:
    taken: dict[str, list[float]] = defaultdict(list)
    failed: list[str] = []
    addresses = _addresses()
    for paths in addresses.values():  # once, as after the first minute of a day
        for path in paths:
            with urllib.request.urlopen(BASE + path, timeout=60) as answer:
                answer.read()
    end = time.monotonic() + SECONDS

    def ask(dice: random.Random) -> None:
        time.sleep(dice.uniform(0.0, PAUSE[1]))
        while time.monotonic() < end:
            name = dice.choice(sorted(addresses))
            path = dice.choice(addresses[name])
            began = time.perf_counter()
            try:
                with urllib.request.urlopen(BASE + path, timeout=60) as answer:
                    answer.read()
                taken[name].append(1000.0 * (time.perf_counter() - began))
            except (OSError, urllib.error.HTTPError) as error:
                failed.append(f"{path}: {error}")
            time.sleep(dice.uniform(*PAUSE))

    clients = [threading.Thread(target=ask, args=(random.Random(number),)) for number in range(CLIENTS)]
    for client in clients:
        client.start()
    for client in clients:
        client.join()
    for told in failed[:5]:
        print(told)
    return taken, failed
