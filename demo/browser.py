"""Debian's Chromium without a window, for tests, benchmarks and screenshots."""

from __future__ import annotations

import shutil

from playwright.sync_api import Browser, Playwright

# the one without windows takes a third of the other's processor time
PROGRAMS = ("chromium-headless-shell", "chromium")
FLAGS = [
    "--no-sandbox", "--disable-background-networking", "--disable-quic", "--disable-component-update",
    "--disable-sync", "--no-first-run",
]  # fmt: skip


def launched(playwright: Playwright) -> Browser:
    """A browser that ends with `playwright`, or when closed. Raises `FileNotFoundError` where there is none."""
    program = next(filter(None, map(shutil.which, PROGRAMS)), None)
    if program is None:
        raise FileNotFoundError("there is no chromium: run make chromium")
    return playwright.chromium.launch(executable_path=program, args=FLAGS)
