"""The list of studies: first steps, what asks for somebody, search; a study's options drawn to one scale."""

from __future__ import annotations

import re
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.measuring.measuring import measure_outstanding
from server.runs.models import Queue
from server.store.files import DEMO, path_of
from server.studies.models import Option
from tests.browser.base import BrowserTest
from tests.server.base import factor, finish_all

LADDER = [factor("samples", 8, 16)]


class StudiesAtAGlance(BrowserTest):
    engines = ("good",)

    def study(self, question, noise=None, **changes):
        study = self.create(question=question, asked="feature", **changes)
        finish_all(study, noise=noise or {"control": 0.2, "trial": 0.1})
        measure_outstanding(Option.objects.filter(study=study))
        return study

    def questions(self):
        return self.page.locator("[data-study] h2")

    def test_an_empty_installation_leads_to_a_question(self):
        self.open("/")
        steps = self.page.get_by_role("list", name="First steps")
        expect(steps).to_contain_text("can be called on this machine")
        expect(steps).to_contain_text("Marble stall")
        self.assert_accessible()
        steps.get_by_role("link", name="Ask it").click()
        self.page.wait_for_url("**/studies/new")

    def test_it_is_searched_filtered_and_put_in_order_and_the_address_says_so(self):
        for question in ("Do samples pay?", "Is the awning calm?"):
            self.study(question)
        self.create(question="Never run?")
        self.open("/")
        expect(self.questions()).to_have_text(["Never run?", "Is the awning calm?", "Do samples pay?"])
        find = self.page.get_by_role("searchbox", name="Find a study")
        find.fill("AWNING calm")
        expect(self.questions()).to_have_text(["Is the awning calm?"])
        expect(self.page.get_by_role("status").filter(has_text="1 of 3 studies")).to_be_visible()
        self.page.reload()
        expect(self.questions()).to_have_text(["Is the awning calm?"])
        find.fill("nothing like it")
        expect(self.page.get_by_text("No study fits.")).to_be_visible()
        self.page.get_by_role("button", name="Show all").click()
        expect(self.questions()).to_have_count(3)
        self.page.get_by_label("Where it stands").select_option("planned")
        expect(self.questions()).to_have_text(["Never run?"])
        self.page.get_by_role("button", name="Show all").click()
        self.page.get_by_label("Order").select_option("name")
        expect(self.questions()).to_have_text(["Do samples pay?", "Is the awning calm?", "Never run?"])
        self.page.get_by_label("by scene").check()
        self.page.reload()
        expect(self.page.get_by_role("region", name="Marble stall")).to_contain_text("Marble stall, 3 studies")
        self.assert_accessible()

    def test_what_is_news_is_said_until_it_was_looked_at(self):
        self.create(question="Something to come")
        self.open("/")
        expect(self.questions()).to_have_count(1)
        study = self.study("Done meanwhile?")
        self.open("/")
        now = self.page.get_by_role("region", name="Now")
        expect(now).to_contain_text("done since you looked")
        now.get_by_role("link", name="Read the answer").click()
        expect(self.page.get_by_role("region", name="Answer")).to_be_visible()
        self.open("/")
        expect(self.questions()).to_have_count(2)
        expect(now).to_have_count(0)
        self.assertIsNotNone(study)

    def test_each_shows_the_pictures_that_prove_its_answer(self):
        study = self.study("Do samples pay?")
        self.open("/")
        shown = self.page.locator("[data-study] img")
        expect(shown).to_have_attribute("src", re.compile(rf"/api/studies/{study.pk}/proof\.png"))
        drawn = "image => [image.naturalWidth, image.naturalHeight]"
        self.becomes(lambda: self.assertEqual(shown.evaluate(drawn), [534, 198]))
        for run in study.runs.exclude(picture=""):
            path_of(run.picture, ".exr").unlink()
        self.assertEqual(self.client.get(f"/api/studies/{study.pk}/proof.png").status_code, 404)

    def test_one_key_leads_anywhere_and_back_to_the_last_study(self):
        study = self.study("Do samples pay?")
        self.open(f"/studies/{study.pk}")
        expect(self.page.get_by_role("region", name="Answer")).to_be_visible()
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type("marble scene")
        entry = self.page.get_by_role("option", name="Marble stall")
        expect(entry).to_have_attribute("aria-selected", "true")
        self.assert_accessible()
        self.page.keyboard.press("Enter")
        self.page.wait_for_url("**/scenes/marble-stall")
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type("no such thing")
        expect(self.page.get_by_text("Nothing is called so.")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("banner").get_by_role("link", name="Do samples pay?").click()
        self.page.wait_for_url(f"**/studies/{study.pk}")
        self.page.keyboard.press("Control+k")
        self.page.get_by_role("option", name="Pause the queue").click()
        expect(self.page.get_by_role("dialog")).to_have_count(0)
        self.assertIsNotNone(Queue.now().paused_at)

    def test_with_demo_data_a_way_through_it_is_shown_until_it_is_closed_for_ever(self):
        study = self.study("Is it worth it?")
        self.open("/")
        way = self.page.get_by_role("region", name="A way through the demo data")
        expect(self.heading()).to_be_visible()
        expect(way).to_have_count(0)
        demo = Path(settings.HOME) / DEMO
        demo.touch()
        self.addCleanup(demo.unlink)
        self.page.reload()
        expect(way).to_be_visible()
        self.assert_accessible()
        way.get_by_role("link", name=re.compile("An answer and its proof")).click()
        self.page.wait_for_url(f"**/studies/{study.pk}")
        self.open("/")
        expect(way.get_by_role("listitem").first).to_contain_text("seen")
        way.get_by_role("button", name="Close for ever").click()
        expect(way).to_have_count(0)
        self.page.reload()
        expect(self.page.locator(f"[data-study='{study.pk}']")).to_be_visible()
        expect(way).to_have_count(0)


class OptionsToOneScale(BrowserTest):
    engines = ("good",)

    def test_they_are_sorted_and_say_which_is_least_for_sure(self):
        study = self.create(kind="ladder", factors=LADDER, asked="samples")
        finish_all(study, noise={"control": 0.4, "trial": 0.1})
        measure_outstanding(Option.objects.filter(study=study))
        self.open(f"/studies/{study.pk}")
        table = self.page.get_by_role("table", name="Options")
        rows = table.locator("tbody tr")
        expect(rows).to_have_count(3)
        expect(rows.first).to_contain_text("2 seeds")
        noise = table.get_by_role("button", name="Noise", exact=True)
        noise.click()
        first = [each.get_attribute("data-option") for each in rows.all()]
        noise.click()
        expect(table.get_by_role("columnheader", name="Noise", exact=True)).to_have_attribute("aria-sort", "descending")
        expect(rows.first).to_have_attribute("data-option", str(Option.objects.get(study=study, side="control").pk))
        self.assertEqual(first[-1], rows.first.get_attribute("data-option"))
        expect(table.get_by_text("as little").first).to_be_attached()
        self.assert_accessible()
        rows.first.hover()
        expect(rows.first.locator("img")).to_be_visible()
        rows.last.get_by_role("link", name=re.compile("^Look at")).click()
        self.page.wait_for_url("**/pairs/*")
