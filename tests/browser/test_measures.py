import re
from pathlib import Path

import numpy as np
from django.conf import settings
from playwright.sync_api import expect

from server.measuring.maps import make_wanted_layers
from server.measuring.measuring import measure_outstanding
from server.measuring.models import MapLayer, Measure
from server.references.models import Reference
from server.runs.models import Run
from server.store.files import keep
from server.store.pixels import stored_picture
from server.studies.models import Option
from tests.browser.base import BrowserTest
from tests.pictures import noisy, textured, write
from tests.server.base import finish_all

SIZE = (160, 120)


class WithMeasures(BrowserTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(width=SIZE[0], height=SIZE[1])
        finish_all(self.study)
        self.truth = textured(SIZE)
        for run in Run.objects.filter(study=self.study, warm_up=False).select_related("option"):
            noise = {"control": 0.3, "trial": 0.05}[run.option.side]
            picture = noisy(self.truth, noise, run.pk)
            if run.option.side == "control" and run.seed == 1:
                picture[30, 40] = 90.0
            Run.objects.filter(pk=run.pk).update(picture=self.stored(picture))
        shelf = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.9, 0.9]]}
        self.call("POST", f"/api/scenes/marble-stall/zones/?view={self.study.setup.view}", shelf)
        measure_outstanding(Option.objects.all())

    def stored(self, picture):
        return keep(write(Path(settings.HOME) / "p.exr", picture, "float").read_bytes(), ".exr")

    def made(self, count):
        """Once so many maps are wanted, make them as the runner does between renders."""
        for _ in range(100):
            if MapLayer.objects.filter(state="wanted").count() >= count:
                break
            self.page.wait_for_timeout(100)
        # what the page of the test before still asked for may be among them
        self.assertGreaterEqual(make_wanted_layers(), count)


class Carried(WithMeasures):
    """What goes from a screen into another program."""

    def test_the_figure_under_the_pointer_is_copied_with_its_unit_and_a_picture_dragged_is_its_file(self):
        page = self.page
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.open(f"/studies/{self.study.pk}")
        trial = self.study.options.get(side="trial")
        row = page.get_by_role("table", name="Options").locator(f"tr[data-option='{trial.pk}']")
        figure = row.locator("td").nth(1).locator("[data-copy]")

        def copy():
            figure.hover()  # what comes in above may have moved it
            page.keyboard.press("Control+c")
            self.assertRegex(page.locator("body").inner_text(), r"Copied: \d.* % \(")

        self.becomes(copy)
        self.assertRegex(page.evaluate("navigator.clipboard.readText()"), r"^[\d.]+ % \([\d.]+ to [\d.]+\)$")
        dragged = page.evaluate(
            """picture => {
                const data = new DataTransfer();
                const image = document.querySelector(`img[src*="${picture}"]`);
                image.dispatchEvent(new DragEvent("dragstart", {bubbles: true, dataTransfer: data}));
                return data.getData("DownloadURL");
            }""",
            trial.runs.get(seed=1, warm_up=False).picture,
        )
        self.assertRegex(dragged, r"^image/x-exr:.+\.exr:http://.*/api/pictures/[0-9a-f]{64}/file/$")
        self.open(f"/pairs/{self.study.pairs.get().pk}")
        label = page.locator("[data-label=trial]").first
        expect(label).to_have_attribute("data-picture", re.compile("^[0-9a-f]{64}$"))
        self.assert_accessible()


