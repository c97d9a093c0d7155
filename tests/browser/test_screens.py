import re
import shutil
from pathlib import Path

from django.conf import settings
from playwright.sync_api import expect

from server.measuring.measuring import measure_outstanding
from server.runs.actions import queue_study
from server.runs.models import Run
from server.studies.models import Option, Study
from tests.browser.base import ROOT, BrowserTest
from tests.engines import add_engine
from tests.runner import Processes, until
from tests.server.base import finish_all


class NewStudy(BrowserTest):
    engines = ("good",)

    def setUp(self):
        super().setUp()
        self.open("/studies/plan")

    def change_samples(self, value):
        self.page.get_by_role("button", name="Change this for the trial: Samples").click()
        self.page.get_by_label("Samples, trial").fill(value)

    def test_out_of_range_is_said_beside_the_field_and_nothing_typed_is_lost(self):
        page = self.page
        page.get_by_label("Question").fill("Do more samples pay?")
        self.change_samples("99999")
        expect(page.locator('[data-setting="samples"]')).to_contain_text("must be between 1 and 4096, got 99999")
        expect(self.heading()).to_have_text("Something does not fit yet; it is marked below.")
        expect(page.get_by_role("button", name="Create and run")).to_be_disabled()
        self.assert_accessible()
        page.get_by_label("Samples, trial").fill("lots")
        expect(page.locator('[data-setting="samples"]')).to_contain_text("must be a number, got 'lots'")
        page.get_by_label("Samples, trial").fill("4")
        expect(self.alert()).to_contain_text("at least one level other than the control's")
        page.get_by_label("Samples, trial").fill("8")
        expect(page.get_by_role("button", name="Create and run")).to_be_enabled()
        expect(page.get_by_label("Question")).to_have_value("Do more samples pay?")

    def test_only_one_setting_can_be_changed(self):
        self.change_samples("8")
        self.page.get_by_role("button", name="Change this for the trial: Level").click()
        expect(self.page.get_by_label("Samples, trial")).to_have_count(0)
        expect(self.page.get_by_label("Level, trial")).to_have_value("high")

    def test_a_setting_goes_back_to_its_default(self):
        self.page.get_by_label("Samples, control").fill("77")
        self.page.get_by_role("button", name="back to 4").click()
        expect(self.page.get_by_label("Samples, control")).to_have_value("4")

    def test_the_form_is_remembered_and_can_be_cleared(self):
        self.page.get_by_label("Question").fill("Half a question")
        self.page.get_by_label("Samples, control").fill("9")
        self.page.reload()
        expect(self.page.get_by_label("Question")).to_have_value("Half a question")
        expect(self.page.get_by_label("Samples, control")).to_have_value("9")
        self.page.get_by_role("button", name="Clear the form").click()
        expect(self.page.get_by_label("Question")).to_have_value("")
        self.page.get_by_role("button", name="Put back what was cleared").click()
        expect(self.page.get_by_label("Question")).to_have_value("Half a question")

    def test_a_definition_that_cannot_be_used_is_said(self):
        (Path(settings.ENGINES) / "bad.toml").write_text("format = 1")
        self.page.reload()
        expect(self.page.get_by_text("Left out: bad.toml: name: expected text, got None")).to_be_visible()

    def test_without_any_engine_the_form_says_what_to_do(self):
        (Path(settings.ENGINES) / "good.toml").unlink()
        self.page.reload()
        expect(self.page.get_by_text("Put an engine definition into the engines folder")).to_be_visible()


