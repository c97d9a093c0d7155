"""A search for the least settings, with the real engine and the real runner."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.searches.models import Search
from server.searches.searching import GOING_ON
from tests.browser.base import ROOT, BrowserTest
from tests.runner import RunnerProcess, until
from tests.server.base import factor


class SearchFromTheScreen(BrowserTest):
    def setUp(self):
        super().setUp()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", Path(settings.ENGINES) / "alder.toml")
        self.study = self.create(
            question="How many bounces are needed?", engine="alder", width=96, height=54, scene="cloth-corner",
            settings={"samples": 8, "bounces": 8, "indirect_clamp": 2.0}, factors=[factor("light_picking", "estimate")],
        )  # fmt: skip

    def begin(self):
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
        self.assert_accessible()
        page.get_by_role("button", name="Search", exact=True).click()

    def test_the_trace_is_live_and_the_result_is_confirmed_at_full_size(self):
        page = self.page
        self.begin()
        expect(page.locator("[data-search=searching]")).to_contain_text("pass 1, bounces at 1 against 8")
        with RunnerProcess():
            until(lambda: not Search.objects.filter(state__in=GOING_ON).exists(), "the search", seconds=150)
        found = Search.objects.get()
        self.assertEqual(found.state, "done", found.words)
        self.assertIn(found.found["bounces"], (1, 4))
        trace = page.get_by_role("table", name="What was tried")
        expect(trace.locator("tr[data-outcome=enough]")).to_contain_text("less than the threshold")
        expect(self.heading()).to_contain_text("1 setting can be lower.")
        self.assert_accessible()
        page.get_by_role("link", name="Look at the result beside the present settings").click()
        expect(page).to_have_url(re.compile(r"/pairs/\d+"))
        expect(self.heading()).to_contain_text("bounces")

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
