"""The application served on loopback and a page of headless Chromium, for as long as a benchmark needs them."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.error import URLError
from urllib.request import urlopen

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parents[1]
FLAGS = [
    "--no-sandbox", "--disable-background-networking", "--disable-quic", "--disable-component-update",
    "--disable-sync", "--no-first-run",
]  # fmt: skip
START_SECONDS = 30.0


@contextmanager
def served() -> Iterator[tuple[Page, str]]:
    """The page, and the address of the application; both end with the block."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "server.config.wsgi", "--bind", f"127.0.0.1:{port}", "--workers", "1",
         "--threads", "8", "--no-control-socket", "--log-level", "warning"],
        cwd=ROOT, env=dict(os.environ),
    )  # fmt: skip
    base = f"http://127.0.0.1:{port}"
    try:
        _wait_for(base)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            yield browser.new_context(viewport={"width": 1280, "height": 800}).new_page(), base
            browser.close()
    finally:
        server.terminate()
        server.wait()


def _wait_for(base: str) -> None:
    end = time.monotonic() + START_SECONDS
    while time.monotonic() < end:
        try:
            with urlopen(f"{base}/api/session/", timeout=2):
                return
        except (URLError, OSError):
            time.sleep(0.1)
    raise SystemExit("the application did not start")