class StudyScreen(BrowserTest):
    engines = ("good", "fails", "hangs")

    def show(self, **changes):
        study = self.create(**changes)
        self.open(f"/studies/{study.pk}")
        return study

    def test_a_planned_study_says_what_to_do(self):
        self.show()
        expect(self.heading()).to_have_text("Planned, not run yet.")
        self.assert_accessible()

    def test_without_a_runner_it_is_said_why_nothing_happens(self):
        self.show()
        expect(self.page.get_by_text("No runner is at work, so renders wait.")).to_be_visible()
        self.page.get_by_role("button", name="Run 4 renders").click()
        expect(self.page.locator('tr[data-state-of="queued"]')).to_have_count(5)

    def test_failed_renders_show_reason_and_log_and_can_be_run_again(self):
        self.show(engine="fails")
        with Processes():
            self.page.get_by_role("button", name="Run 4 renders").click()
            expect(self.page.locator('tr[data-state-of="failed"]')).to_have_count(5, timeout=300_000)
            row = self.page.locator("tr[data-run]").nth(1)
            expect(row).to_contain_text("Fails failed (exit code 3): out of texture memory")
            self.assert_accessible()
            self.page.get_by_role("button", name="Log of control, seed 1").click()
            expect(self.page.get_by_role("dialog")).to_contain_text("out of texture memory")
            self.page.keyboard.press("Escape")
            add_engine(Path(settings.ENGINES), "good", name="fails")
            self.page.get_by_role("button", name="Again: render trial samples 16, seed 2").click()
            expect(self.page.locator('tr[data-state-of="finished"]')).to_have_count(1, timeout=120_000)
            self.page.get_by_role("button", name="Run the rest").click()
            expect(self.page.locator('tr[data-state-of="finished"]')).to_have_count(4, timeout=300_000)
            expect(self.page.get_by_role("button", name="Run the rest")).to_have_count(0)

    def test_progress_is_live_and_one_or_all_can_be_stopped(self):
        study = self.show(settings={"samples": 4, "pause": 6})
        with Processes():
            self.page.get_by_role("button", name="Run 4 renders").click()
            under_way = self.page.get_by_role("region", name="Under way")
            expect(under_way).to_contain_text("the warm-up", timeout=120_000)
            expect(under_way).to_contain_text("so far")
            expect(self.page.get_by_role("status").first).to_contain_text("left")
            self.page.get_by_role("button", name="Stop the warm-up").click()
            expect(self.page.locator("tr[data-run]").first).to_have_attribute("data-state-of", "stopped")
            expect(self.page.locator("tr[data-run]").nth(1)).to_have_attribute("data-state-of", "running")
            self.page.get_by_role("button", name="Stop all").click()
            expect(self.page.locator('tr[data-state-of="stopped"]')).to_have_count(5)
        self.assertEqual(set(study.runs.values_list("state", flat=True)), {"stopped"})

    def test_a_second_page_shows_the_same(self):
        study = self.show(settings={"samples": 4, "pause": 3})
        other = self.page.context.new_page()
        other.goto(self.page.url)
        with Processes():
            self.page.get_by_role("button", name="Run 4 renders").click()
            expect(other.locator('tr[data-state-of="running"]')).to_have_count(1, timeout=120_000)
            until(lambda: study.runs.filter(state="finished").exists(), "a finished run")
            expect(other.locator('tr[data-state-of="finished"]')).not_to_have_count(0)

    def test_a_finished_render_is_discarded_only_when_asked_twice(self):
        study = self.create()
        finish_all(study)
        self.open(f"/studies/{study.pk}")
        again = self.page.get_by_role("button", name="Again: render control, seed 1")
        again.click()
        self.page.get_by_role("button", name="Keep control, seed 1").click()
        self.assertEqual(study.runs.filter(state="finished").count(), 5)
        again.click()
        self.page.get_by_role("button", name="Discard control, seed 1 and render it again").click()
        expect(self.page.locator('tr[data-state-of="queued"]')).to_have_count(1)
        self.assertEqual(study.runs.filter(state="finished").count(), 4)

    def test_an_action_that_fails_is_said_beside_it(self):
        study = self.create()
        finish_all(study)
        self.open(f"/studies/{study.pk}")

        def first_queued_by_another(route):
            study.runs.filter(option__side="trial", seed=2).update(state="queued")
            route.continue_()

        self.page.route("**/again/", first_queued_by_another)
        self.page.get_by_role("button", name="Again: render trial samples 16, seed 2").click()
        self.page.get_by_role("button", name="Discard trial samples 16, seed 2 and render it again").click()
        expect(self.page.get_by_text("this run is still queued or running; stop it first")).to_be_visible()

    def test_waiting_for_other_studies_is_said(self):
        queue_study(self.create(question="First"))
        study = self.create(question="Second")
        queue_study(study)
        self.open(f"/studies/{study.pk}")
        expect(self.page.get_by_role("status").first).to_contain_text("waiting for 5 other renders")
        self.assertEqual(Run.objects.count(), 10)

    def test_a_server_that_does_not_answer_is_said(self):
        self.show()
        expect(self.heading()).to_be_visible()
        self.page.route("**/api/**", lambda route: route.abort())
        expect(self.page.get_by_text("The server does not answer; what you see may be old.")).to_be_visible(
            timeout=300_000
        )