class Table(WithMeasures):
    def open_table(self):
        self.open(f"/studies/{self.study.pk}/measures")
        self.page.wait_for_selector("[data-part=measures]")

    def cell(self, side, measure, zone="whole"):
        option = self.study.options.get(side=side).pk
        return self.page.locator(f"tr[data-option='{option}'][data-zone='{zone}'] td[data-measure='{measure}']")

    def test_best_is_marked_where_it_is_and_ties_are_ties(self):
        self.open(f"/studies/{self.study.pk}")
        self.page.get_by_role("link", name="Measures").click()
        expect(self.heading()).to_contain_text("has the least noise over the whole picture")
        expect(self.cell("trial", "noise")).to_contain_text("best")
        expect(self.cell("control", "noise")).not_to_contain_text("best")
        expect(self.cell("trial", "blotches")).to_contain_text("none seen")
        self.assert_accessible()

    def test_an_option_s_picture_is_seen_while_the_pointer_rests_on_its_name(self):
        self.open_table()
        trial = self.study.options.get(side="trial")
        self.page.locator(f"tr[data-option='{trial.pk}'] th").first.get_by_text("as the control").or_(
            self.page.locator(f"tr[data-option='{trial.pk}'] th span span").last
        ).first.hover()
        picture = trial.runs.order_by("seed").first().picture
        expect(self.page.locator(f"img[src*='{picture}']")).to_be_visible()

    def test_zones_are_chosen_and_remembered(self):
        self.open_table()
        expect(self.page.locator("tr[data-zone='Shelf']")).to_have_count(2)
        self.page.get_by_label("Zone").select_option("Shelf")
        expect(self.page.locator("tr[data-zone='whole']")).to_have_count(0)
        self.page.reload()
        expect(self.page.get_by_label("Zone")).to_have_value("Shelf")

    def test_a_figure_leads_to_its_map_at_its_zone(self):
        self.open_table()
        self.cell("trial", "noise", "Shelf").get_by_role("link").click()
        self.made(2)
        expect(self.page.locator("[data-map=noise]")).to_be_visible()
        # the zone of 64 × 48 pixels and a little around it fills the window
        self.assertGreater(float(self.page.get_by_label("Pictures", exact=True).get_attribute("data-zoom")), 6.0)

    def test_old_figures_say_so(self):
        Measure.objects.filter(name="grain", zone="whole").update(version=0)
        self.open_table()
        expect(self.cell("trial", "grain")).to_contain_text("out of date")
        expect(self.heading()).to_contain_text("2 of 4 rows are out of date")

    def test_without_a_reference_its_columns_are_left_out_and_come_with_one(self):
        self.open_table()
        expect(self.page.get_by_role("columnheader", name="Lasting error")).to_have_count(0)
        Reference.objects.create(
            setup=self.study.setup, kind="render", title="Long", picture=self.stored(noisy(self.truth, 0.01, 99))
        )
        measure_outstanding(Option.objects.all())
        self.page.reload()
        expect(self.page.get_by_role("columnheader", name="Lasting error")).to_be_visible()
        expect(self.page.get_by_text("Judged by Long.")).to_be_visible()

    def test_before_anything_is_measured_it_says_so(self):
        Measure.objects.all().delete()
        self.open_table()
        expect(self.heading()).to_contain_text("Nothing is measured yet")

    def test_any_measure_is_drawn_against_any_other_by_zone_and_the_choice_is_remembered(self):
        self.open_table()
        self.page.get_by_role("button", name="Chart", exact=True).click()
        charts = self.page.locator("[data-part=chart]")
        expect(charts).to_have_count(2)
        expect(charts.first.locator("[data-point]")).to_have_count(2)
        self.page.get_by_role("combobox", name="Up").select_option(label="Noise, %")
        self.page.get_by_role("combobox", name="Across").select_option(label="Visible noise, ΔE")
        expect(self.page.get_by_label("Noise, % against Visible noise, ΔE, Shelf")).to_be_visible()
        self.assert_accessible()
        self.page.reload()
        point = self.page.get_by_label("Noise, % against Visible noise, ΔE, Shelf").locator("a[data-point]")
        expect(point.first).to_be_visible()
        point.first.click()
        self.page.wait_for_url(re.compile(r"/pairs/\d+\?map=.*zone=Shelf"))


