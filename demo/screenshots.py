"""Takes docs/screenshots anew: a server with the demo data, in a home of its own, seen by headless Chromium."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from urllib.request import urlopen

from playwright.sync_api import Page, sync_playwright

from demo.browser import launched

ROOT = Path(__file__).parents[1]
SHOTS = ROOT / "docs" / "screenshots"

# every picture within the window has come
SEEN = """() => [...document.images].every(
    (image) => image.complete || !image.checkVisibility() || image.getBoundingClientRect().top > innerHeight)"""


def main() -> None:
    """Start, look, end."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as home, socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        # the machine that made the demo data, so that its runs tell what a plan will cost
        environment = {
            **os.environ, "MATCHEDPAIR_HOME": home, "MATCHEDPAIR_MACHINE": "lane-bench", "LOGNAME": "Rosa",
            "DJANGO_SETTINGS_MODULE": "server.config.settings",
        }  # fmt: skip
        manage = [sys.executable, "manage.py"]
        for words in (["migrate", "--verbosity", "0"], ["load_data", "demo/data"]):
            subprocess.run([*manage, *words], cwd=ROOT, env=environment, check=True, stdout=subprocess.DEVNULL)
        serve = [
            "gunicorn",
            "server.config.wsgi",
            "--bind",
            f"127.0.0.1:{port}",
            "--threads",
            "32",
            "--no-control-socket",
        ]
        started = [
            subprocess.Popen(words, cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
            for words in (serve, [*manage, "runner"], [*manage, "measurer"])
        ]
        try:
            base = f"http://127.0.0.1:{port}"
            wait_for(base)
            with sync_playwright() as playwright:
                browser = launched(playwright)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                take_studies(page, base)
                take_judging(page, base)
                take_deciding(page, base)
                take_motion(page, base)
                take_kit(page, base)
                take_queue(page, base)
                browser.close()
        finally:
            for process in started:
                process.terminate()
                process.wait()


def take(page: Page, name: str) -> None:
    """One picture, with the pointer out of the way."""
    page.mouse.move(2, 2)
    page.wait_for_function(SEEN, timeout=60_000)
    page.wait_for_timeout(500)
    page.screenshot(path=SHOTS / f"{name}.png")
    print(f"docs/screenshots/{name}.png")


def take_studies(page: Page, base: str) -> None:
    """Studies, one study, its pair."""
    page.goto(base)
    page.get_by_text(re.compile("Runner ready|Now ")).wait_for(timeout=20_000)
    page.wait_for_selector("[data-study] img")
    take(page, "studies")
    page.get_by_role("link", name="Which engine for the stall and the corner").click()
    page.wait_for_selector("tr[data-run] img")
    take(page, "study")
    page.get_by_role("link", name="Measures").click()
    page.wait_for_selector("[data-part=measures]")
    take(page, "measures")
    page.goto(base)
    page.get_by_role("link", name="Is picking lights by estimate").click()
    page.locator("[data-part=proof]").wait_for()
    page.get_by_role("link", name="Look at the pair").click()
    settled(page)
    for _ in range(2):
        page.keyboard.press("]")
    page.keyboard.press("h")
    take(page, "pair-divided")


def take_deciding(page: Page, base: str) -> None:
    """Curves, the decision and the report of the study that has them all."""
    page.goto(base)
    page.get_by_role("link", name="What should the night shots").click()
    page.wait_for_url("**/studies/*")
    page.get_by_role("link", name="Curves").click()
    page.wait_for_selector("[data-part=chart]")
    take(page, "curves")
    page.go_back()
    page.get_by_role("link", name="Decide").click()
    page.wait_for_selector("[data-part=chart]")
    take(page, "decide")
    page.get_by_role("link", name="Report").click()
    page.wait_for_selector("h2")
    take(page, "report")


def take_motion(page: Page, base: str) -> None:
    """A sequence in step, a search in both ways, and a texture plan."""
    page.goto(base)
    page.get_by_role("link", name="Which engine stays calm").click()
    page.get_by_role("link", name="Motion").click()
    page.wait_for_selector("canvas[data-shown]")
    page.wait_for_function("() => !document.body.innerText.includes(' loaded')", timeout=60_000)
    for _ in range(9):
        page.get_by_role("button", name="Next frame").click()
    take(page, "motion")
    page.goto(base)
    page.get_by_role("link", name="How little will do").click()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Search for the least settings").click()
    page.locator("[data-part=proof]").wait_for()
    take(page, "search")
    page.goto(f"{base}/textures")
    page.get_by_role("table").first.wait_for()
    take(page, "textures")


def take_judging(page: Page, base: str) -> None:
    """Blind rounds of the pair that is open, a contact sheet, and several pictures together."""
    page.get_by_text("Start a blind test").click()
    page.get_by_role("checkbox", name="Deep shelf").check()
    page.get_by_role("checkbox", name="the whole picture").uncheck()
    page.locator("[data-part=blind]").get_by_label("Name").fill("Rosa")
    page.get_by_role("button", name="Begin").click()
    page.wait_for_url("**/blind/*")
    settled(page)
    take(page, "blind")
    page.goto(base)
    page.get_by_role("link", name="Do clamp and light picking help").click()
    page.get_by_role("link", name="Contact sheet").click()
    page.wait_for_selector("[data-cell] img")
    take(page, "contact-sheet")
    page.locator('[data-cell="0 0"]').click()
    page.locator('[data-cell="1 0"]').click()
    settled(page)
    page.get_by_role("button", name="Put more beside").click()
    boxes = page.get_by_label("Pictures beside the pair").get_by_role("checkbox")
    for number in range(boxes.count()):
        boxes.nth(number).click()
        page.wait_for_timeout(200)
    page.keyboard.press("Escape")
    page.keyboard.press("g")
    settled(page)
    take(page, "pair-together")


def settled(page: Page) -> None:
    """Until the pictures are there at full sharpness."""
    page.wait_for_selector("canvas[data-sharp=true]", timeout=60_000)


def take_queue(page: Page, base: str) -> None:
    """The queue with a ladder growing cleaner; left running, it ends with the runner."""
    page.goto(f"{base}/studies/plan?ask=samples&scene=mist-lane&view=lane")
    page.get_by_role("button", name="Create and run").click()
    page.get_by_role("region", name="Under way").wait_for()
    page.goto(f"{base}/queue")
    page.get_by_alt_text("The render so far").wait_for(timeout=120_000)
    take(page, "queue")


def take_kit(page: Page, base: str) -> None:
    """A new study, scenes, engines, and renders from elsewhere."""
    page.goto(f"{base}/studies/plan?ask=bounces&scene=glass-cabinet&view=cabinet")
    page.get_by_role("table", name="Plan").wait_for()
    take(page, "new-study")
    page.goto(f"{base}/scenes")
    page.wait_for_selector("[data-scene] img")
    take(page, "scenes")
    page.goto(f"{base}/scenes/marble-stall")
    page.locator('[data-zone="Deep shelf"]').press("Enter")
    take(page, "zones")
    page.goto(f"{base}/scenes/cloth-corner")
    page.goto(f"{base}/engines")
    page.wait_for_selector("[data-setting]")
    take(page, "engines")
    page.goto(f"{base}/imports/1")
    page.wait_for_selector("[data-render] img")
    take(page, "import")


def wait_for(base: str) -> None:
    """Until the server answers."""
    for _ in range(200):
        try:
            with urlopen(f"{base}/api/session/") as answer:
                if answer.status == 200:
                    return
        except OSError:
            time.sleep(0.1)
    sys.exit("the server did not start")


if __name__ == "__main__":
    main()
