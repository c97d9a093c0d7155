"""Scenes with the zone editor, references, and the engines' screen, in a real browser."""

import re
import shutil
from pathlib import Path

import numpy as np
from django.conf import settings
from django.test import override_settings
from playwright.sync_api import expect

from server.catalogue.models import BrightnessFactor, Zone
from server.references.models import Reference
from server.runs.actions import claim, queue_study
from server.runs.recording import record_result
from tests.browser.base import ROOT, BrowserTest
from tests.core.test_panorama import sky
from tests.pictures import noisy, textured, write
from tests.runner import until
from tests.server.base import SIZE, finish_all, result_of

RENDERERS = ROOT / "tests" / "renderers"


class Tested(BrowserTest):
    def test_an_engine_is_tested_and_what_does_not_hold_is_shown_with_its_mending(self):
        shutil.copytree(RENDERERS / "pebble", self.folder, dirs_exist_ok=True)
        broken = self.folder / "pebble.toml"
        broken.write_text(broken.read_text().replace("'^scene read'", "'^never said'"))
        self.enterContext(override_settings(SCENES=RENDERERS / "scenes"))
        self.open("/engines")
        self.page.get_by_role("button", name="Pebble").click()
        self.page.get_by_role("button", name="Test this engine").click()
        test = self.page.get_by_role("region", name="Test of this engine")
        expect(test.get_by_role("status")).to_have_text(
            "1 of 12 does not hold: it says when it is ready.", timeout=240_000
        )
        row = test.get_by_role("row", name="It says when it is ready")
        expect(row).to_contain_text("Does not hold")
        expect(row).to_contain_text("Total times are compared rather than rendering times.")
        self.assert_accessible()


