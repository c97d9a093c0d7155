"""The whole story in a real browser with the real engine: question, renders, a look, a verdict, an export."""

import io
import json
import re
import shutil
import zipfile
from pathlib import Path

import numpy as np
from django.conf import settings
from matchedpair.pictures import read_picture
from playwright.sync_api import expect

from server.runs.models import Run
from server.store.files import path_of
from server.store.pixels import srgb
from tests.browser.base import ROOT, BrowserTest
from tests.runner import Processes

QUESTION = "Is picking lights by estimate worth its time?"


class Story(BrowserTest):
    def setUp(self):
        super().setUp()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", Path(settings.ENGINES) / "alder.toml")

    def fill_form(self):
        page = self.page
        page.get_by_role("link", name="New study").first.click()
        expect(self.heading()).to_have_text("What do you want to know?")
        self.assert_accessible()
        page.get_by_role("link", name="A question of your own").click()
        expect(self.heading()).to_have_text("Set the control, then change one thing for the trial.")
        page.get_by_role("combobox", name=re.compile("^Engine")).select_option("alder")
        page.get_by_label("Size").select_option("Own size")
        page.get_by_label("Width", exact=True).fill("96")
        page.get_by_label("Height", exact=True).fill("54")
        page.get_by_label("Samples per pixel, control").fill("6")
        page.get_by_role("button", name="Change this for the trial: Light picking").click()
        page.get_by_label("Light picking, trial").select_option("estimate")
        expect(self.heading()).to_have_text("Say in words what you want to know.")
        page.get_by_label("Question").fill(QUESTION)
        expect(self.heading()).to_have_text("Ready: control and trial differ in one thing.")

    def test_from_the_question_to_the_exported_pair(self):
        page = self.page
        self.open("/")
        expect(self.heading()).to_have_text("No study yet: ask a question and change one thing.")
        self.assert_accessible()
        self.fill_form()
        sheet = page.get_by_role("complementary", name="Plan and match sheet")
        expect(sheet).to_contain_text("Matched but for light picking. Not known yet: machine and load.")
        expect(sheet.locator('[data-condition="settings"]')).to_contain_text("light picking estimate")
        expect(sheet).to_contain_text("4 renders, 2 seeds each, and 1 warm-up first.")
        self.assert_accessible()

        with Processes():
            page.get_by_role("button", name="Create and run").click()
            expect(page.get_by_role("status").first).to_contain_text("of 5 done")
            expect(page.locator('tr[data-state-of="running"]')).to_have_count(1)
            self.assert_accessible()
            expect(page.locator('tr[data-state-of="finished"]')).to_have_count(5, timeout=300_000)
            # the figures of the last renders come a moment after the renders themselves
            told = re.compile("render time|rendering", re.IGNORECASE)
            expect(page.get_by_role("region", name="Answer")).to_contain_text(told)
        row = page.locator("tr[data-run]").nth(1)
        expect(row).to_contain_text("the control")
        self.assertRegex(row.inner_text(), r"(?s)Finished\s+\d.*\d.*MB")
        self.assert_accessible()

        page.get_by_role("button", name="Log of control, seed 1").click()
        expect(page.get_by_role("dialog")).to_contain_text("pass 6 of 6")
        expect(page.get_by_role("dialog")).to_contain_text("--light-picking power")
        self.assert_accessible()
        page.keyboard.press("Escape")

        page.get_by_role("link", name="Look at the pair").click()
        page.wait_for_selector("canvas[data-drawn]")
        self.assert_accessible()
        self.look()
        self.judge()
        self.export()

        page.reload()
        expect(page.locator("[data-verdict]")).to_contain_text("Cleaner on the posts.")
        page.get_by_role("link", name="Back to the study").click()
        expect(page.locator("[data-verdict]")).to_contain_text("Rosa")
        page.get_by_role("link", name="Studies").click()
        expect(page.locator("[data-study]")).to_contain_text("Verdict: Trial")
        self.assert_accessible()

    def picture(self, side):
        run = Run.objects.get(option__side=side, seed=1, warm_up=False)
        return read_picture(path_of(run.picture, ".exr")).pixels

    def shown_at(self, x, y):
        self.drawn_anew()
        return self.screen()[int(y), int(x)].astype(int)

    def expected(self, side, exposure=0.0):
        """Display values of the pixel in the middle of the picture."""
        return np.round(srgb(self.picture(side)[27, 48] * 2.0**exposure) * 255).astype(int)

    def look(self):
        page = self.page
        box = page.get_by_label("Pictures", exact=True).bounding_box()
        # at eight times, the middle of the window is the corner of the picture's middle pixel
        x, y = box["x"] + box["width"] / 2 + 4, box["y"] + box["height"] / 2 + 4
        page.keyboard.press("8")
        for key, side in (("c", "control"), ("t", "trial"), ("x", "control"), ("x", "trial")):
            page.keyboard.press(key)
            np.testing.assert_allclose(self.shown_at(x, y), self.expected(side), atol=1, err_msg=f"{key} {side}")
        page.keyboard.press("e")
        page.keyboard.press("e")
        np.testing.assert_allclose(self.shown_at(x, y), self.expected("trial", exposure=1.0), atol=1)
        page.keyboard.press("r")
        page.keyboard.press("d")
        page.keyboard.press(",")
        np.testing.assert_allclose(self.shown_at(x, y), self.expected("trial"), atol=1)
        page.keyboard.press(".")
        page.keyboard.press(".")
        np.testing.assert_allclose(self.shown_at(x, y), self.expected("control"), atol=1)

    def judge(self):
        page = self.page
        page.get_by_role("group", name="Which to use").get_by_label("Trial").check()
        expect(page.get_by_role("button", name="Save verdict")).to_be_disabled()
        page.get_by_label("Reasons").fill("Cleaner on the posts.")
        page.locator("form").filter(has_text="Which to use").get_by_label("Name").fill("Rosa")
        page.get_by_role("button", name="Save verdict").click()
        expect(page.locator("[data-verdict]")).to_contain_text("Cleaner on the posts.")
        page.get_by_role("button", name="Withdraw").click()
        expect(page.locator("[data-verdict]")).to_have_count(0)
        page.get_by_role("button", name="Put it back").click()
        expect(page.locator("[data-verdict]")).to_have_count(1)

    def export(self):
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="Everything with the EXR pictures").click()
        with zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes())) as bundle:
            document = json.loads(bundle.read("study.json"))
            self.assertEqual(sum(name.endswith(".exr") for name in bundle.namelist()), 5)
        self.assertEqual(document["study"]["question"], QUESTION)
        self.assertEqual(document["pairs"][0]["verdicts"][0]["author"], "Rosa")
        for kind in ("JSON", "CSV"):
            with self.page.expect_download() as download:
                self.page.get_by_role("link", name=f"({kind})").click()
            self.assertTrue(download.value.suggested_filename.endswith(kind.lower()))
