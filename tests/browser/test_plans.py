"""Plans of each kind planned and run in a real browser with tiny renders, and the run table by keyboard."""

import re
import shutil
import sys

from playwright.sync_api import expect

from server.measuring.models import Comparison
from server.runs.actions import hold
from server.runs.models import Run
from server.studies.models import Study
from tests.browser.base import ROOT, BrowserTest
from tests.engines import add_ladder
from tests.runner import Processes, until
from tests.server.base import factor, finish_all


class Planning(BrowserTest):
    """The form, with engines that take no time."""

    def setUp(self):
        super().setUp()
        text = (self.folder / "good.toml").read_text()
        other = text.replace('name = "good"', 'name = "other"', 1).replace('title = "Good"', 'title = "Other"')
        (self.folder / "other.toml").write_text(other)
        add_ladder(self.folder, "steps")

    def ask(self, question):
        self.open("/studies/new")
        self.page.get_by_text(question).click()
        expect(self.page.get_by_role("complementary", name="Plan and match sheet")).to_be_visible()

    def own(self, kind, engine="good"):
        self.ask("A question of your own")
        page = self.page
        page.get_by_role("combobox", name=re.compile("^Engine")).select_option(engine)
        page.get_by_role("combobox", name=re.compile("^Plan")).select_option(kind)
        page.get_by_label("Question").fill(f"A plan of the kind {kind}?")
        self.small()

    def small(self):
        self.page.get_by_role("combobox", name=re.compile("^Size")).select_option("Own size")
        self.page.get_by_label("Width", exact=True).fill("48")
        self.page.get_by_label("Height", exact=True).fill("36")

    def vary(self, title, levels=None):
        self.page.get_by_role("button", name=f"Vary this: {title}", exact=True).click()
        field = self.page.get_by_label(f"{title}, levels")
        expect(field).to_be_visible()
        if levels is not None:
            field.fill(levels)
        return field

    def plan(self):
        return self.page.get_by_role("table", name="Plan")