class Scenes(BrowserTest):
    def setUp(self):
        super().setUp()
        for name in ("alder", "sedge"):
            shutil.copy(ROOT / "demo" / "engines" / f"{name}.toml", self.folder / f"{name}.toml")

    def stage(self):
        return self.page.locator('[data-part="zones"]')

    def drag(self, start, end):
        """Drag over the picture, places in shares of it."""
        box = self.stage().bounding_box()
        at = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in (start, end)]
        self.page.mouse.move(*at[0])
        self.page.mouse.down()
        self.page.mouse.move(*at[1], steps=4)
        self.page.mouse.up()

    def zone(self, name):
        return Zone.objects.get(name=name, view="counter", removed_at=None)

    def assert_drawn(self, name, points):
        """A zone is where it can be taken hold of again: what is saved is drawn a little later."""
        stage, box = self.stage().bounding_box(), self.page.locator(f'[data-zone="{name}"]').bounding_box()
        left, top = (box["x"] - stage["x"]) / stage["width"], (box["y"] - stage["y"]) / stage["height"]
        drawn = [[left, top], [left + box["width"] / stage["width"], top + box["height"] / stage["height"]]]
        np.testing.assert_allclose(drawn, points, atol=0.03)

    def near(self, points, expected):
        np.testing.assert_allclose(points, expected, atol=0.006)

    def test_zones_are_drawn_moved_resized_renamed_copied_and_taken_away(self):
        page = self.page
        self.open("/scenes/marble-stall")
        expect(self.heading()).to_contain_text("no zone measured on its own, nothing left out")
        self.assert_accessible()
        page.get_by_role("button", name="Rectangle").click()
        self.drag((0.3, 0.4), (0.6, 0.7))
        row = page.locator('[data-zone-row="Zone 1"]')
        expect(row).to_be_visible()
        self.near(self.zone("Zone 1").points, [[0.3, 0.4], [0.6, 0.7]])

        self.drag((0.45, 0.55), (0.5, 0.5))
        until(lambda: abs(self.zone("Zone 1").points[0][0] - 0.35) < 0.01, "the zone has moved")
        self.near(self.zone("Zone 1").points, [[0.35, 0.35], [0.65, 0.65]])
        self.becomes(self.assert_drawn, "Zone 1", [[0.35, 0.35], [0.65, 0.65]])

        self.drag((0.65, 0.65), (0.8, 0.75))
        until(lambda: abs(self.zone("Zone 1").points[1][0] - 0.8) < 0.01, "the zone has been resized")
        self.near(self.zone("Zone 1").points, [[0.35, 0.35], [0.8, 0.75]])
        self.becomes(self.assert_drawn, "Zone 1", [[0.35, 0.35], [0.8, 0.75]])

        page.locator('[data-zone="Zone 1"]').press("Shift+ArrowLeft")
        until(lambda: abs(self.zone("Zone 1").points[0][0] - 0.325) < 0.006, "the key has moved it")

        row.get_by_label("Name").fill("Deep shelf")
        row.get_by_label("Name").press("Enter")
        expect(page.locator('[data-zone-row="Deep shelf"]')).to_be_visible()
        page.get_by_role("button", name="Copy to Deep shelf").click()
        expect(page.get_by_text("is on the view shelf as well")).to_be_visible()
        self.assertTrue(Zone.objects.filter(name="Deep shelf", view="shelf").exists())
        page.get_by_label("Use").select_option("leave out")
        expect(self.heading()).to_contain_text("no zone measured on its own, 1 left out")
        self.assert_accessible()

        page.get_by_role("button", name="Remove Deep shelf").click()
        expect(self.heading()).to_contain_text("nothing left out")
        page.get_by_role("button", name="Put it back").click()
        expect(self.heading()).to_contain_text("1 left out")

    def test_a_polygon_is_closed_by_enter_and_escape_ends_drawing(self):
        page = self.page
        self.open("/scenes/marble-stall")
        page.get_by_role("button", name="Polygon").click()
        box = self.stage().bounding_box()
        corners = [(0.2, 0.2), (0.5, 0.25), (0.4, 0.6), (0.2, 0.5)]
        for x, y in corners:
            page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
        page.get_by_role("button", name="Polygon").press("Enter")  # leaves drawing without closing
        expect(page.locator("[data-zone-row]")).to_have_count(0)
        page.get_by_role("button", name="Polygon").click()
        for x, y in corners[:3]:
            page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
        page.mouse.dblclick(box["x"] + 0.2 * box["width"], box["y"] + 0.5 * box["height"])
        expect(page.locator('[data-zone-row="Zone 1"]')).to_contain_text("polygon, measured")
        self.near(self.zone("Zone 1").points, corners)

    def test_what_somebody_else_changed_meanwhile_is_not_overwritten_unseen(self):
        values = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.3, 0.3], [0.6, 0.6]]}
        self.call("POST", "/api/scenes/marble-stall/zones/?view=counter", values)
        page = self.page
        page.route("**/api/events/", lambda route: route.abort())  # what is told at once would be known already
        self.open("/scenes/marble-stall")
        box = page.locator('[data-zone="Shelf"]')
        expect(box).to_be_visible()
        theirs = {"points": [[0.1, 0.1], [0.2, 0.2]]}
        self.call("PATCH", f"/api/zones/{self.zone('Shelf').pk}/", theirs)
        box.press("Shift+ArrowLeft")
        expect(page.get_by_role("alert").filter(has_text="Somebody changed this zone")).to_be_visible()
        self.near(self.zone("Shelf").points, theirs["points"])
        self.assert_accessible()
        page.get_by_role("button", name="Write mine all the same").click()
        until(lambda: self.zone("Shelf").points[1][0] > 0.5, "mine in its place")
        expect(page.get_by_role("alert").filter(has_text="Somebody changed this zone")).to_have_count(0)

    def test_a_zone_leads_to_a_study_of_it_alone(self):
        page = self.page
        values = {"name": "Tray", "kind": "measure", "shape": "rectangle", "points": [[0.25, 0.5], [0.5, 0.75]]}
        self.call("POST", "/api/scenes/marble-stall/zones/?view=counter", values)
        self.open("/scenes/marble-stall")
        page.get_by_role("button", name="Tray rectangle, measured").click()
        page.get_by_role("link", name="Try something on this zone alone").click()
        page.get_by_role("combobox", name=re.compile("^Engine")).select_option("alder")
        page.get_by_role("button", name="Change this for the trial: Samples per pixel").click()
        sheet = page.get_by_role("complementary", name="Plan and match sheet")
        expect(sheet.locator('[data-condition="crop"]')).to_contain_text("60 × 35 at 60, 67")

    def test_a_quick_look_is_rendered_and_a_failing_engine_says_why(self):
        page = self.page
        self.open("/scenes/glass-cabinet")
        expect(page.get_by_text("No picture of this view yet")).to_be_visible()
        page.get_by_role("button", name="Render a quick look").click()
        expect(page.get_by_role("img", name="Glass cabinet, cabinet, as-is")).to_be_visible(timeout=300_000)
        expect(page.get_by_text("A quick look, rendered with Alder.")).to_be_visible()
        page.get_by_label("Variant").select_option("dusk-only")
        expect(page.get_by_text("No picture of this view yet")).to_be_visible()
        (self.folder / "alder.toml").unlink()
        (self.folder / "sedge.toml").unlink()
        path = self.folder / "good.toml"
        path.write_text(path.read_text().replace("render = [", 'render = ["no-such-renderer", '))
        page.get_by_role("button", name="Render a quick look").click()
        expect(self.alert()).to_contain_text("no engine can be called on this machine")

    def test_references_are_added_matched_and_taken_away(self):
        page = self.page
        study = self.create()
        finish_all(study)
        picture = write(Path(settings.HOME) / "photo.exr", 0.5 * textured(SIZE))
        self.open("/scenes/marble-stall")
        self.unfold("Add a photograph, an analytic picture")
        page.locator('input[type="file"]').first.set_input_files(picture)
        page.get_by_label("Title").fill("Model on the bench")
        page.get_by_label("Lens").fill("35 mm")
        page.get_by_label("Field of view (°)").fill("wide")
        page.get_by_role("button", name="Add the reference").click()
        expect(self.alert()).to_contain_text("The reference was not added")
        page.get_by_label("Field of view (°)").fill("38")
        page.get_by_role("button", name="Add the reference").click()
        row = page.locator('[data-reference="Model on the bench"]')
        expect(row).to_contain_text("lens 35 mm, field of view 38.0°")
        self.assert_accessible()
        row.get_by_role("button", name="Lay over a render").click()
        expect(row.locator('[data-part="match report"]')).to_contain_text("brightened by")
        row.get_by_role("button", name="Remove").click()
        expect(page.get_by_text("The reference Model on the bench was removed.")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(row).to_be_visible()
        until(lambda: Reference.objects.get().removed_at is None, "the reference is put back")

    def test_a_panorama_is_measured_and_a_square_one_refused(self):
        page = self.page
        self.open("/scenes")
        expect(self.heading()).to_contain_text("6 scenes; between them they stress all 15 things on the list.")
        square = write(Path(settings.HOME) / "square.exr", sky(90)[:, :90])
        page.locator('input[type="file"]').set_input_files(square)
        expect(self.alert()).to_contain_text("is twice as wide as high; this picture has 90 × 90")
        page.locator('input[type="file"]').set_input_files(write(Path(settings.HOME) / "dusk.exr", sky(90)))
        expect(page.locator('[data-panorama="dusk.exr"]')).to_contain_text("to the right of the middle")
        self.assert_accessible()


class Engines(BrowserTest):
    def setUp(self):
        super().setUp()
        for path in (ROOT / "demo" / "engines").glob("*.toml"):
            shutil.copy(path, self.folder / path.name)

    def test_the_catalogue_effects_and_quantities(self):
        page = self.page
        self.open("/engines")
        expect(self.heading()).to_contain_text("5 engines defined, all can be called here")
        self.assert_accessible()
        expect(page.get_by_role("table", name="Builds")).to_contain_text("Alder 1")
        expect(page.locator('[data-setting="occlusion_reach"]')).to_contain_text("only time")
        page.get_by_role("tab", name="Effects").click()
        self.assert_accessible()
        page.get_by_role("button", name="Sorrel, Light focused through glass: yes").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("Focused light on and Photons at least 1")
        dialog.get_by_label("Pair (number or address)").fill("/pairs/7")
        dialog.get_by_label("What it shows").fill("Bright patterns.")
        dialog.get_by_role("button", name="Add").click()
        expect(dialog.get_by_role("link", name="Pair 7")).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("Escape")
        expect(page.locator('[data-effect="focused-by-glass"]')).to_contain_text("shown by 1")
        page.get_by_role("tab", name="Quantities").click()
        expect(page.get_by_role("table", name="Quantities")).to_contain_text("exitance, W/m², scene × 0.318")
        self.assert_accessible()

    def test_a_broken_definition_is_named_and_comes_back_without_restart(self):
        page = self.page
        path = self.folder / "sedge.toml"
        good = path.read_text()
        path.write_text(good.replace('does = "yes"', 'does = "mostly"', 1))
        self.open("/engines")
        expect(self.alert()).to_contain_text(
            re.compile(r"sedge.toml: effect\[\d+\].does: expected one of yes, partly, no")
        )
        path.write_text(good)
        expect(self.alert()).to_have_count(0, timeout=120_000)
        expect(page.get_by_role("button", name="Sedge")).to_be_visible()

    def test_brightness_is_brought_together_on_the_pair_and_used_no_longer(self):
        page = self.page
        study = self.create(under_test="engine", trial_value="tansy", engine="alder", settings={})
        queue_study(study)
        for run in study.runs.select_related("option"):
            claim(run.pk, "bench")
            gain = 1 / np.pi if run.option.engine == "tansy" else 1.0
            light = noisy(textured(SIZE), 0.05, run.pk) * np.float32(gain)
            record_result(run.pk, result_of(run, picture=write(Path(settings.HOME) / "b.exr", light).read_bytes()))
        self.open(f"/pairs/{study.pairs.get().pk}")
        page.wait_for_selector("canvas[data-drawn]")
        page.get_by_role("button", name="Bring brightness together").click()
        expect(page.get_by_role("region", name="Brightness")).to_contain_text("light multiplied by 3.1")
        self.assertAlmostEqual(BrightnessFactor.objects.get().factor, np.pi, delta=0.05)
        self.assert_accessible()
        self.open("/engines")
        page.get_by_role("tab", name="Quantities").click()
        row = page.locator('[data-factor="tansy"]')
        expect(row).to_contain_text("brought together on the whole picture of Marble stall, counter")
        row.get_by_role("button", name="Use no longer").click()
        expect(row).to_have_count(0)
        page.get_by_role("button", name="Put it back").click()
        expect(row).to_be_visible()