class Layers(WithMeasures):
    def open_pair(self, query=""):
        self.open(f"/pairs/{self.study.pairs.get().pk}{query}")
        self.page.wait_for_selector("canvas[data-drawn]")
        self.stage = self.page.get_by_label("Pictures", exact=True)

    def choose(self, title):
        self.page.get_by_role("combobox", name="Map").select_option(label=title)

    def legend(self):
        return self.page.locator("[data-part=layer-legend]")

    def test_a_map_is_made_while_one_waits_and_drawn_on_its_scale(self):
        self.open_pair()
        self.choose("Noise")
        expect(self.legend()).to_contain_text("being made")
        self.made(2)
        expect(self.legend()).to_contain_text("Noise, %")
        row = MapLayer.objects.get(option__side="control")
        expect(self.legend()).to_contain_text(f"{row.high:.0f}")
        self.assert_accessible()

    def test_the_colour_of_a_pixel_is_that_of_its_value(self):
        self.open_pair()
        self.choose("Noise")
        self.made(2)
        expect(self.page.locator("[data-map=noise]")).to_be_visible()
        self.page.keyboard.press("c")
        self.page.keyboard.press("8")
        box = self.stage.bounding_box()
        x, y = int(box["x"] + box["width"] / 2), int(box["y"] + box["height"] / 2)
        row = MapLayer.objects.get(option__side="control")
        top = max(MapLayer.objects.values_list("high", flat=True))
        value = float(stored_picture(row.picture).pixels[SIZE[1] // 2, SIZE[0] // 2, 0])
        stops = 255 * np.array([
            [0.106, 0.09, 0.165], [0.196, 0.165, 0.369], [0.161, 0.31, 0.494], [0.157, 0.459, 0.51],
            [0.306, 0.604, 0.486], [0.612, 0.729, 0.451], [0.945, 0.902, 0.627],
        ])  # fmt: skip
        place = 6 * value / top
        below = min(int(place), 5)
        expected = stops[below] + (place - below) * (stops[below + 1] - stops[below])
        self.becomes(lambda: np.testing.assert_allclose(self.screen()[y + 3, x + 3].astype(float), expected, atol=3))

    def test_fireflies_are_ringed_on_their_side(self):
        self.open_pair()
        self.choose("Fireflies")
        self.made(2)
        expect(self.page.locator("[data-part=spots] g")).to_have_count(1)
        self.page.keyboard.press("t")
        expect(self.page.locator("[data-part=spots] g")).to_have_count(0)

    def test_a_map_that_cannot_be_had_says_why_and_leaves_the_picture(self):
        self.open_pair("?map=error")
        self.made(2)
        expect(self.legend()).to_contain_text("there is no reference to judge by")
        expect(self.stage).to_have_attribute("data-map", "")

    def test_keys_go_through_the_maps_and_hide_them(self):
        self.open_pair()
        self.page.keyboard.press("k")
        self.made(2)
        expect(self.stage).to_have_attribute("data-map", "noise")
        self.page.keyboard.press("m")
        expect(self.stage).to_have_attribute("data-map", "")
        expect(self.legend()).to_contain_text("hidden")
        self.page.keyboard.press("m")
        expect(self.stage).to_have_attribute("data-map", "noise")
        self.page.keyboard.press("j")
        expect(self.page.get_by_role("combobox", name="Map")).to_have_value("")

    def test_the_value_under_the_pointer_is_read_out(self):
        self.open_pair()
        self.choose("Noise")
        self.made(2)
        expect(self.stage).to_have_attribute("data-map", "noise")
        box = self.stage.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        expect(self.page.locator("[data-part=map-value]")).to_have_text(re.compile(r"Noise: \d+.* and \d+.* %"))

    def test_the_pair_says_what_differs_and_a_zone_is_looked_at_by_its_name(self):
        self.open_pair()
        expect(self.page.locator("[data-figure=difference]")).to_contain_text("would have been seen")
        expect(self.page.locator("[data-figure=look]")).to_contain_text("stops")
        before = float(self.stage.get_attribute("data-zoom"))
        self.page.get_by_role("button", name="Shelf").click()
        self.becomes(lambda: self.assertGreater(float(self.stage.get_attribute("data-zoom")), before))