class OneThingOfAnyKind(BrowserTest):
    """Besides a setting: engine, build, preset, variant, a quantity of the scene."""

    def setUp(self):
        super().setUp()
        for name in ("alder", "sorrel"):
            shutil.copy(ROOT / "demo" / "engines" / f"{name}.toml", self.folder / f"{name}.toml")
        self.open("/studies/plan?scene=mist-lane&view=lane")
        self.page.get_by_role("combobox", name=re.compile("^Engine")).select_option("alder")
        self.sheet = self.page.get_by_role("complementary", name="Plan and match sheet")

    def change(self, title):
        self.page.get_by_role("button", name=f"Change this for the trial: {title}").click()

    def test_each_is_matched_in_all_but_itself(self):
        for title, words, key in (
            ("Engine", "engine", "engine"), ("Build", "version", "version"), ("Preset", "settings", "settings"),
            ("Variant", "variant", "light"), ("Density of the mist", "scene quantities", "quantities"),
        ):  # fmt: skip
            self.change(title)
            expect(self.sheet).to_contain_text(re.compile(rf"Matched but for {words}[.;]"))
            expect(self.sheet.locator(f'[data-condition="{key}"]')).to_have_attribute("data-state-of", "under_test")
        self.assert_accessible()

    def test_a_quantity_out_of_its_range_is_said_beside_it(self):
        self.change("Density of the mist")
        self.page.get_by_label("Density of the mist, trial").fill("9")
        row = self.page.locator('[data-subject="quantity:mist_density"]')
        expect(row).to_contain_text("must be between 0 and 0.5 1/m, got 9")
        self.page.get_by_label("Density of the mist, trial").fill("0.2")
        expect(self.sheet.locator('[data-condition="quantities"]')).to_contain_text("mist density 0.2")
        row.get_by_role("button", name="keep it the same").click()
        expect(self.page.get_by_label("Density of the mist, trial")).to_have_count(0)

    def test_a_preset_is_taken_over_and_everything_goes_back_to_the_default(self):
        start = self.page.get_by_label("Start from")
        start.select_option("final")
        expect(self.page.get_by_label("Samples per pixel, control")).to_have_value("256")
        self.page.get_by_label("Samples per pixel, control").fill("99")
        expect(start).to_have_value("")
        start.select_option("default")
        expect(self.page.get_by_label("Samples per pixel, control")).to_have_value("16")

    def test_frame_format_transform_and_passes_go_with_the_study(self):
        page = self.page
        page.get_by_label("Frame (1 to 24)").fill("12")
        self.unfold("File format, view transform, passes")
        page.get_by_label("File format").select_option("exr-float")
        page.get_by_label("View transform").select_option("sRGB - Display / ACES 1.0 - SDR Video")
        page.get_by_label("Depth").check()
        self.change("Samples per pixel")
        expect(self.sheet.locator('[data-condition="frame"]')).to_contain_text("12")
        expect(self.sheet.locator('[data-condition="format"]')).to_contain_text("EXR, float, zip")
        page.get_by_label("Question").fill("More samples at frame 12?")
        page.get_by_role("button", name="Create only").click()
        expect(self.page.get_by_text("Planned, not run yet")).to_be_visible()
        study = Study.objects.get()
        self.assertEqual((study.setup.frame, study.setup.output_format, study.passes), (12, "exr-float", ["depth"]))
        self.assertEqual(study.setup.view_transform, "sRGB - Display / ACES 1.0 - SDR Video")

    def test_a_switch_that_is_off_elsewhere_is_told_before_it_runs(self):
        page = self.page
        page.get_by_role("combobox", name=re.compile("^Engine")).select_option("sorrel")
        self.change("Focused light")
        expect(self.sheet).to_contain_text("stays off on both sides: Photons must be on as well.")
        page.get_by_label("Photons, control").fill("50000")
        expect(self.sheet).not_to_contain_text("stays off")

    def test_two_engines_whose_brightness_is_apart_are_told(self):
        self.change("Engine")
        self.page.get_by_label("Engine, trial").select_option("sorrel")
        expect(self.sheet).to_contain_text("Alder and Sorrel have not been brought together in brightness")


class Dark(BrowserTest):
    """By the system's wish all surroundings are dark; what is read stays readable."""

    def prepare(self):
        super().prepare()
        self.study = self.create(asked="feature")
        finish_all(self.study, noise={"control": 0.3, "trial": 0.1})
        measure_outstanding(Option.objects.filter(study=self.study))

    def test_every_screen_keeps_its_contrast_and_pictures_their_surround(self):
        self.page.emulate_media(color_scheme="dark")
        study = f"/studies/{self.study.pk}"
        for path in ("/", study, f"{study}/measures", f"{study}/curves", f"{study}/decide", "/studies/plan", "/queue",
                     "/engines", "/scenes", "/recipes", "/imports"):  # fmt: skip
            self.open(path)
            expect(self.heading()).to_be_visible()
            self.assert_accessible()
        paper = "getComputedStyle(document.documentElement).backgroundColor"
        self.assertEqual(self.page.evaluate(paper), "rgb(34, 35, 35)")
        self.open(f"/pairs/{self.study.pairs.get().pk}")
        self.page.wait_for_selector("canvas[data-sharp=true]")
        self.assert_accessible()
        dark = self.surround()
        self.page.emulate_media(color_scheme="light")
        self.assertEqual(self.surround(), dark)

    def surround(self):
        """The colour around the pictures, which is no other in the dark."""
        self.drawn_anew()
        box = self.page.get_by_label("Pictures", exact=True).bounding_box()
        return tuple(self.screen()[int(box["y"] + box["height"]) - 4, int(box["x"]) + 200])
