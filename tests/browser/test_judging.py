"""Pins, marks, blind rounds, the contact sheet and the missing partner, by hand in a real browser."""

import re

import numpy as np
from playwright.sync_api import expect

from server.measuring.measuring import measure_outstanding
from server.runs.models import Run
from server.studies.models import Option, Pair
from server.verdicts.models import BlindRound, Pin, Verdict
from tests.browser.looking import LookingTest, displayed, stored
from tests.pictures import noisy, textured
from tests.server.base import factor, finish_all

SIZE = (60, 40)
GREY = np.full((SIZE[1], SIZE[0], 3), 0.25, dtype=np.float32)


class Pins(LookingTest):
    def prepare(self):
        super().prepare()
        self.pair = self.with_pictures(GREY, 0.5 * GREY)

    def setUp(self):
        super().setUp()
        self.open_pair(self.pair)

    def put(self, across, down, note):
        self.page.mouse.move(self.box["x"] + across * self.box["width"], self.box["y"] + down * self.box["height"])
        self.page.keyboard.press("p")
        self.page.get_by_label("What is to be seen here").fill(note)
        self.page.keyboard.press("Control+Enter")
        expect(self.page.get_by_role("dialog")).to_have_count(0)

    def test_a_pin_stays_at_its_place_on_both_sides_and_at_any_zoom(self):
        self.put(0.5, 0.5, "A rim here.")
        pin = self.page.locator("[data-pin]")
        expect(pin).to_have_count(1)
        kept = Pin.objects.get()
        self.assertAlmostEqual(kept.x, 0.5, delta=0.02)
        self.page.keyboard.press("n")
        expect(pin).to_have_count(2)
        boxes = [pin.nth(number).bounding_box() for number in (0, 1)]
        self.assertAlmostEqual(boxes[1]["x"] - boxes[0]["x"], self.box["width"] / 2, delta=2)
        self.press("d", "8")
        box = pin.bounding_box()
        middle = self.box["x"] + self.box["width"] / 2 + (kept.x * SIZE[0] - SIZE[0] / 2) * 8
        self.assertAlmostEqual(box["x"] + box["width"] / 2, middle, delta=3)
        pin.click()
        expect(self.page.locator("[data-part=pin-note]")).to_have_text("A rim here.")
        self.press("q")
        expect(pin).to_have_count(0)

    def test_pins_are_listed_changed_and_taken_away_with_a_way_back(self):
        self.put(0.4, 0.5, "First.")
        self.put(0.6, 0.5, "Second.")
        rows = self.page.locator("[data-pin-row]")
        expect(rows).to_have_count(2)
        rows.nth(0).get_by_role("button", name="Change").click()
        self.page.get_by_label("What is to be seen here").fill("First, seen again.")
        self.page.get_by_role("button", name="Save pin").click()
        expect(rows.nth(0)).to_contain_text("First, seen again.")
        rows.nth(0).get_by_role("button", name="Remove").click()
        expect(rows).to_have_count(1)
        self.page.get_by_role("button", name="Put it back").click()
        expect(rows).to_have_count(2)
        self.assert_accessible()

    def test_letters_typed_into_a_note_are_no_keys(self):
        self.page.mouse.move(self.box["x"] + 500, self.box["y"] + 300)
        self.page.keyboard.press("p")
        self.page.get_by_label("What is to be seen here").press_sequentially("xdzn")
        expect(self.page.get_by_label("What is to be seen here")).to_have_value("xdzn")
        self.assertEqual(self.stage.get_attribute("data-mode"), "divided")
        self.page.keyboard.press("Escape")
        self.assertEqual(Pin.objects.count(), 0)


class Verdicts(LookingTest):
    def test_it_is_given_by_three_keys_and_begins_with_what_was_measured(self):
        pair = self.with_pictures(GREY, 0.5 * GREY)
        self.call("GET", "/api/session/")
        self.open_pair(pair)
        page = self.page
        page.keyboard.press("Enter")
        asked = page.get_by_role("dialog", name="Which to use?")
        expect(asked).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("t")
        expect(asked.get_by_role("button", name=re.compile("^Trial"))).to_have_attribute("aria-pressed", "true")
        asked.get_by_label("Your name").fill("Rosa")
        asked.get_by_label("Reasons").press("Enter")
        expect(asked).to_have_count(0)
        verdict = Verdict.objects.get()
        self.assertEqual((verdict.chosen, verdict.author), ("trial", "Rosa"))
        self.assertEqual(verdict.reasons, verdict.sentence)
        expect(page.locator(f"[data-verdict='{verdict.pk}']")).to_contain_text("Trial")
        # Enter on a button is the button's
        page.get_by_role("button", name="1:1").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_label("Zoom", exact=True)).to_have_text(re.compile(r"^1(\.00)? ×$"))
        expect(asked).to_have_count(0)

    def test_marks_by_criterion_and_what_is_less_than_fair_are_kept_and_shown(self):
        pair = self.with_pictures(GREY, 0.5 * GREY)
        self.open_pair(pair)
        marks = self.page.locator("[data-part=marks]")
        marks.get_by_role("radio", name="Trial").first.click()
        marks.get_by_role("radio", name="Alike").nth(3).click()
        self.page.get_by_role("radio", name="Control").last.scroll_into_view_if_needed()
        self.page.get_by_label("Reasons").fill("Less grain on the boards.")
        self.page.get_by_label("Caveats").fill("One view only.")
        self.page.locator("input[name=chosen]").nth(1).check()
        self.page.get_by_role("button", name="Save verdict").click()
        verdict = self.page.locator("[data-verdict]")
        expect(verdict).to_contain_text("One view only.")
        self.assertEqual(Verdict.objects.get().marks, {"Noise": "trial", "Colour": "alike"})
        Run.objects.filter(option=pair.trial, seed=1).update(picture=stored(GREY))
        self.page.reload()
        expect(verdict).to_contain_text("Made on older figures, its pictures are others by now")
        self.assert_accessible()

    def test_the_studio_s_own_list_of_criteria(self):
        self.open_pair(self.with_pictures(GREY, 0.5 * GREY))
        self.page.get_by_role("button", name="Change the list").click()
        self.page.get_by_label("Criteria, one a line").fill("Grain\n\nSkin tones\n")
        self.page.get_by_role("button", name="Save the list").click()
        marks = self.page.locator("[data-part=marks]")
        expect(marks).to_contain_text("Skin tones")
        expect(marks.get_by_role("radio")).to_have_count(6)