class Planned(Planning):
    """From a question to finished renders."""

    def run_it(self, count, pairs=0):
        """Run until so many renders are finished and so many pairs compared."""
        with Processes():
            self.page.get_by_role("button", name="Create and run").click()
            finished = self.page.locator('tr[data-state-of="finished"]')
            expect(finished).to_have_count(count, timeout=300_000)
            until(lambda: Comparison.objects.count() >= pairs, f"{pairs} pairs compared")
        return Study.objects.latest("id")

    def test_one_setting_through_its_range(self):
        self.own("range")
        self.vary("Samples", "2  8  16")
        expect(self.plan().locator("tbody tr")).to_have_count(4)
        self.assert_accessible()
        study = self.run_it(9, pairs=3)
        self.assertEqual(study.kind, "range")
        expect(self.heading()).to_contain_text(re.compile("samples are enough|More than 16"))
        expect(self.page.get_by_role("table", name="Pairs").locator("tbody tr")).to_have_count(3)
        self.assert_accessible()

    def test_a_full_table_with_a_row_left_out_by_hand(self):
        self.own("table")
        self.vary("Samples", "8")
        self.vary("Extra")
        expect(self.plan().locator("tbody tr")).to_have_count(4)
        self.plan().get_by_label("Render samples 8, extra on").uncheck()
        expect(self.plan()).to_contain_text("left out by hand")
        study = self.run_it(7)
        self.assertEqual(study.options.exclude(left_out="").get().title, "samples 8, extra on")

    def test_a_ladder_from_one_render_a_seed_seen_growing_cleaner(self):
        self.own("ladder", engine="steps")
        self.page.get_by_label("Samples, control").fill("4")
        self.page.get_by_label("Pause (s), control").or_(self.page.get_by_label("Pause, control")).first.fill("3")
        self.vary("Samples", "2  8")
        expect(self.plan()).to_contain_text("on the way")
        with Processes():
            self.page.get_by_role("button", name="Create and run").click()
            expect(self.page.get_by_alt_text("The render so far")).to_be_visible(timeout=300_000)
            expect(self.page.locator('tr[data-state-of="finished"]')).to_have_count(7, timeout=300_000)
        self.assertEqual(Run.objects.exclude(made_by=None).count(), 4)

    def test_engines_on_scenes_and_their_pairs(self):
        self.own("engines-scenes")
        self.page.get_by_role("button", name="Vary this: Engine").click()
        self.page.get_by_role("group", name="Engine, levels").get_by_label("Other (default settings)").check()
        self.page.get_by_role("group", name="Engine, levels").get_by_label("Steps (default settings)").uncheck()
        self.page.get_by_role("button", name="Vary this: Scene").click()
        scenes = self.page.get_by_role("group", name="Scene, levels")
        expect(scenes).to_be_visible()
        for box in scenes.get_by_role("checkbox").all():
            box.set_checked(False)
        scenes.get_by_label("Mist lane").check()
        expect(self.plan().locator("tbody tr")).to_have_count(4)
        self.run_it(12)
        pairs = self.page.get_by_role("table", name="Pairs")
        expect(pairs).to_contain_text("engine Other (default settings) on Mist lane")
        pairs.get_by_role("link", name="Look at engine Other (default settings) on Mist lane").click()
        self.page.wait_for_selector("canvas[data-drawn]")

    def test_size_and_samples_in_step(self):
        self.own("same-time")
        self.vary("Size", "24x18  96x72")
        self.vary("Samples", "16  1")
        expect(self.plan().locator("tbody tr")).to_have_count(3)
        study = self.run_it(7)
        sizes = sorted((o.setup.width, o.settings["samples"]) for o in study.options.all())
        self.assertEqual(sizes, [(24, 16), (48, 4), (96, 1)])

    def test_version_against_version(self):
        path = self.folder / "good.toml"
        builds = "".join(f'\n[[build]]\nname = "{n}"\nprogram = "{sys.executable}"\n' for n in ("new", "old"))
        path.write_text(path.read_text() + builds)
        self.own("versions")
        self.page.get_by_role("button", name="Vary this: Build").or_(
            self.page.get_by_role("button", name="Change this for the trial: Build")
        ).click()
        expect(self.plan().locator("tbody tr")).to_have_count(2)
        study = self.run_it(6)
        self.assertEqual(set(study.options.values_list("build", flat=True)), {"new", "old"})
        self.assertEqual(study.runs.filter(warm_up=True).count(), 2)

    def test_a_quantity_of_the_scene_and_a_budget_that_trims_the_plan(self):
        shutil.copy(ROOT / "demo" / "engines" / "sedge.toml", self.folder / "sedge.toml")
        self.own("range", engine="sedge")
        self.vary("Height of the lamp", "1.2  1.4  1.8  2.0")
        expect(self.plan().locator("tbody tr")).to_have_count(5)
        self.unfold("Budget, small first")
        self.page.get_by_label("At most (renders)").fill("6")
        expect(self.page.get_by_text("The budget left 2 options out")).to_be_visible()
        study = self.run_it(7)
        self.assertEqual(study.options.exclude(left_out="").count(), 2)

    def test_what_does_not_fit_the_kind_is_said_and_the_rest_is_kept(self):
        self.own("ladder")
        self.vary("Level")
        expect(self.alert()).to_contain_text("Quality ladder varies samples")
        self.page.get_by_role("combobox", name=re.compile("^Plan")).select_option("range")
        expect(self.plan()).to_be_visible()
        expect(self.page.get_by_label("Question")).to_have_value("A plan of the kind ladder?")

    def test_a_level_is_added_later_and_only_it_is_rendered(self):
        study = self.create(kind="range", factors=[factor("samples", 8)])
        finish_all(study)
        self.open(f"/studies/{study.pk}")
        self.page.get_by_role("link", name="Change the plan").click()
        expect(self.page.get_by_label("Samples, levels")).to_have_value("8")
        self.page.get_by_label("Samples, levels").fill("8 32")
        expect(self.plan().locator("tbody tr")).to_have_count(3)
        with Processes():
            self.page.get_by_role("button", name="Change the plan and run what is new").click()
            # a warm-up comes first: it was another machine that rendered before
            expect(self.page.locator('tr[data-state-of="finished"]')).to_have_count(8, timeout=300_000)
        self.assertEqual(set(study.runs.filter(option__title="samples 32").values_list("attempt", flat=True)), {1})
        self.assertEqual(study.runs.filter(option__title="samples 8", attempt=1).count(), 2)

    def test_a_study_is_copied_archived_and_removed_with_a_way_back(self):
        study = self.create()
        self.open(f"/studies/{study.pk}")
        page = self.page
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Copy").click()
        expect(page.get_by_label("Question")).to_have_value("Do more samples pay?")
        expect(page.get_by_label("Samples, trial")).to_have_value("16")
        self.open(f"/studies/{study.pk}")
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Remove").click()
        expect(page.get_by_text("The study is removed.")).to_be_visible()
        page.get_by_role("button", name="Put it back").first.click()
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Archive").click()
        expect(page.get_by_text("Archived")).to_be_visible()
        page.get_by_role("link", name="Studies", exact=True).click()
        expect(page.locator("[data-study]")).to_have_count(0)
        page.get_by_label("1 archived").check()
        expect(page.locator("[data-study]")).to_have_count(1)


