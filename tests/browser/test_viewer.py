import re
from pathlib import Path

import numpy as np
from django.conf import settings
from matchedpair.pictures import read_picture
from matchedpair.pictures.view_transform import view_transforms
from playwright.sync_api import expect

from server.measuring.maps import make_wanted_layers
from server.measuring.measuring import measure_outstanding
from server.measuring.models import MapLayer
from server.runs.models import Run
from server.store.files import keep, path_of
from server.studies.models import Option
from tests.browser.base import BrowserTest
from tests.pictures import textured, write
from tests.runner import until
from tests.server.base import SIZE, factor, finish_all

DARK, MIDDLE, LIGHT = (round(255 * value) for value in (0.11, 0.46, 0.8))


class Viewer(BrowserTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study, noise={"control": 0.3, "trial": 0.05}, seconds={"control": 11.0, "trial": 21.0})
        measure_outstanding(Option.objects.all())

    def setUp(self):
        super().setUp()
        self.open_pair()

    def open_pair(self):
        self.open(f"/pairs/{self.study.pairs.get().pk}")
        self.page.wait_for_selector("canvas[data-drawn]")
        self.stage = self.page.get_by_label("Pictures", exact=True)
        self.box = self.stage.bounding_box()

    def at(self, across, down):
        return self.box["x"] + across * self.box["width"], self.box["y"] + down * self.box["height"]

    def pixels(self, *places):
        self.drawn_anew()
        screen = self.screen()
        found = [self.at(across, down) for across, down in places]
        return [tuple(int(v) for v in screen[int(y), int(x)]) for x, y in found]

    def pixel(self, across, down):
        return self.pixels((across, down))[0]

    def read(self):
        """What the pixel under the pointer has on both sides, once it is read back from the canvas too."""
        for side in ("control", "trial"):
            displayed = self.page.locator(f'[data-part="readout"] [data-side="{side}"] [data-part="displayed"]')
            expect(displayed).to_have_text(re.compile(r"\d+ \d+ \d+"))
        return self.page.locator('[data-part="readout"]').text_content()

    def zoom(self):
        return float(self.stage.get_attribute("data-zoom"))

    def press(self, *keys):
        for key in keys:
            self.page.keyboard.press(key)

    def test_the_picture_gets_two_thirds_of_the_window(self):
        self.assertGreaterEqual(self.box["width"] * self.box["height"], 1280 * 800 * 2 / 3)

    def test_the_surround_is_neutral_in_three_levels(self):
        for level in (DARK, MIDDLE, LIGHT, DARK):
            red, green, blue = self.pixel(0.005, 0.5)
            self.assertEqual((red, green, blue), (red, red, red))
            self.assertAlmostEqual(red, level, delta=1)
            self.press("s")

    def test_nothing_is_drawn_while_nothing_changes(self):
        for done in ("nothing", "a map is chosen", "side by side"):
            if done == "a map is chosen":
                self.page.get_by_role("combobox", name="Map").select_option(label="Noise")
                until(lambda: MapLayer.objects.filter(state="wanted").count() == 2, "maps that are asked for")
                make_wanted_layers()
                expect(self.stage).to_have_attribute("data-map", "noise")
            elif done == "side by side":
                self.press("n")
            self.page.mouse.move(*self.at(0.4, 0.4))
            self.page.mouse.move(*self.at(0.45, 0.5))
            self.read()
            canvas, drawn = self.page.locator("canvas[data-sharp=true]").first, ""
            for _ in range(8):
                before, drawn = drawn, canvas.get_attribute("data-drawn")
                if drawn == before:
                    break
                self.page.wait_for_timeout(1000)
            self.assertEqual(drawn, before, done)

    def test_the_wheel_zooms_at_the_pointer_down_to_single_pixels(self):
        x, y = self.at(0.7, 0.6)
        self.page.mouse.move(x, y)
        before = self.read()
        self.assertRegex(before, r"^Pixel \d+, \d+")
        for _ in range(12):
            self.page.mouse.wheel(0, -240)
        self.page.mouse.move(x, y + 1)
        self.page.mouse.move(x, y)
        expect(self.page.locator('[data-part="readout"]')).to_have_text(before, use_inner_text=False)
        self.assertEqual(self.zoom(), 64)
        left, right = self.pixel(0.7, 0.6), self.pixel(0.7 + 20 / self.box["width"], 0.6)
        self.assertEqual(len(left), len(right))
        for _ in range(40):
            self.page.mouse.wheel(0, 240)
        self.assertGreaterEqual(self.zoom(), 1 / 32)

    def test_dragging_moves_both_and_fit_brings_them_back(self):
        self.press("c", "8")
        here = self.pixel(0.5, 0.5)
        self.page.mouse.move(*self.at(0.5, 0.5))
        self.page.mouse.down()
        x, y = self.at(0.5, 0.5)
        self.page.mouse.move(x + 80, y + 40, steps=4)
        self.page.mouse.up()
        moved = self.pixel(0.5 + 80 / self.box["width"], 0.5 + 40 / self.box["height"])
        self.assertEqual(moved, here)
        self.press("0")
        self.assertAlmostEqual(self.zoom(), min(self.box["width"] / SIZE[0], self.box["height"] / SIZE[1]), delta=0.05)

    def test_side_by_side_shows_the_same_place_in_both_halves(self):
        self.press("n", "8")
        self.page.mouse.move(*self.at(0.26, 0.5))
        one = self.read()
        self.page.mouse.move(*self.at(0.76, 0.5))
        expect(self.page.locator('[data-part="readout"]')).to_have_text(one, use_inner_text=False)
        left, right = np.array(self.pixel(0.26, 0.5)), np.array(self.pixel(0.76, 0.5))
        self.press("c")
        np.testing.assert_allclose(self.pixel(0.51, 0.5), left, atol=1)
        self.press("t")
        np.testing.assert_allclose(self.pixel(0.51, 0.5), right, atol=1)

    def sides(self, *places):
        """Which side shows at each place, told by comparing with either alone."""
        seen = []
        for key in ("c", "t", "d"):
            self.press(key)
            self.drawn_anew()
            self.page.wait_for_selector("canvas[data-sharp=true]")
            seen.append(self.pixels(*places))
        found = []
        for one, two, shown in zip(*seen, strict=True):
            self.assertNotEqual(one, two)
            found.append({one: "control", two: "trial"}[shown])
        return found

    def test_the_line_is_dragged_to_any_place_and_angle(self):
        corners = ((0.3, 0.3), (0.7, 0.3), (0.3, 0.7), (0.7, 0.7))
        self.assertEqual(self.sides(*corners), ["control", "trial", "control", "trial"])
        ring = self.page.locator('[data-part="ring"]')
        box = ring.bounding_box()
        x, y = self.at(0.5, 0.5)
        self.page.mouse.move(box["x"] + 8, box["y"] + 8)
        self.page.mouse.down()
        self.page.mouse.move(x - 110, y, steps=8)
        self.page.mouse.up()
        self.assertEqual(ring.get_attribute("aria-valuenow"), "90")
        self.assertEqual(self.sides(*corners), ["control", "control", "trial", "trial"])
        self.press("]", "]", "]")
        self.assertEqual(ring.get_attribute("aria-valuenow"), "135")
        self.assertEqual(self.sides((0.7, 0.2), (0.3, 0.8)), ["control", "trial"])
        self.press("u")
        self.assertEqual(ring.get_attribute("aria-valuenow"), "0")
        x, y = self.at(0.5, 0.2)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(self.at(0.2, 0.2)[0], y, steps=4)
        self.page.mouse.up()
        self.assertEqual(self.sides((0.32, 0.52)), ["trial"])

    def test_the_line_s_grips_are_sliders_for_the_keyboard(self):
        place = self.page.get_by_role("slider", name="Place of the dividing line")
        place.focus()
        for _ in range(5):
            self.press("ArrowRight")
        self.assertEqual(place.get_attribute("aria-valuenow"), "55")
        angle = self.page.get_by_role("slider", name="Angle of the dividing line")
        angle.focus()
        self.press("ArrowRight", "ArrowRight")
        self.assertEqual(angle.get_attribute("aria-valuenow"), "6")

    def test_the_difference_has_a_scale_in_units_that_follows_the_exposure(self):
        self.press("f")
        legend = self.page.locator('[data-part="legend"]')
        expect(legend).to_contain_text("linear luminance")
        expect(legend).to_contain_text("+0.250")
        self.press("e", "e")
        expect(legend).to_contain_text("+0.125")

    def test_equal_pictures_have_an_even_difference(self):
        run = Run.objects.get(option__side="trial", seed=1)
        other = Run.objects.get(option__side="control", seed=1, warm_up=False)
        Run.objects.filter(pk=run.pk).update(picture=other.picture)
        self.open_pair()
        self.press("f")
        self.assertEqual({self.pixel(0.3, 0.5), self.pixel(0.62, 0.41)}, {(237, 237, 237)})

    def test_every_key_is_listed_and_the_list_is_accessible(self):
        self.press("?")
        dialog = self.page.get_by_role("dialog", name="Keys in the viewer")
        expect(dialog).to_contain_text("Exchange the two in place")
        self.assert_accessible()
        self.press("Escape")
        expect(dialog).to_have_count(0)

    def test_keys_are_left_alone_while_typing(self):
        self.page.get_by_label("Reasons").fill("")
        self.page.get_by_label("Reasons").press_sequentially("next")
        expect(self.page.get_by_label("Reasons")).to_have_value("next")
        self.assertEqual(self.stage.get_attribute("data-mode"), "divided")

    def test_choices_are_remembered(self):
        self.press("n", "s", "e")
        self.drawn_anew()
        self.open_pair()
        self.assertEqual(self.stage.get_attribute("data-mode"), "side by side")
        expect(self.page.get_by_role("button", name="Surround: middle")).to_be_visible()
        expect(self.page.get_by_text("+0.50 EV")).to_be_visible()

    def test_labels_follow_their_sides_and_can_be_hidden(self):
        label = self.page.locator('[data-label="trial"]')
        self.assertGreater(label.bounding_box()["x"], self.at(0.5, 0)[0])
        for _ in range(12):
            self.press("]")
        self.assertLess(label.bounding_box()["x"], self.at(0.5, 0)[0])
        self.press("l")
        expect(label).to_have_count(0)

    def test_invalid_pixels_are_hatched_not_hidden(self):
        picture = textured(SIZE)
        picture[10:26, 16:32] = np.nan
        path = write(Path(settings.HOME) / "holes.exr", picture)
        Run.objects.filter(option__side="trial", seed=1).update(picture=keep(path.read_bytes(), ".exr"))
        self.open_pair()
        self.press("t")
        self.assertIn(self.pixel(0.5, 0.5), {(255, 0, 255), (0, 0, 0)})
        self.page.mouse.move(*self.at(0.5, 0.5))
        expect(self.page.locator('[data-part="readout"] [data-side="trial"]')).to_have_text("not valid here")

    def test_figures_carry_unit_spread_and_method(self):
        figures = self.page.get_by_role("region", name="Figures").inner_text()
        self.assertRegex(figures, r"Noise, % by twins")
        self.assertRegex(figures, r"\d+\.\d to \d+\.\d")
        self.assertIn("wall time", figures)
        self.assertIn("2 repeats", figures)

    def test_another_size_is_shown_at_the_control_s_and_its_noise_ratio_is_refused_in_its_place(self):
        study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        finish_all(study)
        measure_outstanding(Option.objects.all())
        self.open(f"/pairs/{study.pairs.get().pk}")
        self.page.wait_for_selector("canvas[data-drawn]")
        expect(self.page.locator("[data-part=readout]")).to_contain_text(
            "The trial, 96 × 72, is shown at the control's"
        )
        expect(self.page.locator("[data-part=refusal]").first).to_contain_text("noise of a pixel is not the noise seen")
        self.stage = self.page.get_by_label("Pictures", exact=True)
        self.box = self.stage.bounding_box()
        edges = []
        for key in ("c", "t"):
            self.press(key)
            self.drawn_anew()
            left, right = int(self.box["x"]) + 2, int(self.box["x"] + self.box["width"]) - 2
            row = self.screen()[int(self.box["y"] + 0.5 * self.box["height"]), left:right]
            lit = np.flatnonzero(row.astype(int).max(axis=-1) != DARK)
            edges.append((int(lit[0]), int(lit[-1])))
        self.assertEqual(edges[0], edges[1], "both fill the same place")

    def test_the_other_seed_can_be_looked_at(self):
        self.press("c")
        first = self.pixel(0.5, 0.5)
        self.page.get_by_label("Pictures of seed").select_option("2")
        self.becomes(lambda: self.assertNotEqual(self.pixel(0.5, 0.5), first))


