"""From a finished ladder to a matched pair, a recipe and a report, with the real engine; and each screen by itself."""

from __future__ import annotations

import re
import shutil
import tomllib
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.decisions.models import RecipeVersion, StudyUse
from server.runs.models import Run
from server.searches.models import Matching
from server.studies.models import Pair, Study
from tests.browser.base import ROOT, BrowserTest
from tests.runner import Processes, until
from tests.server.base import factor
from tests.server.lawful import Lawful


class FromLadderToReport(BrowserTest):
    def setUp(self):
        super().setUp()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", Path(settings.ENGINES) / "alder.toml")
        self.study = self.create(
            question="What should the shelf be rendered with?", engine="alder", width=64, height=36, kind="table",
            scene="cloth-corner", settings={"samples": 16},
            factors=[factor("light_picking", "estimate"), factor("samples", 4)],
        )  # fmt: skip

    def test_the_whole_way(self):
        page = self.page
        with Processes():
            self.open(f"/studies/{self.study.pk}")
            page.get_by_role("button", name=re.compile("^Run .* renders")).click()
            counted = Run.objects.filter(study=self.study, state="finished", warm_up=False)
            until(lambda: counted.count() == 8, "the ladder")
            page.get_by_role("link", name="Curves").click()
            expect(page.get_by_role("figure")).to_be_visible()
            expect(page.locator("[data-point]")).to_have_count(4)
            self.assert_accessible()
            self.match()
            self.look_at_the_pair()
        self.decide()
        self.report()

    def match(self):
        """The search is begun by a button, shows its steps, and ends with a pair or with the nearest."""
        page = self.page
        expect(page.get_by_role("table", name="The same noise, the same time")).to_contain_text(
            "light picking estimate"
        )
        page.get_by_role("button", name="Match on noise: light picking estimate").click()
        row = page.locator("[data-matching]")
        expect(row).to_contain_text("there before")
        until(lambda: not Matching.objects.filter(state="searching").exists(), "the search")
        found = Matching.objects.get()
        self.assertIn(found.state, ("sure", "closest"), found.words)
        beyond = [each for each in found.tried if each["refining"]]
        self.assertLessEqual(2 * len(beyond), 5)
        expect(row.get_by_role("link", name="Look at the matched pair")).to_be_visible()

    def look_at_the_pair(self):
        page = self.page
        page.get_by_role("link", name="Look at the matched pair").click()
        pair = Pair.objects.get(matched_on="noise")
        until(pair.comparisons.exists, "the comparison of the new pair")
        expect(self.heading()).to_contain_text(re.compile(r"atched .*Light picking estimate"))
        expect(self.heading()).to_contain_text(re.compile("render time|faster"))
        page.get_by_role("link", name="Back to the study").click()
        expect(page.get_by_role("table", name="Pairs")).to_contain_text(re.compile("atched (on noise|in the figure)"))

    def decide(self):
        page = self.page
        page.get_by_role("link", name="Decide").click()
        page.get_by_role("button", name=re.compile("^Animation")).click()
        for name in (
            "Noise, worst zone, at most, %",
            "Fireflies, at most, per megapixel",
            "Brightness shift, at most, stops",
        ):
            field = page.get_by_label(name)
            field.fill("")
            field.press("Enter")
        noise = page.get_by_label("Noise, whole picture, at most, %")
        noise.fill("0.01")
        noise.press("Enter")
        expect(page.locator("[data-use=animation]")).to_contain_text("no option keeps the limits")
        table = page.get_by_role("table", name="Options for animation")
        expect(table.locator("tr[data-out=true]").first).to_contain_text("breaks the limit")
        self.assert_accessible()
        noise.fill("1000")
        noise.press("Enter")
        expect(table.locator("tr[data-chosen=true]")).to_have_count(1)
        expect(page.locator("[data-part=failures]")).to_contain_text("Where it fails")
        frames = page.get_by_label("Frames", exact=True)
        frames.fill("2400")
        frames.press("Enter")
        expect(page.get_by_role("table", name="Forecast")).to_contain_text("Animation")
        page.get_by_label("Recipe", exact=True).fill("Shelf shots")
        page.get_by_label("Name").fill("Rosa")
        page.get_by_role("button", name="Save the recipe").click()
        recipes = page.get_by_role("table", name="Recipes")
        expect(recipes).to_contain_text("Shelf shots, version 1")
        self.assert_accessible()
        with page.expect_download() as download:
            recipes.get_by_role("link", name="TOML").click()
        document = tomllib.loads(Path(download.value.path()).read_text(encoding="utf-8"))
        made = RecipeVersion.objects.get()
        self.assertEqual(document["uses"]["animation"]["forecast"]["frames"], 2400)
        self.assertEqual(document["uses"]["animation"]["settings"], made.document["uses"]["animation"]["settings"])

    def report(self):
        page = self.page
        page.get_by_role("link", name="Report").click()
        expect(self.heading()).to_have_text("What should the shelf be rendered with?")
        for words in ("Conditions", "Curves", "Choice by use", "Recipe", "Methods"):
            expect(page.get_by_role("heading", name=words, exact=True)).to_be_visible()
        broken = page.evaluate("[...document.images].filter((each) => each.naturalWidth === 0).length")
        self.assertEqual(broken, 0)
        self.assertEqual(page.evaluate("document.fonts.check('16px \"Source Sans 3\"')"), True)
        self.assert_accessible()
        self.assertGreater(len(page.pdf(format="A4")), 20_000)