class Blind(LookingTest):
    def prepare(self):
        super().prepare()
        self.pair = self.with_pictures(GREY, 0.5 * GREY)
        other = {"control": 1.02 * GREY, "trial": 0.51 * GREY}
        for side, picture in other.items():
            runs = Run.objects.filter(study=self.pair.study, option__side=side, warm_up=False)
            runs.filter(seed=2).update(picture=stored(picture))

    def setUp(self):
        super().setUp()
        self.open_pair(self.pair)

    def begin(self, kind, rounds="8"):
        self.unfold("Start a blind test")
        blind = self.page.locator("[data-part=blind]")
        blind.get_by_label("Question").select_option(kind)
        blind.get_by_label("Rounds").select_option(rounds)
        blind.get_by_role("button", name="Begin").click()
        self.page.wait_for_url(re.compile("/blind/"))

    def sides(self, number):
        """What is seen left and right in a round: the brightness in the middle of each half."""
        expect(self.page.locator(f"[data-round='{number}']")).to_be_visible()
        row = BlindRound.objects.get(number=number)
        self.page.wait_for_selector(f"canvas[data-sharp=true][data-shows='{row.left_picture} {row.right_picture}']")
        self.drawn_anew()
        box = self.page.get_by_label("Pictures", exact=True).bounding_box()
        shown = self.screen()
        row = int(box["y"] + box["height"] / 2)
        return [int(shown[row, int(box["x"] + share * box["width"])][0]) for share in (0.25, 0.75)]

    def test_somebody_who_sees_the_difference_is_told_so(self):
        self.begin("same")
        apart = abs(int(displayed(GREY)[0, 0, 0]) - int(displayed(0.5 * GREY)[0, 0, 0])) / 2
        for number in range(1, 9):
            left, right = self.sides(number)
            body = self.page.locator("main").inner_text()
            self.assertNotRegex(body, "(?i)control|trial|noise|good")
            self.page.keyboard.press("." if abs(left - right) > apart else ",")
        expect(self.heading()).to_have_text(re.compile(r"^The difference is seen: 8 of 8 right"))
        expect(self.page.locator("[data-part=blind-result]")).to_contain_text("a true share of")
        self.assert_accessible()
        self.assertTrue(all(seconds > 0 for seconds in BlindRound.objects.values_list("seconds", flat=True)))
        self.page.get_by_role("link", name="Back to the pair").click()
        expect(self.page.locator("[data-blind=same]")).to_contain_text("8 of 8 right")

    def test_a_preference_is_counted_for_the_side_wherever_it_stands(self):
        self.begin("better")
        for number in range(1, 9):
            left, right = self.sides(number)
            self.page.get_by_role("button", name="The left one" if left < right else "The right one").click()
        expect(self.heading()).to_have_text(re.compile(r"^The trial is preferred: .* 8 of 8 rounds"))

    def test_a_round_can_be_left_and_gone_on_with_and_one_picture_takes_the_other_s_place(self):
        self.begin("same")
        self.sides(1)
        self.page.keyboard.press(",")
        self.sides(2)
        self.page.keyboard.press("x")
        expect(self.page.get_by_label("Pictures", exact=True)).to_have_attribute("data-mode", "control")
        self.assert_accessible()
        self.page.get_by_role("link", name="Leave, go on later").click()
        self.page.get_by_role("link", name=re.compile("Go on with")).click()
        expect(self.page.locator("[data-round='2']")).to_be_visible()
        self.page.get_by_role("button", name="End here").click()
        self.page.get_by_role("button", name="End it").click()
        expect(self.heading()).to_contain_text("1 rounds are too few to tell anything from guessing")


