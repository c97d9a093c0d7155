"""A search for the least settings, with the real runner; once with a real engine, whose renders take long."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.searches.models import Search
from server.searches.searching import GOING_ON
from tests.browser.base import ROOT, BrowserTest
from tests.engines import add_bouncing
from tests.runner import Processes, until
from tests.server.base import factor


class SearchFromTheScreen(BrowserTest):
    def setUp(self):
        super().setUp()
        add_bouncing(Path(settings.ENGINES))
        self.study = self.create(
            question="How many bounces are needed?", engine="bouncing", width=96, height=54, scene="cloth-corner",
            settings={"samples": 8, "bounces": 8}, factors=[factor("extra", True)],
        )  # fmt: skip

    def begin(self, search=True):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Search for the least settings").click()
        expect(self.heading()).to_have_text("Which of these settings are higher than the picture needs?")
        for box in page.get_by_role("table", name="What is raised").get_by_role("checkbox").all():
            box.uncheck()
        page.get_by_role("checkbox", name="Maximum bounces").check()
        page.get_by_label("Levels of Maximum bounces").fill("1, 4, 8")
        page.get_by_label("Unchanged up to, stops").fill("0.15")
        page.get_by_label("% in a cell").fill("60")
        page.get_by_label("ΔE00 of colour").fill("9")
        page.get_by_label("% of detail").fill("90")
        self.assert_accessible()
        if search:
            page.get_by_role("button", name="Search", exact=True).click()

    def carry_out(self):
        self.page.get_by_role("button", name="Search", exact=True).click()
        expect(self.page.locator("[data-search=searching]")).to_be_visible()
        with Processes():
            until(lambda: not Search.objects.filter(state__in=GOING_ON).exists(), "the search")
        found = Search.objects.get()
        self.assertEqual(found.state, "done", found.words)
        return found

    def test_the_trace_is_live_and_the_result_is_confirmed_at_full_size(self):
        page = self.page
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", Path(settings.ENGINES) / "alder.toml")
        self.study = self.create(
            question="How many bounces are needed?", engine="alder", width=96, height=54, scene="cloth-corner",
            settings={"samples": 8, "bounces": 8, "indirect_clamp": 2.0}, factors=[factor("light_picking", "estimate")],
        )  # fmt: skip
        self.begin()
        expect(page.locator("[data-search=searching]")).to_contain_text("pass 1, bounces at 1 against 8")
        with Processes():
            until(lambda: not Search.objects.filter(state__in=GOING_ON).exists(), "the search")
        found = Search.objects.get()
        self.assertEqual(found.state, "done", found.words)
        self.assertIn(found.found["1"]["bounces"], (1, 4))
        trace = page.get_by_role("table", name="What was tried")
        expect(trace.locator("tr[data-outcome=enough]")).to_contain_text("less than the threshold")
        expect(self.heading()).to_contain_text("higher than this scene needs")
        self.assert_accessible()
        page.get_by_role("link", name="Look at the result beside the present settings").click()
        expect(page).to_have_url(re.compile(r"/pairs/\d+"))
        expect(self.heading()).to_contain_text("ounces 4")

    def test_it_is_stopped_goes_on_and_bad_levels_are_refused_with_what_was_typed_kept(self):
        page = self.page
        self.begin()
        page.get_by_role("button", name="Stop the search").click()
        expect(page.locator("[data-search=stopped]")).to_contain_text("stopped by hand")
        page.get_by_label("Levels of Maximum bounces").fill("8, 1")
        page.get_by_role("button", name="Search", exact=True).click()
        expect(self.alert()).to_contain_text("the levels must rise")
        expect(page.get_by_label("Levels of Maximum bounces")).to_have_value("8, 1")
        page.get_by_role("button", name="Go on").click()
        expect(page.locator("[data-search=searching]")).to_be_visible()

    def test_combinations_are_explored_within_a_budget_and_saved_as_a_recipe(self):
        page = self.page
        self.begin(search=False)
        page.get_by_label("Way").select_option("explore")
        page.get_by_role("button", name="Search", exact=True).click()
        expect(self.alert()).to_contain_text("exploring needs a budget")
        page.get_by_label("Budget, renders").fill("3")
        self.carry_out()
        rows = page.get_by_role("table", name="Ways that were tried").locator("tbody tr")
        expect(rows).to_have_count(3)
        expect(rows.first).to_contain_text("the highest of all")
        expect(page.get_by_role("figure", name="Time against change")).to_be_visible()
        page.get_by_label("Recipe", exact=True).fill("Corner, least")
        page.get_by_role("form", name="Save as a recipe").get_by_label("Name").fill("Rosa")
        page.get_by_role("button", name="Save as a recipe").click()
        expect(page.get_by_text("Saved as Corner, least, version 1")).to_be_visible()
        self.assert_accessible()

    def test_several_frames_are_joined_to_ranges_along_the_frames(self):
        page = self.page
        self.study = self.create(
            question="How many bounces at which frame?", engine="bouncing", width=96, height=54, scene="shutter-wall",
            view="street", settings={"samples": 4, "bounces": 8}, factors=[factor("extra", True)],
        )  # fmt: skip
        self.begin(search=False)
        page.get_by_label("Levels of Maximum bounces").fill("1, 8")
        page.get_by_label("Frames looked at, of 1 to 16").fill("1, 12")
        page.get_by_label("Safety of the ranges").select_option("1")
        found = self.carry_out()
        self.assertEqual({frame: row["bounces"] for frame, row in found.found.items()}, {"1": 8, "12": 1})
        strip = page.get_by_role("figure", name="Settings along the frames")
        expect(strip).to_contain_text("frame 16")
        expect(strip).to_contain_text("bounces")
        self.assert_accessible()
