"""The application served on loopback and a page of headless Chromium, for as long as a benchmark needs them."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from demo.browser import launched
from demo.screenshots import wait_for

ROOT = Path(__file__).parents[1]


@contextmanager
def served() -> Iterator[tuple[Page, str]]:
    """The page, and the address of the application; both end with the block."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "server.config.wsgi", "--bind", f"127.0.0.1:{port}", "--workers", "1",
         "--threads", "32", "--no-control-socket", "--log-level", "warning"],
        cwd=ROOT, env=dict(os.environ),
    )  # fmt: skip
    base = f"http://127.0.0.1:{port}"
    try:
        wait_for(base)
        with sync_playwright() as playwright:
            browser = launched(playwright)
            yield browser.new_context(viewport={"width": 1280, "height": 800}).new_page(), base
            browser.close()
    finally:
        server.terminate()
        server.wait()