class Pilots(Planning):
    engines = ("good", "fails")
    pilots = True

    def test_tiny_renders_begin_by_themselves_and_tell_what_a_plan_will_cost(self):
        self.own("range", engine="good")
        self.page.get_by_role("combobox", name=re.compile("^Size")).select_option("480 × 270")
        self.vary("Samples", "8")
        expect(self.page.get_by_text("Time not known")).to_be_visible()
        expect(self.page.get_by_text("Finding out what it takes: 2 tiny renders to go")).to_be_visible()
        self.assert_accessible()
        with Processes():
            expect(self.page.get_by_text(re.compile("^About "))).to_be_visible(timeout=300_000)
        self.unfold("What that rests on")
        expect(self.page.get_by_text("the same render at another size")).to_be_visible()
        self.open("/")
        expect(self.heading()).to_have_text("No study yet: ask a question and change one thing.")

    def test_where_somebody_wants_it_so_they_wait_to_be_asked_and_they_say_why_they_failed(self):
        self.page.add_init_script("localStorage.setItem('matchedpair.pilots by themselves', 'false');")
        self.own("range", engine="fails")
        self.vary("Samples", "8")
        expect(self.page.get_by_text("2 tiny renders, 80 pixels wide, would tell.")).to_be_visible()
        expect(self.page.get_by_label("Always find out by tiny renders")).not_to_be_checked()
        with Processes():
            self.page.get_by_role("button", name="Find out").click()
            expect(self.page.get_by_text("The time could not be found out.")).to_be_visible(timeout=300_000)
        expect(self.page.get_by_role("button", name="Try again")).to_be_visible()


class Queue(BrowserTest):
    def test_it_is_paused_reordered_and_goes_on_and_a_reload_shows_the_same(self):
        study = self.create(settings={"samples": 4, "pause": 2.5})
        page = self.page
        self.open("/queue")
        expect(self.heading()).to_have_text("Nothing waits to be rendered.")
        self.call("POST", f"/api/studies/{study.pk}/start/")
        expect(page.get_by_role("table", name="Waiting renders").locator("tbody tr")).to_have_count(5)
        page.get_by_role("button", name="Pause").click()
        expect(self.heading()).to_contain_text("The queue is paused; 5 renders wait")
        last = study.runs.order_by("queued_order").last()
        page.get_by_role("button", name=f"Render {last.pk} next").click()
        expect(page.locator("tbody tr").first).to_have_attribute("data-run", str(last.pk))
        self.assert_accessible()
        page.reload()
        expect(page.locator("tbody tr").first).to_have_attribute("data-run", str(last.pk))
        with Processes():
            page.wait_for_timeout(700)
            self.assertEqual(study.runs.filter(state="queued").count(), 5)
            page.get_by_role("button", name="Go on").click()
            page.get_by_role("button", name="Stop this one").click(timeout=120_000)
            expect(page.locator("[data-running]")).to_be_visible()
            self.assert_accessible()
            expect(self.heading()).to_have_text("Nothing waits to be rendered.", timeout=300_000)
        self.assertEqual(study.runs.filter(state="stopped").count(), 1)

    def test_a_queue_that_is_held_says_why(self):
        hold("The disk is full: a picture could not be stored.")
        self.open("/queue")
        expect(self.alert()).to_contain_text("The disk is full")
        self.page.get_by_role("button", name="Go on").click()
        expect(self.alert()).to_have_count(0)


class Told(BrowserTest):
    def test_the_system_tells_when_a_study_is_done_if_that_was_wanted(self):
        self.page.add_init_script("""
            window.told = [];
            window.Notification = class { constructor(title) { window.told.push(title); } };
            window.Notification.permission = 'granted';
            window.Notification.requestPermission = async () => 'granted';
        """)
        study = self.create(question="Told when it is done?")
        self.open("/queue")
        self.page.get_by_label("Tell me when a study is done").check()
        self.call("POST", f"/api/studies/{study.pk}/start/")
        self.page.get_by_role("link", name="Engines").click()
        self.page.wait_for_timeout(2500)
        self.assertEqual(self.page.evaluate("window.told"), [])
        with Processes():
            self.all_ended()
            until(lambda: self.page.evaluate("window.told.length > 0"), "the system being told")
        self.assertEqual(self.page.evaluate("window.told"), ["Told when it is done?"])