class ViewerTrouble(BrowserTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)

    def open_pair(self):
        self.open(f"/pairs/{self.study.pairs.get().pk}")

    def test_a_picture_missing_from_the_store_is_said_in_its_place(self):
        path_of(Run.objects.get(option__side="trial", seed=1).picture, ".exr").unlink()
        self.open_pair()
        alert = self.page.get_by_role("alert").filter(has_text="picture")
        expect(alert).to_contain_text("Trial: The picture is missing from the store; run this render again.")
        self.page.wait_for_selector("canvas[data-sharp=true]")
        self.page.keyboard.press("c")
        box = self.page.get_by_label("Pictures", exact=True).bounding_box()

        def control_is_shown():
            middle = self.screen()[int(box["y"] + box["height"] / 2), int(box["x"] + box["width"] / 2)]
            self.assertNotIn(int(middle[0]), {DARK, 255}, "the control is shown all the same")

        self.becomes(control_is_shown)
        expect(self.page.get_by_role("region", name="Figures")).to_be_visible()

    def test_a_browser_without_webgl2_is_told_so(self):
        self.page.add_init_script(
            "const plain = HTMLCanvasElement.prototype.getContext;"
            "HTMLCanvasElement.prototype.getContext = function (kind, ...rest) {"
            "  return kind === 'webgl2' ? null : plain.call(this, kind, ...rest); };"
        )
        self.open_pair()
        expect(self.page.get_by_role("alert").filter(has_text="WebGL2")).to_contain_text(
            "This browser shows no WebGL2, which the viewer needs. The figures beside it are not affected."
        )

    def test_a_pair_that_does_not_exist(self):
        self.open("/pairs/4711")
        expect(self.page.get_by_role("alert").first).to_be_visible()
        expect(self.page.get_by_text("There is no such pair.")).to_be_visible()

    def test_an_address_that_leads_nowhere(self):
        self.open("/nowhere/at/all")
        expect(self.heading()).to_have_text("There is nothing at this address.")


