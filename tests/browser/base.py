"""A real browser on a real server."""

from __future__ import annotations

import atexit
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from django.conf import settings
from django.db import connection
from playwright.sync_api import Browser, Page, expect, sync_playwright

from demo.browser import launched
from server.runs.models import OPEN_STATES, Run
from server.store.notices import ring_after_commit
from tests.database import ServedTest
from tests.runner import until
from tests.server.base import Prepared

ROOT = Path(__file__).parents[2]
WAIT_MS = 120_000  # so long only where something is wrong, or the machine has much else to do
AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"

FRAMES = """() => new Promise((done) =>
    requestAnimationFrame(() => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done)))))"""
NO_PILOTS = """const named = 'matchedpair.pilots by themselves';
if (localStorage.getItem(named) === null) localStorage.setItem(named, 'false');"""


@cache
def _browser() -> Browser:
    """One for all tests of this process; what a test leaves behind goes with its context."""
    playwright = sync_playwright().start()
    browser = launched(playwright)

    def end() -> None:
        browser.close()
        playwright.stop()

    atexit.register(end)
    return browser


def _told(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
    result = execute(sql, params, many, context)
    if sql.startswith(("INSERT", "UPDATE", "DELETE")):
        ring_after_commit()
    return result


class BrowserTest(Prepared, ServedTest):
    """Each test has a page of its own with nothing remembered; an error in the page's console fails it."""

    pilots = False  # a plan's tiny renders begin by themselves only where a test is about them

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.browser = _browser()
        expect.set_options(timeout=WAIT_MS)
        if cls.prepare is not Prepared.prepare:
            cls.prepare_once()
            cls.keep_beginning()

    def setUp(self) -> None:
        super().setUp()
        # what a test writes by itself is told to the screen, as the processes tell what they write
        self.enterContext(connection.execute_wrapper(_told))
        context = self.browser.new_context(viewport={"width": 1280, "height": 800})
        context.set_default_timeout(WAIT_MS)
        if not self.pilots:
            context.add_init_script(NO_PILOTS)
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.errors: list[str] = []
        self.page.on("pageerror", lambda error: self.errors.append(str(error)))
        self.addCleanup(lambda: self.assertEqual(self.errors, []))

    def open(self, path: str) -> None:
        self.page.goto(self.live_server_url + path)

    def unfold(self, title: str) -> None:
        """Open what is folded under a title, by key: a click goes amiss where what loads above moves it meanwhile."""
        self.page.locator("summary", has_text=title).press("Enter")

    def heading(self) -> Any:
        return self.page.get_by_role("heading", level=1)

    def alert(self) -> Any:
        """What the screen itself says went wrong; the bar above may say that no runner is at work."""
        return self.page.get_by_role("main").get_by_role("alert")

    def drawn_anew(self) -> None:
        """Wait until what was done before can be seen: what it changes is drawn within two frames."""
        self.page.evaluate(FRAMES)

    def assert_accessible(self) -> None:
        """axe-core finds nothing on the page as it stands."""
        self.drawn_anew()
        if not self.page.evaluate("Boolean(window.axe)"):
            self.page.evaluate(AXE.read_text(encoding="utf-8"))
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations'], preload: false})")
        told = [f"{v['id']}: {v['help']}: {[n['html'][:160] for n in v['nodes']][:4]}" for v in found["violations"]]
        self.assertEqual(told, [], self.page.url)

    def screen(self) -> np.ndarray:
        """What is on the screen, 8-bit values, shape (H, W, 3)."""
        path = Path(settings.HOME) / "screen.png"
        self.page.screenshot(path=path)
        return np.asarray(oiio.ImageBuf(str(path)).get_pixels(oiio.UINT8))[..., :3]

    def becomes(self, check: Callable[..., Any], *arguments: Any) -> None:
        """Wait until what `check` asserts holds on the screen; where it never does, its last failure is raised."""
        end = time.monotonic() + WAIT_MS / 1000
        while True:
            try:
                check(*arguments)
                return
            except AssertionError:
                if time.monotonic() > end:
                    raise
            self.page.wait_for_timeout(100)

    def all_ended(self) -> None:
        until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists(), "all renders")
