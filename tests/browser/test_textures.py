"""A texture plan from the screen, with the real engine and the real runner."""

from __future__ import annotations

import re
import shutil
import tempfile
import time
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.test import override_settings
from matchedpair.textures import write_some
from playwright.sync_api import expect

from server.studies.models import Pair
from server.textures import acting
from tests.browser.base import ROOT, BrowserTest
from tests.runner import Processes

ASKING_MILLISECONDS = 90_000  # the engine starts six times: two views at three frames


class TexturesFromTheScreen(BrowserTest):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.scenes = Path(folder.name).resolve() / "scenes"
        copied = self.scenes / "textures"
        shutil.copytree(ROOT / "demo" / "scenes" / "textures", copied, ignore=shutil.ignore_patterns("reduced-*"))
        shutil.copy(ROOT / "demo" / "scenes" / "shutter-wall.json", self.scenes)
        shutil.copy(ROOT / "demo" / "engines" / "sedge.toml", Path(settings.ENGINES) / "sedge.toml")
        changed = override_settings(SCENES=self.scenes, TEXTURES=self.scenes)
        changed.enable()
        self.addCleanup(changed.disable)

    def row(self, file):
        return self.page.locator(f"[data-map='{file}']")

    def test_maps_are_asked_for_decided_on_reduced_rendered_and_put_back(self):
        page = self.page
        before = {path.name: path.read_bytes() for path in (self.scenes / "textures").iterdir()}
        self.open("/textures")
        expect(self.heading()).to_contain_text("The 7 maps of Shutter wall take 58.7 MB of memory")
        expect(self.row("plate_roughness.png")).to_contain_text("“roughness” in its name")
        self.assert_accessible()

        page.get_by_label("Engine").select_option("sedge")
        page.get_by_label("Final width").fill("960")
        page.get_by_label("Height").fill("540")
        page.get_by_role("button", name="Ask the engine").click()
        told = page.get_by_text("Told by Sedge for 960 × 540, 2 views, frames 1, 8, 16")
        expect(told).to_be_visible(timeout=ASKING_MILLISECONDS)
        expect(self.row("shutter_colour.png")).to_contain_text("colour keeps 4 for each")

        page.get_by_label("Divide flags_relief.png by").select_option("8")
        expect(self.row("flags_relief.png")).to_contain_text("256 × 256")
        expect(self.row("flags_relief.png")).to_contain_text("chosen by hand")
        page.get_by_label("Role of post_mask.png").select_option("roughness")
        expect(self.row("post_mask.png")).to_contain_text("stated")
        page.reload()
        expect(page.get_by_label("Divide flags_relief.png by")).to_have_value("8")
        page.get_by_role("button", name="Back to the proposal for post_mask.png").click()
        expect(page.get_by_label("Role of post_mask.png")).to_have_value("mask")

        page.get_by_role("button", name=re.compile(r"Write \d reduced copies")).click()
        copies = page.locator("[data-copies]")
        expect(copies).to_contain_text("all maps 58.7 MB")
        name = copies.get_attribute("data-copies")
        expect(page.get_by_role("button", name=f"Written as {name}")).to_be_disabled()
        self.assertTrue((self.scenes / "textures" / name / "flags_relief.png").is_file())

        page.get_by_role("button", name="Render before and after").click()
        page.get_by_label("Engine").last.select_option("sedge")
        page.get_by_label("Width", exact=True).fill("96")
        page.get_by_label("Height").last.fill("54")
        with Processes(MATCHEDPAIR_SCENES=str(self.scenes)):
            page.get_by_role("button", name="Render both, twice each").click()
            expect(page).to_have_url(re.compile(r"/studies/\d+"))
            self.all_ended()
            self.open("/textures")
            found = page.get_by_role("table", name=f"Rendered with {name}")
            expect(found).not_to_contain_text("not compared yet", timeout=300_000)
        memory = [float(text.split()[0]) for text in found.locator("td.number").all_inner_texts()]
        self.assertLess(memory[1], 0.6 * memory[0])
        self.assert_accessible()
        found.get_by_role("link", name="Sedge").click()
        expect(page).to_have_url(re.compile(rf"/pairs/{Pair.objects.get().pk}"))

        self.open("/textures")
        page.get_by_role("button", name=f"Delete the copies {name}").click()
        expect(page.locator("[data-copies]")).to_have_count(0)
        after = {path.name: path.read_bytes() for path in (self.scenes / "textures").iterdir()}
        self.assertEqual(after, before)

    def test_writing_can_be_stopped_gone_on_with_and_discarded(self):
        page = self.page
        self.open("/textures")
        with patch.object(acting, "write_some", self.slow_writing):
            page.get_by_role("button", name="Write 5 reduced copies").click()
            expect(page.get_by_role("progressbar", name="Copies written")).to_be_visible()
            page.get_by_role("button", name="Stop").click()
            expect(page.get_by_text(re.compile(r"[1-4] of 5 written"))).to_be_visible()
            page.reload()
            expect(page.get_by_text(re.compile(r"[1-4] of 5 written"))).to_be_visible()
            page.get_by_role("button", name="Discard these").click()
            page.get_by_role("button", name="Write 5 reduced copies").click()
            page.get_by_role("button", name="Stop").click()
            page.get_by_role("button", name="Go on writing").click()
            expect(page.locator("[data-copies]")).to_contain_text("5 maps", timeout=300_000)
        expect(page.get_by_role("progressbar")).to_have_count(0)

    def slow_writing(self, base, plan, seconds):
        time.sleep(0.3)
        return write_some(base, plan, 0.0)

    def test_unreadable_files_are_told_and_the_rest_is_planned(self):
        (self.scenes / "textures" / "odd.png").write_text("no picture")
        self.open("/textures?place=folder:textures")
        expect(self.alert()).to_contain_text("odd.png: not a readable picture")
        expect(self.heading()).to_contain_text("The 7 maps of Folder textures")
        expect(self.page.get_by_text("A folder by itself is shown by no view")).to_be_visible()

    def test_a_place_that_is_not_there_is_said_and_another_can_be_chosen(self):
        self.open("/textures?place=folder:gone")
        expect(self.alert()).to_contain_text("no such folder")
        self.page.get_by_label("Scene or folder").select_option("scene:shutter-wall")
        expect(self.heading()).to_contain_text("The 7 maps of Shutter wall")

    def test_without_textures_the_screen_says_how_to_have_some(self):
        shutil.rmtree(self.scenes)
        self.scenes.mkdir()
        self.open("/textures")
        expect(self.heading()).to_have_text("No scene here has image textures.")