class ContactSheet(LookingTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(
            kind="table", width=SIZE[0], height=SIZE[1], factors=[factor("samples", 8), factor("pause", 0.5)]
        )
        finish_all(self.study)
        self.levels = {}
        for number, option in enumerate(self.study.options.all(), start=1):
            self.levels[option.pk] = 0.1 * number
            picture = np.full((SIZE[1], SIZE[0], 3), 0.1 * number, dtype=np.float32)
            for run in Run.objects.filter(option=option, warm_up=False):
                Run.objects.filter(pk=run.pk).update(picture=stored(noisy(picture, 0.003, 10 * number + run.seed)))
        measure_outstanding(Option.objects.all())

    def setUp(self):
        super().setUp()
        self.open(f"/studies/{self.study.pk}/contact-sheet")
        self.page.wait_for_selector("[data-cell] img")

    def assert_brightness(self, cell, value):
        box = cell.locator("img").bounding_box()
        shown = self.screen()[int(box["y"] + box["height"] / 2), int(box["x"] + box["width"] / 2)][0]
        self.assertAlmostEqual(int(shown), value, delta=1)

    def test_every_cell_shows_its_own_option_under_the_same_exposure(self):
        cells = self.page.locator("[data-cell]")
        expect(cells).to_have_count(4)
        expect(cells.first).to_contain_text(re.compile(r"10\.0 s, noise \d"))
        for exposure, steps in ((0.0, 0), (1.0, 2)):
            slider = self.page.get_by_label("Exposure")
            slider.focus()
            for _ in range(steps):
                slider.press("ArrowRight")
            for cell in cells.all():
                light = np.full((1, 1, 3), self.levels[int(cell.get_attribute("data-option"))])
                self.becomes(self.assert_brightness, cell, displayed(light, exposure)[0, 0, 0])
        self.assert_accessible()

    def test_two_cells_make_a_pair_by_keyboard_alone(self):
        self.page.locator('[data-cell="0 0"]').focus()
        self.page.keyboard.press("Enter")
        expect(self.heading()).to_contain_text("is the control; choose the trial")
        self.page.keyboard.press("ArrowRight")
        self.page.keyboard.press("ArrowDown")
        expect(self.page.locator('[data-cell="1 1"]')).to_be_focused()
        chosen = [
            int(self.page.locator(f'[data-cell="{place}"]').get_attribute("data-option")) for place in ("0 0", "1 1")
        ]
        self.page.keyboard.press("Enter")
        self.page.wait_for_url(re.compile("/pairs/"))
        pair = Pair.objects.get(pk=int(self.page.url.rsplit("/", 1)[1].split("?")[0]))
        self.assertEqual([pair.control_id, pair.trial_id], chosen)

    def test_rows_and_columns_are_chosen_and_stay_in_the_address(self):
        self.page.get_by_label("Rows").select_option("option")
        expect(self.page.locator("tbody tr")).to_have_count(4)
        self.assertIn("rows=option", self.page.url)
        self.page.reload()
        expect(self.page.locator("tbody tr")).to_have_count(4)
        self.page.get_by_role("button", name="Swap").click()
        expect(self.page.locator("thead th")).to_have_count(5)

    def test_it_is_saved_as_a_picture_and_a_missing_picture_is_said_in_its_cell(self):
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="Save as PNG").click()
        contents = download.value.path().read_bytes()
        width, height = (int.from_bytes(contents[at : at + 4], "big") for at in (16, 20))
        self.assertEqual(contents[:8], b"\x89PNG\r\n\x1a\n")
        self.assertGreater(width, 800)
        self.assertGreater(height, 400)
        Run.objects.filter(option=self.study.options.last()).update(picture="0" * 64)
        self.page.reload()
        expect(self.page.get_by_text("missing from the store, or cannot be read")).to_be_visible()
        expect(self.page.locator("[data-cell] img")).to_have_count(3)


class Mending(LookingTest):
    def test_the_control_is_rendered_at_the_trial_s_size_at_one_click(self):
        study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        finish_all(study)
        pair = study.pairs.get()
        Pair.objects.filter(pk=pair.pk).update(under_test=["samples"])
        self.open_pair(pair)
        spoiled = self.page.locator("[data-spoiled-by=size]")
        expect(spoiled).to_contain_text("Still compares: time per pixel, and the look from a distance.")
        spoiled.get_by_role("button", name="Render the control at the trial's size").click()
        self.page.wait_for_url(re.compile(rf"/pairs/(?!{pair.pk}$)\d+$"))
        expect(self.page.get_by_text("nothing to look at")).to_be_visible()
        finish_all(study)
        self.page.reload()
        self.settled()
        expect(self.page.locator("#match-sheet + div > p").first).to_have_text("Matched but for samples.")
        expect(self.page.locator('tbody[data-group-of="Under test"]')).to_contain_text("1")
        self.assert_accessible()

    def test_pictures_of_other_sizes_fill_the_same_place(self):
        study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        finish_all(study)
        Run.objects.filter(study=study, option__side="trial").update(picture=stored(textured((96, 72))))
        self.open_pair(study.pairs.get())
        expect(self.page.locator("[data-part=readout]")).to_contain_text("for looking, not for measuring")