class Screens(Lawful, BrowserTest):
    """Curves, decisions, recipes and bundles of renders with known laws."""

    def prepare(self):
        super().prepare()
        self.study = self.create(
            kind="table", factors=[factor("samples", 4, 16, 256), factor("extra", True)], settings={"samples": 64}
        )
        self.finish(self.study)

    def test_curves_say_what_they_say_and_a_point_leads_to_its_pair(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/curves")
        expect(self.heading()).to_contain_text("At the same noise extra on is 1.94 × faster than the control")
        expect(page.locator("[data-part=words]")).to_contain_text("More time still pays at the ladder's end")
        table = page.get_by_role("table", name="The same noise, the same time")
        expect(table.locator("tr[data-option='extra on']")).to_contain_text("1.94")
        effects = page.get_by_role("table", name="Effects of settings")
        expect(effects.get_by_role("row", name=re.compile("^Extra"))).to_contain_text("0.500")
        point = page.locator("[data-series*='true'] + g, [data-point]").last
        point.focus()
        expect(page.get_by_text("Click to look at it.")).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile(r"/pairs/\d+"))

    def test_the_curves_are_read_at_any_level(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/curves")
        readings = page.locator("[data-part=reading]")
        expect(readings.first).to_have_text(re.compile(r"At \S+ %: 64\.\d samples, 33\.\d s"))
        expect(readings.nth(1)).to_have_text(re.compile(r"At \S+ %: 16\.\d samples, 17\.\d s"))
        level = page.get_by_role("slider", name="Read the curves at this noise")
        level.focus()
        before = float(level.get_attribute("aria-valuenow"))
        page.keyboard.press("Shift+ArrowUp")
        self.assertAlmostEqual(float(level.get_attribute("aria-valuenow")), 1.2 * before, places=3)
        expect(readings.first).to_have_text(re.compile(r"At \S+ %: 44\.\d samples"))

    def test_a_limit_is_dragged_on_the_chart_and_says_what_it_would_leave(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/decide")
        page.get_by_role("button", name=re.compile("^Animation")).click()
        field = page.get_by_label("Noise, whole picture, at most, %")
        field.fill("15")
        field.press("Enter")
        limit = page.get_by_role("slider", name="Noise, whole picture, at most")
        expect(limit).to_have_attribute("aria-valuetext", "15.0")
        grip = limit.locator("circle").bounding_box()
        x, y = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y + 40, steps=4)
        expect(page.locator("[data-line=noise] text")).to_have_text(re.compile(r"at most \S+ %: \d of 8 left"))
        page.mouse.up()
        self.becomes(lambda: self.assertLess(float(field.input_value()), 15.0))
        kept = float(field.input_value())
        until(lambda: StudyUse.objects.filter(study=self.study, limits__noise=kept).exists(), "the limit kept")
        expect(page.locator("[data-part=chosen]")).to_contain_text("Control")
        self.assert_accessible()

    def test_a_search_is_stopped_and_goes_on_from_the_screen(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/curves")
        Run.objects.filter(option__settings__samples=16, option__settings__extra=True).update(state="failed")
        page.get_by_role("button", name="Match on noise: extra on").click()
        row = page.locator("[data-matching=searching]")
        row.get_by_role("button", name="Stop the search").click()
        expect(page.locator("[data-matching=stopped]")).to_contain_text("Stopped: stopped by hand")
        page.get_by_role("button", name="Go on").click()
        expect(page.locator("[data-matching=searching]")).to_be_visible()

    def test_a_plan_without_a_ladder_says_what_to_do(self):
        fresh = self.create(question="Nothing yet?")
        self.open(f"/studies/{fresh.pk}/curves")
        expect(self.heading()).to_contain_text("No curve yet: a ladder needs at least two steps")
        self.assert_accessible()
        self.open(f"/studies/{fresh.pk}/decide")
        expect(self.heading()).to_contain_text("Nothing to decide yet")
        self.assert_accessible()

    def test_choosing_by_hand_own_uses_and_their_way_back(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/decide")
        page.get_by_role("button", name=re.compile("^Still")).click()
        page.get_by_role("button", name="Choose 4 samples for still").click()
        expect(page.locator("[data-use=still]")).to_contain_text("chosen by hand")
        page.get_by_label("Chosen by hand, because").fill("It is known.")
        page.get_by_role("button", name="Let the rules choose").click()
        expect(page.get_by_role("button", name="Let the rules choose")).to_have_count(0)
        page.get_by_label("A use of your own").fill("Wall projection")
        page.get_by_role("button", name="Add", exact=True).click()
        page.get_by_role("button", name=re.compile("^Wall projection")).click()
        page.get_by_role("radio", name="the cleanest").check()
        expect(page.locator("[data-use=wall-projection]")).to_contain_text("Wall projection: 256 samples, extra on")
        page.get_by_role("button", name="Take the use wall projection away").click()
        expect(page.get_by_role("button", name=re.compile("^Wall projection"))).to_have_count(0)
        page.get_by_role("button", name="Put it back").click()
        expect(page.get_by_role("button", name=re.compile("^Wall projection"))).to_be_visible()

    def test_limits_that_are_no_numbers_are_marked_and_not_sent(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/decide")
        field = page.get_by_label("Seconds per frame, at most, s")
        field.fill("soon")
        field.press("Enter")
        expect(field).to_have_attribute("aria-invalid", "true")
        field.press("Escape")
        expect(field).to_have_value("")

    def test_what_is_being_typed_outlasts_what_somebody_else_changes_meanwhile(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}/decide")
        limit = page.get_by_label("Noise, whole picture, at most, %")
        chart = page.get_by_role("figure", name="Time against noise")
        limit.fill("7")
        self.call("PATCH", f"/api/studies/{self.study.pk}/uses/animation/", {"limits": {"noise": 31.0}})
        expect(chart).to_contain_text("at most 31")
        expect(limit).to_have_value("7")
        limit.press("Enter")
        expect(chart).to_contain_text("at most 7")
        until(
            lambda: StudyUse.objects.get(study=self.study, name="animation").limits["noise"] == 7.0,
            "what was typed is kept",  # the chart shows it before
        )

    def test_recipes_are_compared_rendered_and_taken_in(self):
        for noise in (6.0, 3.0):
            limits = {"limits": {"noise": noise}}
            self.call("PATCH", f"/api/studies/{self.study.pk}/uses/animation/", limits)
            body = {"name": "Stall", "author": "Rosa", "uses": ["animation"]}
            self.call("POST", f"/api/studies/{self.study.pk}/recipes/", body)
        page = self.page
        self.open("/recipes")
        expect(self.heading()).to_have_text("2 recipes, ready to render again.")
        page.get_by_role("button", name="Settings").first.click()
        expect(page.get_by_role("table", name="Settings of the recipe")).to_contain_text("samples")
        page.get_by_label("Compare with").select_option(label="Stall, version 1")
        expect(page.get_by_role("table", name="Settings of the recipe")).to_contain_text("animation: samples")
        self.assert_accessible()
        page.get_by_role("button", name="Remove Stall, version 2").click()
        page.get_by_role("button", name="Put it back").click()
        expect(page.locator("[data-recipe]")).to_have_count(2)
        page.locator("input[type=file]").set_input_files(
            {"name": "odd.toml", "mimeType": "application/toml", "buffer": b"not a recipe"}
        )
        expect(self.alert()).to_contain_text("this is no recipe")
        page.get_by_role("button", name="Render with it").first.click()
        page.get_by_label("Scene").select_option("mist-lane")
        self.assert_accessible()
        page.get_by_role("button", name="Render", exact=True).click()
        expect(page).to_have_url(re.compile(r"/studies/\d+$"))
        self.assertEqual(Study.objects.order_by("-pk")[0].options.get(side="trial").settings["extra"], True)

    def test_a_study_goes_out_and_comes_in_by_the_screen(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        page.get_by_role("button", name="More").click()
        with page.expect_download() as download:
            page.get_by_role("menuitem", name="Save as a study bundle").click()
        file = download.value.path()  # waits for its end, which leaving the page would cut short
        self.open("/")
        page.locator("input[type=file]").set_input_files(file)
        expect(page).to_have_url(re.compile(r"/studies/\d+$"))
        expect(page.get_by_text("Do more samples pay?").first).to_be_visible()
        self.assertEqual(Study.objects.filter(question=self.study.question).count(), 2)
        self.open("/")
        page.locator("input[type=file]").set_input_files(
            {"name": "odd.zip", "mimeType": "application/zip", "buffer": b"no zip"}
        )
        expect(self.alert()).to_contain_text("not a whole bundle")