class ViewTransforms(BrowserTest):
    """What the screen shows through a view transform is what OpenColorIO itself gives."""

    FILM = "sRGB - Display / ACES 1.0 - SDR Video"

    def opened(self, transform):
        study = self.create(view_transform=transform)
        finish_all(study)
        self.open(f"/pairs/{study.pairs.get().pk}")
        self.page.wait_for_selector("canvas[data-drawn]")
        run = Run.objects.filter(option__study=study, option__side="control", warm_up=False).order_by("seed").first()
        return read_picture(path_of(run.picture, ".exr")).pixels

    def test_a_film_like_transform_is_shown_as_the_library_computes_it(self):
        light = self.opened(self.FILM)
        expect(self.page.locator('[data-part="readout"]')).to_contain_text(f"Shown through {self.FILM}.")
        box = self.page.get_by_label("Pictures", exact=True).bounding_box()
        middle = light[SIZE[1] // 2, SIZE[0] // 2]
        self.page.keyboard.press("8")
        self.page.keyboard.press("c")
        for exposure, keys in ((0.0, ""), (1.0, "ee"), (-0.5, "www")):
            for key in keys:
                self.page.keyboard.press(key)
            x, y = box["x"] + box["width"] / 2 + 4, box["y"] + box["height"] / 2 + 4
            expected = view_transforms().apply(middle[None, None], self.FILM, exposure)[0, 0]
            self.becomes(self.assert_shown, int(x), int(y), np.round(255 * np.clip(expected, 0, 1)), exposure)

    def assert_shown(self, x, y, values, exposure):
        np.testing.assert_allclose(self.screen()[y, x].astype(int), values, atol=1, err_msg=str(exposure))

    def test_a_transform_that_cannot_be_had_is_said_and_plain_srgb_is_shown(self):
        study = self.create()
        finish_all(study)
        study.setup.__class__.objects.update(view_transform="Gone / Away")
        self.open(f"/pairs/{study.pairs.get().pk}")
        self.page.wait_for_selector("canvas[data-drawn]")
        readout = self.page.locator('[data-part="readout"]')
        expect(readout).to_contain_text("Shown as plain sRGB: the view transform Gone / Away cannot be used.")
