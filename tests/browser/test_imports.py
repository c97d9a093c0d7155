"""Renders from elsewhere, in a real browser: bring in, fill in, look, and make a pair."""

import re
import tempfile
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from matchedpair.elsewhere import read_table
from playwright.sync_api import expect

from server.imports.actions import change_set
from server.imports.models import ImportedRender
from server.measuring.measuring import measure_outstanding
from server.motion.measuring import measure_sequences
from server.references.models import Reference
from server.studies.models import Option, Study
from tests.browser.base import BrowserTest
from tests.pictures import noisy, textured, write


class Imports(BrowserTest):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.renders = Path(folder.name)

    def made(self):
        files = []
        for samples, noise in ((16, 0.4), (64, 0.2)):
            for seed in (1, 2):
                path = self.renders / f"stall_top_{samples}spp_s{seed}.exr"
                files.append(write(path, noisy(textured((96, 72)), noise, samples + seed)))
        (self.renders / "broken.exr").write_bytes(b"cut short")
        return [*files, self.renders / "broken.exr"]

    def proposed(self):
        """The pattern's field, once a pattern is proposed there; coming while it is filled, it joins that."""
        field = self.page.get_by_label("How the file names are made (may be left empty)")
        expect(field).not_to_have_value("")
        return field

    def test_a_farm_s_table_is_understood_and_all_options_make_a_study(self):
        page = self.page
        files = self.made()[:-1]
        table = self.renders / "farm.csv"
        lines = [f"{path.name},Glint,stall,top,{path.stem[-1]},{k},x{k}" for k, path in enumerate(files)]
        table.write_text("Image,Renderer,Shot,Camera,Seed,Render time (s),Batch\n" + "\n".join(lines))
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files(files)
        self.proposed().fill("{scene}_{view}_{samples}spp_s{seed}")
        page.get_by_role("button", name="Import all 4").click()
        expect(self.heading()).to_contain_text("4 renders imported")
        number = ImportedRender.objects.first().import_set_id
        set_ = ImportedRender.objects.first().import_set
        change_set(set_, table=read_table(table.read_bytes(), "farm.csv"), table_name="farm.csv")
        self.open(f"/imports/{number}")
        self.unfold("What the 6 columns of farm.csv mean")
        expect(page.get_by_label("What Render time (s) means")).to_have_value("seconds")
        side = page.get_by_role("complementary", name="Make a study")
        expect(side).to_contain_text("Of all 4 options")  # a batch of its own for each parts the seeds
        page.get_by_label("What Batch means").select_option("ignore")
        expect(side).to_contain_text("Of all 2 options; quality by samples.")
        self.assert_accessible()
        side.get_by_label("It asks").select_option("samples")
        side.get_by_role("button", name="Make the study").click()
        side.get_by_role("link", name="Open the study").click()
        expect(self.heading()).to_be_visible()
        study = Study.objects.get()
        self.assertEqual((study.asked, study.kind, study.options.count()), ("samples", "ladder", 2))

    def test_what_is_called_a_reference_judges_the_others_unless_it_is_said_not_to(self):
        page = self.page
        files = [*self.made()[:-1], write(self.renders / "stall_reference.exr", textured((96, 72)))]
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files(files)
        self.proposed().fill("{scene}_{view}_{samples}spp_s{seed}")
        page.get_by_role("button", name="Import all 5").click()
        expect(self.heading()).to_contain_text("fill in what is missing for 4")  # all but the reference
        page.get_by_label("Engine", exact=True).fill("Glint")
        page.get_by_role("button", name="Fill in").click()
        side = page.get_by_role("complementary", name="Make a study")
        judged = side.get_by_label("judged by stall_reference.exr, which is no option")
        expect(judged).to_be_checked()
        expect(side).to_contain_text("Of all 2 options")
        judged.uncheck()
        expect(side).to_contain_text("Of all 3 options")
        expect(self.heading()).to_contain_text("fill in what is missing for 1")
        judged.check()
        expect(side.get_by_label("It asks")).to_have_value("samples")
        side.get_by_role("button", name="Make the study").click()
        expect(side.get_by_role("link", name="Open the study")).to_be_visible()
        self.assertEqual((Study.objects.get().options.count(), Reference.objects.get().setup.view), (2, "top"))

    def test_from_dropped_files_to_a_measured_pair(self):
        page = self.page
        self.open("/imports")
        expect(self.heading()).to_have_text("Bring in renders that were made in another program or on a farm.")
        self.assert_accessible()
        page.locator('input[type="file"]').set_input_files(self.made())
        expect(page.get_by_text("5 pictures. Nothing is imported yet.")).to_be_visible()
        pattern = self.proposed()
        pattern.fill("{scene}_{view}_{samples}spp_s{seed}{x}")
        expect(page.get_by_role("region", name="Name pattern")).to_contain_text(
            "two places need something between them"
        )
        expect(page.get_by_role("button", name="Import all 5")).to_be_disabled()
        pattern.fill("{scene}_{view}_{samples}spp_s{seed}")
        expect(page.get_by_role("region", name="Name pattern")).to_contain_text("4 of 5 names follow the pattern.")
        expect(page.get_by_role("table", name="What the names say")).to_contain_text("does not follow the pattern")
        self.assert_accessible()
        page.get_by_label("Title of this set").fill("Farm test")
        page.get_by_role("button", name="Import all 5").click()
        expect(self.heading()).to_contain_text("4 renders imported, 1 could not be: fill in what is missing for 4.")
        expect(page.get_by_label("Files that could not be imported")).to_contain_text(
            "broken.exr: The picture cannot be read"
        )
        self.assert_accessible()

        expect(page.get_by_role("complementary", name="Make a study")).to_contain_text("engine not known")
        page.get_by_label("Engine", exact=True).fill("Glint")
        page.get_by_role("button", name="Fill in").click()
        expect(self.heading()).to_contain_text("choose what to compare")
        expect(page.locator("tr[data-render]").first).to_contain_text("Glint")

        side = page.get_by_role("complementary", name="Make a study")
        side.get_by_label("Control").select_option(label="Glint, samples 16 (2 seeds)")
        side.get_by_label("Trial").select_option(label="Glint, samples 64 (2 seeds)")
        side.get_by_role("form", name="Make a pair").get_by_label("Question").fill(
            "Were four times the samples worth it?"
        )
        side.get_by_role("button", name="Make the pair").click()
        page.wait_for_selector("canvas[data-drawn]")
        measure_outstanding(Option.objects.all())
        page.reload()
        expect(self.heading()).to_contain_text(re.compile(r"[45]\d % less noise|× faster|saves"))
        self.assert_accessible()

    def test_how_names_are_made_is_proposed_and_what_was_typed_comes_first(self):
        page = self.page
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files(self.made()[:-1])
        pattern = page.get_by_label("How the file names are made (may be left empty)")
        expect(pattern).to_have_value("{scene}_{view}_{samples}spp_s{seed}")
        names = page.get_by_role("region", name="Name pattern")
        expect(names).to_contain_text("4 of 4 names follow the pattern. It is a proposal: correct what is wrong.")
        expect(page.get_by_label("What PNG, JPEG and TIFF values went through")).to_have_count(0)
        self.assert_accessible()
        pattern.fill("")
        expect(names).to_contain_text("The names: stall_top_16spp_s1.exr, stall_top_16spp_s2.exr, ")
        pattern.fill("{scene}_{variant}_{samples}spp_s{seed}")
        page.get_by_role("button", name="Not now").click()
        page.locator('input[type="file"]').set_input_files(self.made()[:-1])
        expect(pattern).to_have_value("{scene}_{variant}_{samples}spp_s{seed}")
        page.get_by_role("button", name="Import all 4").click()
        expect(self.heading()).to_contain_text("4 renders imported: fill in what is missing for 4.")
        expect(page.get_by_label("View", exact=True)).to_have_value("main")
        page.get_by_label("Engine", exact=True).fill("Glint")
        page.get_by_role("button", name="Fill in").click()
        expect(page.locator("tr[data-render]").first).to_contain_text("stall main")
        self.unfold("How the file names are made: {scene}_{variant}_{samples}spp_s{seed}")
        pattern.fill("{scene}_{mood}_{samples}spp_s{seed}")
        page.get_by_role("button", name="Read the names by it").click()
        expect(page.locator("tr[data-render]").first).to_contain_text("mood top")
        self.assert_accessible()

    def test_files_are_dropped_with_the_pointer(self):
        page = self.page
        self.open("/imports")
        page.get_by_role("button", name="Drop renders here").evaluate(
            """place => {
                const transfer = new DataTransfer();
                transfer.items.add(new File(["no picture"], "dropped_s1.exr"));
                transfer.items.add(new File(["file,seed\\ndropped_s1.exr,4\\n"], "times.csv"));
                const how = {bubbles: true, cancelable: true, dataTransfer: transfer};
                for (const kind of ["dragover", "drop"]) place.dispatchEvent(new DragEvent(kind, how));
            }"""
        )
        expect(page.get_by_text("1 picture and the table times.csv. Nothing is imported yet.")).to_be_visible()
        page.get_by_role("button", name="Import it").click()
        expect(self.heading()).to_contain_text("0 renders imported, 1 could not be")
        expect(page.get_by_label("Files that could not be imported")).to_contain_text("dropped_s1.exr")
        self.assertEqual(ImportedRender.objects.get().from_table["fields"], {"seed": 4})

    def test_from_a_folder_and_nothing_half_taken_when_the_page_goes(self):
        page = self.page
        self.made()
        self.open("/imports")
        page.get_by_label("Or a folder on the server's machine").fill("/etc")
        page.get_by_role("button", name="Look into the folder").click()
        expect(self.alert()).to_contain_text("only folders within")
        with self.settings(IMPORT_ROOT=self.renders.resolve()):
            page.get_by_label("Or a folder on the server's machine").fill(str(self.renders.resolve()))
            page.get_by_role("button", name="Look into the folder").click()
            expect(page.get_by_text("5 pictures. Nothing is imported yet.")).to_be_visible()
            page.get_by_role("button", name="Import all 5").click()
            expect(self.heading()).to_contain_text("4 renders imported, 1 could not be")
        self.assertEqual(ImportedRender.objects.filter(problem="").count(), 4)
        page.get_by_role("button", name="Remove this set").click()
        page.get_by_role("button", name="Put it back").click()
        expect(self.heading()).to_contain_text("4 renders imported")

    def test_a_display_encoded_picture_is_marked_until_its_transform_is_stated(self):
        page = self.page
        path = self.renders / "top.png"
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(64, 48, 3, "uint8"))
        output.write_image(np.round(255 * textured((64, 48)) ** (1 / 2.2)).astype(np.uint8))
        output.close()
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files(path)
        page.get_by_role("button", name="Import it").click()
        row = page.locator('tr[data-render="top.png"]')
        expect(row).to_contain_text("display-encoded: look only")
        page.get_by_label("Values went through").select_option("sRGB - Display / Un-tone-mapped")
        page.get_by_role("button", name="Fill in").click()
        expect(row).to_contain_text("linear, sRGB - Display / Un-tone-mapped undone")

    def test_light_set_ups_lead_to_the_photograph_they_are_compared_with(self):
        page = self.page
        base = textured((96, 72))
        fall = np.exp2(np.linspace(-1.5, 1.5, 96, dtype=np.float32))[None, :, None]
        lights = {"lantern": base * fall, "noon": base * fall[:, ::-1]}
        files, lines = [], ["file,engine,light,scene,view,seed"]
        for light, picture in lights.items():
            for seed in (1, 2):
                files.append(write(self.renders / f"{light}{seed}.exr", noisy(picture, 0.05, seed)))
                lines.append(f"{files[-1].name},Glint,{light},Stall,top,{seed}")
        table = self.renders / "farm.csv"
        table.write_text("\n".join(lines))
        taken = write(self.renders / "photo.exr", noisy(3 * lights["lantern"], 0.02, 9))
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files([*files, table])
        page.get_by_role("button", name="Import all 4").click()
        expect(page.locator('tr[data-render="noon1.exr"]')).to_contain_text("noon")
        side = page.get_by_role("complementary", name="Make a study")
        expect(side.get_by_label("It asks")).to_have_value("light")
        side.get_by_role("button", name="Make the study").click()
        side.get_by_role("link", name="Open the study").click()
        measure_outstanding(Option.objects.all())
        expect(self.heading()).to_contain_text("there is no photograph of this view")
        page.get_by_role("link", name="Add a photograph").click()
        expect(page.get_by_role("img", name="Stall, top, lantern")).to_be_visible()
        page.locator('input[type="file"]').set_input_files(taken)
        page.get_by_role("button", name="Add the reference").click()
        expect(page.locator('[data-reference="photo.exr"]')).to_contain_text("Photograph, 96 × 72")
        page.get_by_label("Variant").select_option("noon")
        expect(page.locator('[data-reference="photo.exr"]'), "it is of the view").to_be_visible()
        measure_outstanding(Option.objects.all())
        self.open(f"/studies/{Study.objects.get().pk}")
        expect(self.heading()).to_contain_text("Lantern comes nearest the photograph")

    def test_frames_become_a_sequence_with_its_gap_told(self):
        page = self.page
        for number in (1, 2, 3, 5):
            write(self.renders / f"lane.{number:04d}.exr", noisy(textured((64, 48)), 0.05, number))
        (self.renders / "lane.0006.exr").write_bytes(b"cut short")
        self.open("/imports")
        page.locator('input[type="file"]').set_input_files(sorted(self.renders.glob("lane.*.exr")))
        page.get_by_role("button", name=re.compile("Import (it|all)")).click()
        expect(self.heading()).to_contain_text("4 renders imported, 1 could not be")
        page.get_by_role("checkbox", name="All renders").check()
        page.get_by_label("Scene", exact=True).fill("Lane")
        page.get_by_label("View", exact=True).fill("main")
        page.get_by_label("Engine", exact=True).fill("Glint")
        page.get_by_role("button", name="Fill in").click()
        form = page.get_by_role("form", name="Make a sequence")
        expect(form.get_by_label("Control")).to_contain_text("Glint (4 frames, 1 to 5, 1 missing)")
        form.get_by_label("Question").fill("Does the lane flicker?")
        self.assert_accessible()
        form.get_by_role("button", name="Make the sequence").click()
        form.get_by_role("link", name="See it in motion").click()
        measure_sequences([Study.objects.get().pk])
        page.reload()
        row = page.get_by_role("table", name="Sequences").locator("tbody tr")
        expect(row).to_contain_text("no frame 4")
        expect(self.heading()).to_contain_text("flickers least")
        row.get_by_role("button", name="Use as reference").click()
        expect(row.get_by_role("button", name="Use as reference")).to_have_count(0)
