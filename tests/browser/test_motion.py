"""Control and trial played in step, and what is said of their frames."""

from __future__ import annotations

import re
import shutil

import numpy as np
from django.conf import settings
from playwright.sync_api import expect

from server.motion.measuring import measure_sequences
from server.runs.actions import claim, queue_study
from server.runs.recording import record_result
from tests.browser.base import ROOT, BrowserTest
from tests.pictures import write
from tests.runner import until
from tests.server.base import SIZE, factor, result_of

FRAMES = 8


class InStep(BrowserTest):
    """Frames of one grey each, brighter from frame to frame; the trial is twice as bright as the control."""

    def prepare(self):
        super().prepare()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder / "alder.toml")
        self.study = self.create(
            kind="table", scene="mist-lane", view="lane", engine="alder", settings={"samples": 16},
            factors=[factor("frame", *range(2, FRAMES + 1)), factor("light_picking", "estimate")],
        )  # fmt: skip
        queue_study(self.study)
        for run in self.study.runs.filter(state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            level = self.level(run.option.setup.frame, run.option.settings["light_picking"] == "estimate")
            path = settings.HOME / f"frame-{run.pk}.exr"
            dice = np.random.default_rng(run.pk)
            light = level * (1 + 0.002 * dice.standard_normal((SIZE[1], SIZE[0], 3)))
            picture = write(path, light.astype(np.float32), "float").read_bytes()
            path.unlink()
            record_result(run.pk, result_of(run, picture=picture))
        measure_sequences([self.study.pk])

    @staticmethod
    def level(frame: int, extra: bool) -> float:
        return 0.02 * frame * (2 if extra else 1)

    def shade(self, left: bool) -> float:
        """The value of a pixel on one side of the canvas."""
        return self.page.evaluate(
            """(left) => {
                const canvas = document.querySelector("canvas");
                const x = Math.round(canvas.width * (left ? 0.2 : 0.8));
                return canvas.getContext("2d").getImageData(x, canvas.height / 2, 1, 1).data[1];
            }""",
            left,
        )

    def expected(self, frame: int, extra: bool) -> float:
        light = self.level(frame, extra)
        return 255 * (12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055)

    def at(self, frame: int) -> None:
        expect(self.page.locator("canvas[data-shown]")).to_have_attribute("data-shown", str(frame))
        for left in (True, False):
            self.shows(left, self.expected(frame, not left), 2)

    def test_both_sides_step_and_play_together(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        page.get_by_role("link", name="Motion").click()
        expect(page.get_by_role("table", name="Sequences")).to_contain_text("light picking estimate")
        expect(page.get_by_text("loaded")).to_have_count(0)
        self.assert_accessible()
        self.at(1)
        page.locator("body").click(position={"x": 5, "y": 300})
        page.keyboard.press("ArrowRight")
        self.at(2)
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("ArrowLeft")
        self.at(FRAMES)
        page.get_by_role("checkbox", name="Loop").uncheck()
        page.get_by_role("button", name="Next frame").click()
        self.at(1)
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.locator("canvas")).to_have_attribute("data-shown", str(FRAMES))
        expect(page.get_by_role("button", name="Play", exact=True)).to_be_visible()
        self.at(FRAMES)

    def test_it_is_said_that_the_trial_does_not_lag(self):
        self.open(f"/studies/{self.study.pk}/motion")
        row = self.page.locator("[data-sequence='light picking estimate']")
        expect(row).to_contain_text("no lag behind the control")
        expect(row).not_to_contain_text("nine tenths")

    def shows(self, left, expected, within):
        """Once it is drawn, which a busy machine may take its time for."""
        until(lambda: abs(self.shade(left) - expected) <= within, f"a shade of {expected:.0f}")

    def test_the_line_moves_and_a_click_on_the_plot_leads_to_its_frame(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/motion")
        expect(page.get_by_text("loaded")).to_have_count(0)
        page.get_by_role("slider", name="Line").fill("0.9")
        self.shows(False, self.expected(1, extra=False), 2)
        plot = page.locator("[data-part=frame-chart]").first
        box = plot.bounding_box()
        plot.click(position={"x": box["width"] * 0.975, "y": box["height"] / 2})
        expect(page.locator("[data-part=frame]")).to_have_text(re.compile(f"frame {FRAMES}"))

    def test_the_difference_plays_too_and_is_made_larger(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/motion")
        expect(page.get_by_text("loaded")).to_have_count(0)
        page.get_by_label("Shows").select_option("difference")
        for times in (1, 2):
            page.get_by_label("Times").select_option(str(times))
            apart = self.expected(1, extra=True) - self.expected(1, extra=False)
            for left in (True, False):
                self.shows(left, times * apart, 3)
        page.locator("body").click(position={"x": 5, "y": 300})
        page.keyboard.press("ArrowRight")
        apart = self.expected(2, extra=True) - self.expected(2, extra=False)
        self.shows(True, 2 * apart, 3)
        self.assert_accessible()
        page.reload()
        expect(page.get_by_label("Shows")).to_have_value("difference")

    def test_bad_frames_are_named_and_rendered_again_by_one_button(self):
        lost = self.study.runs.filter(option__setup__frame=3, option__settings__light_picking="estimate")
        lost.update(state="failed", reason="out of memory", picture="")
        page = self.page
        self.open(f"/studies/{self.study.pk}/motion")
        expect(self.alert()).to_contain_text("light picking estimate, frame 3: out of memory")
        expect(page.get_by_role("table", name="Sequences")).to_contain_text("bad: 3")
        page.get_by_role("button", name="Render only these again").click()
        expect(self.alert()).to_have_count(0)
        self.assertEqual(self.study.runs.filter(state="queued").count(), 2)
