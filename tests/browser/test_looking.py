"""What the viewer draws, read back from the canvas and held against the core's own numbers."""

import re

import numpy as np
from matchedpair.pictures.picture import REC709
from playwright.sync_api import expect

from server.runs.models import Run
from server.store.files import path_of
from tests.browser.looking import LookingTest, displayed, stored
from tests.pictures import textured
from tests.server.base import factor, finish_all

SIZE = (60, 40)
FILM = "sRGB - Display / ACES 1.0 - SDR Video"


def halves(picture):
    """As a half-float file keeps it."""
    return picture.astype(np.float16).astype(np.float32)


def colourful(seed, size=SIZE, most=1.5):
    """Every pixel another colour, some above white."""
    return halves(np.random.default_rng(seed).uniform(0.0, most, (size[1], size[0], 3)))


class Pixels(LookingTest):
    def setUp(self):
        super().setUp()
        self.control, self.trial = colourful(1), colourful(2)

    def opened(self, words="", **changes):
        pair = self.with_pictures(self.control, self.trial, **changes)
        self.open_pair(pair, words)
        return pair

    def test_at_one_to_one_each_screen_pixel_is_what_the_library_gives_for_that_picture_pixel(self):
        self.opened()
        self.press("l", "c", "1")
        self.place_of(displayed(self.control), level=1)
        self.press("x")
        left, top = self.place_of(displayed(self.trial), level=1)
        self.press("x")
        self.assertEqual(self.place_of(displayed(self.control), level=1), (left, top), "exchanged without a shift")
        self.press("w", "w")
        self.place_of(displayed(self.control, -1.0), level=1)

    def test_every_pixel_through_a_film_like_transform_is_within_one_of_what_the_library_computes(self):
        stops = np.random.default_rng(8).uniform(-8, 4, (SIZE[1], SIZE[0], 1))
        self.control = halves((2.0**stops * np.random.default_rng(9).uniform(0, 2, (SIZE[1], SIZE[0], 3))).astype("f4"))
        self.opened(view_transform=FILM)
        self.press("l", "c", "1")
        self.place_of(displayed(self.control, transform=FILM), level=1)
        self.press("e", "e")
        self.place_of(displayed(self.control, 1.0, FILM), level=1)

    def test_enlarged_pixels_are_squares_of_one_colour_or_blended_when_asked(self):
        self.opened()
        self.press("l", "c", "8")
        shown = self.middle(48, 48)
        inside = displayed(self.control)[12:28, 20:40]
        colours = {tuple(pixel) for row in shown for pixel in row}
        known = {tuple(pixel) for row in inside for pixel in row}
        near = {(r + a, g + b, s + c) for r, g, s in known for a in (-1, 0, 1) for b in (-1, 0, 1) for c in (-1, 0, 1)}
        self.assertLessEqual(colours, near)
        self.press("b")
        blended = {tuple(pixel) for row in self.middle(48, 48) for pixel in row}
        self.assertGreater(len(blended), 10 * len(colours))

    def test_channels_show_one_as_grey_and_luminance_as_the_core_weighs_it(self):
        self.opened()
        self.press("l", "c", "1")
        luminance = self.control @ np.array(REC709, dtype=np.float32)
        greys = [np.repeat(grey[..., None], 3, axis=2) for grey in (*np.moveaxis(self.control, 2, 0), luminance)]
        for light in greys:
            self.press("y")
            self.place_of(displayed(light), level=1)
        self.press("y")
        self.place_of(displayed(self.control), level=1)

    def test_lifted_shadows_are_lifted_by_the_stated_curve_and_keep_their_order(self):
        ramp = halves(np.repeat(np.geomspace(0.001, 1.0, SIZE[0], dtype=np.float32)[None, :, None], 3, axis=2))
        self.control = np.repeat(ramp, SIZE[1], axis=0)
        self.opened()
        self.press("l", "c", "1", "i", "i", "i")
        expected = self.control * np.exp2(3 * 0.05 / (0.05 + self.control))
        left, top = self.place_of(displayed(expected), level=1)
        row = self.shown()[top, left : left + SIZE[0], 0]
        self.assertTrue((np.diff(row) >= 0).all())

    def test_the_size_of_a_difference_and_its_sign_are_on_the_scale_of_the_legend(self):
        self.control = np.full((SIZE[1], SIZE[0], 3), 0.5, dtype=np.float32)
        self.trial = self.control.copy()
        self.trial[:, :20] += 0.25
        self.trial[:, 40:] -= 0.25
        self.opened()
        self.press("f")
        expect(self.page.locator("[data-part=legend]")).to_contain_text("Trial minus control, linear luminance")
        row = self.shown()[self.shown().shape[0] // 2]
        third = len(row) // 3
        brighter, same, darker = row[third // 2], row[len(row) // 2], row[-third // 2]
        np.testing.assert_allclose(brighter, np.round(255 * np.array([0.45, 0.17, 0.0])), atol=1)
        np.testing.assert_allclose(same, [237] * 3, atol=1)
        np.testing.assert_allclose(darker, np.round(255 * np.array([0.05, 0.22, 0.45])), atol=1)
        self.press("a")
        expect(self.page.locator("[data-part=legend]")).to_contain_text("its sign is left out")
        row = self.shown()[self.shown().shape[0] // 2]
        np.testing.assert_allclose(row[third // 2], row[-third // 2], atol=1)
        np.testing.assert_allclose(row[len(row) // 2], np.round(255 * np.array([0.106, 0.09, 0.165])), atol=1)

    def test_a_pass_is_shown_alone_and_multiplied_over_the_picture(self):
        pair = self.with_pictures(self.control, self.trial)
        occlusion = halves(np.random.default_rng(5).uniform(0.0, 1.0, (SIZE[1], SIZE[0], 1)) * np.ones(3))
        Run.objects.filter(option=pair.control, seed=1).update(passes={"occlusion": stored(occlusion)})
        self.open_pair(pair)
        self.press("l", "c", "1", "v")
        self.place_of(displayed(occlusion), level=1)
        self.press("t")
        expect(self.page.get_by_role("alert").filter(has_text="pass")).to_contain_text(
            "Trial: It has no pass occlusion."
        )
        self.press("c", "v")
        self.page.get_by_role("button", name="Look").click()
        self.page.get_by_label("Multiplied by").select_option("occlusion")
        self.page.keyboard.press("Escape")
        self.settled()
        self.place_of(displayed(self.control * occlusion), level=1)
        x, y = self.box["x"] + self.box["width"] / 2, self.box["y"] + self.box["height"] / 2
        self.page.mouse.move(x, y)
        cell = self.page.locator("[data-part=readout] [data-side=control] [data-part=displayed]")
        expect(cell).to_have_text(re.compile(r"\d+ \d+ \d+"))
        read = [int(value) for value in cell.inner_text().split()]
        np.testing.assert_allclose(read, self.screen()[int(y), int(x)], atol=1)

    def test_pixel_values_of_both_sides_are_those_of_the_files(self):
        self.opened()
        self.press("c", "8")
        self.page.mouse.move(self.box["x"] + self.box["width"] / 2 + 4, self.box["y"] + self.box["height"] / 2 + 4)
        readout = self.page.locator("[data-part=readout]")
        expect(readout).to_contain_text("Pixel 30, 20")
        for side, picture in (("control", self.control), ("trial", self.trial)):
            line = readout.locator(f"[data-side={side}]")
            expect(line.locator("[data-part=displayed]")).to_have_text(re.compile(r"\d"))
            numbers = [float(text) for text in line.locator("span").all_inner_texts()[:-1] if text.strip()]
            np.testing.assert_allclose(numbers, picture[20, 30], rtol=6e-3)
            values = [int(value) for value in line.locator("[data-part=displayed]").inner_text().split()]
            np.testing.assert_allclose(values, displayed(picture[20, 30]), atol=1)

    def test_the_loupe_shows_the_pixel_under_the_pointer_of_both_sides(self):
        self.opened()
        self.press("l", "1", "o")
        shown = self.shown()
        left, top = self.place_of(displayed(self.control)[:, : SIZE[0] // 3], level=1)
        self.page.mouse.move(np.ceil(self.box["x"]) + left + 10.5, np.ceil(self.box["y"]) + top + 30.5)
        squares = self.page.locator("[data-part=loupe] svg")
        expect(squares).to_have_count(2)
        for number, picture in enumerate((self.control, self.trial)):
            box = squares.nth(number).bounding_box()
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            self.becomes(self.assert_pixel, int(x), int(y), displayed(picture[30, 10]))
        self.assertEqual(shown.shape[2], 3)

    def assert_pixel(self, x, y, values):
        np.testing.assert_allclose(self.screen()[y, x].astype(int), values, atol=1)

    def test_histogram_and_waveform_tell_of_what_is_in_view(self):
        self.control = np.full((SIZE[1], SIZE[0], 3), 0.25, dtype=np.float32)
        self.control[:, 30:] = 2.0
        self.trial = np.full((SIZE[1], SIZE[0], 3), 0.25, dtype=np.float32)
        self.opened()
        self.press("h")
        scopes = self.page.locator("[data-part=scopes]")
        expect(scopes).to_contain_text("control 50.0 % at or above it")
        expect(scopes).to_contain_text("trial 0 % at or above it")
        expect(scopes.get_by_role("img")).to_have_count(3)
        self.press("w", "w", "w")
        expect(scopes).to_contain_text("control 0 % at or above it")
        self.assert_accessible()

    def test_invalid_pixels_stay_hatched_when_the_picture_is_reduced(self):
        self.control = halves(textured((1600, 900)))
        self.trial = self.control.copy()
        self.control[450:452, 800:802] = np.nan
        self.opened()
        self.press("l", "c")
        shown = self.middle(12, 12)
        colours = {tuple(pixel) for row in shown for pixel in row}
        self.assertTrue({(255, 0, 255), (0, 0, 0)} & colours)
        self.press("t")
        self.assertFalse({(255, 0, 255)} & {tuple(pixel) for row in self.middle(12, 12) for pixel in row})


class Large(LookingTest):
    def test_a_large_picture_is_whole_at_once_and_exact_at_one_to_one(self):
        control = halves(np.random.default_rng(3).uniform(0, 1, (1300, 2200, 3)).astype(np.float32))
        trial = halves(np.full((1300, 2200, 3), 0.25, dtype=np.float32))
        self.open_pair(self.with_pictures(control, trial))
        self.press("l", "t")
        self.assertEqual({tuple(p) for row in self.middle(40, 40) for p in row}, {(137, 137, 137)})
        self.press("c", "1")
        self.place_of(displayed(control[640:660, 1090:1110]), level=1)
        for _ in range(14):
            self.page.keyboard.press("ArrowRight")
        self.press("ArrowRight")
        self.place_of(displayed(control[640:660, 1990:2010]), level=1)

    def test_what_is_only_at_hand_for_the_next_key_holds_nothing_up(self):
        control = halves(np.random.default_rng(3).uniform(0, 1, (600, 1300, 3)).astype(np.float32))
        pair = self.with_pictures(control, halves(np.full((600, 1300, 3), 0.25, dtype=np.float32)))
        self.open_pair(pair)
        self.press("c", "l")
        self.page.reload()
        self.settled()
        self.press("1")
        self.place_of(displayed(control[290:310, 640:660]), level=1)
        self.press("x")
        self.assertEqual({tuple(p) for row in self.middle(40, 40) for p in row}, {(137, 137, 137)})

    def test_a_picture_wider_than_graphics_processors_take_is_shown(self):
        control = halves(np.repeat(np.linspace(0, 1, 9000, dtype=np.float32)[None, :, None], 3, axis=2))
        control = np.repeat(control, 8, axis=0)
        self.open_pair(self.with_pictures(control, control[:, ::-1], width=8192, height=16))
        self.press("l", "c", "1")
        self.place_of(displayed(control[2:4, 4480:4520]), level=1)

    def test_a_part_that_cannot_be_had_is_said_and_can_be_tried_again(self):
        control = halves(np.full((600, 1100, 3), 0.25, dtype=np.float32))
        pair = self.with_pictures(control, control)
        self.page.route(re.compile(r"/tiles/0/1/0/"), lambda route: route.fulfill(status=500, body="no"))
        self.open(f"/pairs/{pair.pk}")
        alert = self.page.get_by_role("alert").filter(has_text="could not be had")
        self.page.wait_for_selector("canvas[data-drawn]")
        self.page.keyboard.press("1")
        expect(alert).to_contain_text("shown coarser")
        self.page.unroute_all()
        self.page.get_by_role("button", name="Try again").click()
        expect(alert).to_have_count(0)

    def test_a_picture_let_go_while_the_page_is_open_leaves_the_rest(self):
        control = halves(np.full((30, 40, 3), 0.25, dtype=np.float32))
        pair = self.with_pictures(control, control)
        self.open_pair(pair)
        run = Run.objects.get(option=pair.trial, seed=2)
        path_of(run.picture, ".exr").unlink()
        self.page.get_by_label("Pictures of seed").select_option("2")
        expect(self.page.get_by_role("alert").filter(has_text="Trial")).to_contain_text("missing from the store")
        expect(self.page.get_by_role("region", name="Figures")).to_be_visible()

    def test_a_pair_removed_while_it_is_open_is_said(self):
        control = halves(np.full((30, 40, 3), 0.25, dtype=np.float32))
        pair = self.with_pictures(control, control)
        self.open_pair(pair)
        pair.study.delete()
        alert = self.page.get_by_role("alert").filter(has_text="removed meanwhile")
        expect(alert).to_contain_text("You see it as it was")


class Around(LookingTest):
    """Where the view goes, and who else is shown."""

    def prepare(self):
        super().prepare()
        self.pair = self.with_pictures(colourful(1), colourful(2))

    def zoom(self):
        return float(self.stage.get_attribute("data-zoom"))

    def test_zones_are_gone_to_by_key_and_back(self):
        zone = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.75, 1.0]]}
        self.call("POST", "/api/scenes/marble-stall/zones/?view=counter", zone)
        self.open_pair(self.pair)
        whole = self.zoom()
        self.page.keyboard.press("PageDown")
        zone = min(self.box["width"] / 19.5, self.box["height"] / 26)
        self.becomes(lambda: self.assertAlmostEqual(self.zoom(), zone, delta=0.3))
        self.page.keyboard.press("PageDown")
        self.becomes(lambda: self.assertEqual(self.zoom(), whole))

    def test_full_window_shows_the_pictures_alone_and_escape_leaves_it(self):
        self.open_pair(self.pair)
        self.press("z")
        box = self.stage.bounding_box()
        self.assertEqual((box["width"], box["height"]), (1280, 800))
        expect(self.page.get_by_role("region", name="Figures")).to_have_count(0)
        self.press("Escape")
        expect(self.page.get_by_role("region", name="Figures")).to_be_visible()

    def test_two_fingers_on_a_pad_move_and_a_pinch_zooms(self):
        self.open_pair(self.pair)
        x, y = self.box["x"] + self.box["width"] / 2, self.box["y"] + self.box["height"] / 2
        self.page.mouse.move(x, y)
        before = self.zoom()
        self.page.mouse.wheel(6, 10)
        expect(self.page.get_by_role("button", name="Fit")).to_have_attribute("aria-pressed", "false")
        self.assertEqual(self.zoom(), before)
        self.page.keyboard.down("Control")
        self.page.mouse.wheel(0, -50)
        self.page.keyboard.up("Control")
        self.becomes(lambda: self.assertAlmostEqual(self.zoom(), before * 2**0.5, delta=0.05 * before))

    def test_up_to_nine_pictures_stand_together_in_step(self):
        levels = [factor("samples", 8, 16, 32)]
        study = self.create(kind="range", width=SIZE[0], height=SIZE[1], factors=levels)
        finish_all(study)
        pictures = {}
        for option in study.options.all():
            pictures[option.pk] = colourful(10 + option.pk)
            Run.objects.filter(option=option, seed=1, warm_up=False).update(picture=stored(pictures[option.pk]))
        pair = study.pairs.first()
        self.open_pair(pair)
        self.page.get_by_role("button", name="Put more beside").click()
        boxes = self.page.get_by_label("Pictures beside the pair").get_by_role("checkbox")
        expect(boxes).to_have_count(2)
        for number in range(2):
            boxes.nth(number).click()
            expect(boxes.nth(number)).to_be_checked()
        self.page.keyboard.press("Escape")
        self.press("l", "g", "1")
        for picture in pictures.values():
            self.place_of(displayed(picture), level=1)
        self.page.mouse.move(self.box["x"] + self.box["width"] / 4, self.box["y"] + self.box["height"] / 4)
        expect(self.page.locator("[data-part=readout] [data-part=displayed]")).to_have_count(4)
        self.page.reload()
        self.settled()
        expect(self.page.get_by_role("button", name="2 more beside")).to_be_visible()
        self.assert_accessible()