class Table(BrowserTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(kind="table", factors=[factor("samples", 8, 16), factor("extra", True)])
        finish_all(self.study)

    def rows(self):
        return self.page.locator("tr[data-run]")

    def grid(self):
        return self.page.get_by_role("grid", name="Runs")

    def test_words_groups_columns_and_order_are_remembered(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        expect(self.rows()).to_have_count(13)
        page.get_by_label("Look for runs with these words").fill("samples 16")
        expect(self.rows()).to_have_count(4)
        page.get_by_label("Group by").select_option("by extra")
        expect(page.locator("tr[data-group]")).to_have_count(2)
        expect(page.locator('tr[data-group="on"]')).to_contain_text("10.0")
        page.get_by_role("button", name="Columns").click()
        page.get_by_label("Machine").check()
        page.keyboard.press("Escape")
        expect(page.get_by_role("columnheader", name="Machine")).to_be_visible()
        page.get_by_role("columnheader", name="Seed").get_by_role("button").click()
        expect(page.get_by_role("columnheader", name="Seed")).to_have_attribute("aria-sort", "ascending")
        self.assert_accessible()
        with page.expect_download() as download:
            page.get_by_role("link", name="CSV").click()
        text = download.value.path().read_text()
        self.assertEqual(text.count("\n"), 5)
        self.assertIn("Machine", text.splitlines()[0])
        page.reload()
        expect(page.locator("tr[data-group]")).to_have_count(2)
        expect(page.get_by_label("Look for runs with these words")).to_have_value("samples 16")

    def test_two_runs_are_picked_by_keyboard_and_their_pair_is_looked_at(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        expect(self.rows()).to_have_count(13)
        self.grid().focus()
        for key in ("ArrowDown", "ArrowDown", " ", "ArrowDown", " "):
            page.keyboard.press(key)
        expect(page.locator('tr[data-picked="control"]')).to_have_count(1)
        expect(page.locator('tr[data-picked="trial"]')).to_have_count(1)
        page.keyboard.press("p")
        page.wait_for_selector("canvas[data-drawn]")

    def test_the_runs_are_a_grid_that_keys_move_through_cell_by_cell(self):
        page = self.page
        self.open(f"/studies/{self.study.pk}")
        expect(self.rows()).to_have_count(13)
        grid = self.grid()
        expect(grid).to_have_attribute("aria-rowcount", "14")
        grid.focus()
        page.keyboard.press("ArrowUp")
        here = page.locator("[data-here]")
        while here.inner_text().strip() != "Seed":
            page.keyboard.press("ArrowRight")
        self.assertEqual(here.get_attribute("id"), grid.get_attribute("aria-activedescendant"))
        page.keyboard.press("Enter")
        expect(page.get_by_role("columnheader", name="Seed")).to_have_attribute("aria-sort", "ascending")
        for key in ("ArrowDown", "End"):
            page.keyboard.press(key)
        expect(here.get_by_role("button", name=re.compile("^Log"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(here.get_by_role("button").first).to_be_focused()
        for key in ("ArrowRight", "Enter"):
            page.keyboard.press(key)
        expect(page.get_by_role("dialog")).to_be_visible()
        page.keyboard.press("Escape")
        expect(here.get_by_role("button", name=re.compile("^Log"))).to_be_focused()
        page.keyboard.press("Escape")
        expect(grid).to_be_focused()
        page.keyboard.press(" ")
        expect(page.locator('tr[aria-selected="true"]')).to_have_count(1)
        self.assert_accessible()

    def test_twins_are_no_pair_and_that_is_said(self):
        self.open(f"/studies/{self.study.pk}")
        self.page.get_by_label("Look for runs with these words").fill("samples 16, extra on")
        expect(self.rows()).to_have_count(2)
        for row in (0, 1):
            self.rows().nth(row).get_by_role("button", name=re.compile("^Pick")).click()
        self.page.get_by_role("button", name="Look at this pair").click()
        expect(self.alert()).to_contain_text("they are twins and differ in the seed alone")

    def test_thousands_of_rows_scroll_without_a_missed_one(self):
        option = self.study.options.first()
        Run.objects.bulk_create(
            Run(study=self.study, option=option, seed=100 + n, position=100 + n, state="finished", wall_seconds=2.0,
                ready_seconds=1.0, cpu_seconds=2.0, machine_name="bench")
            for n in range(3000)
        )  # fmt: skip
        self.open(f"/studies/{self.study.pk}")
        expect(self.page.get_by_role("region", name="Run table")).to_contain_text("3013 runs")
        box = self.grid().locator("xpath=..")
        for share in (0.3, 0.71, 1.0):
            box.evaluate("(box, share) => { box.scrollTop = share * box.scrollHeight; }", share)
            expect(self.rows().nth(8)).to_be_visible()
            expect(self.page.locator('tr[aria-busy="true"]')).to_have_count(0)
        expect(self.rows().last).to_contain_text("3099")


class RealLadder(BrowserTest):
    def test_samples_of_alder_from_the_question_in_under_a_minute(self):
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder / "alder.toml")
        (self.folder / "good.toml").unlink()
        self.open("/studies/new")
        self.page.get_by_text("How many samples are enough?").click()
        expect(self.page.get_by_label("Samples per pixel, levels")).to_have_value("4  8  32  64")
        with Processes():
            self.page.get_by_role("button", name="Create and run").click()
            expect(self.page.locator("[data-running]")).to_be_visible(timeout=300_000)
