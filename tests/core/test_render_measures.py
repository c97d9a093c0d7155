"""All measures together: invariance, what is left out, and what is refused."""

import json
import os
import subprocess
import sys
import unittest

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from matchedpair.errors import RefusedError
from matchedpair.measures.kinds import measured
from matchedpair.measures.light import Found
from matchedpair.measures.pair import NO_EFFECT, PairMeasures
from matchedpair.measures.pair_report import difference_row
from matchedpair.measures.pair_side import OTHER_SIZE, PairSide
from matchedpair.measures.render import RenderMeasures
from matchedpair.measures.report import zone_row
from matchedpair.measures.visible import visible_maps
from matchedpair.pictures.display import display_light

from tests.inner_loop import long
from tests.pictures import blurred, everywhere, flat, moved, noisy, patchy, photograph

RELATIVE = ("noise", "noise_without_fireflies", "fireflies", "firefly_light", "blotches", "grain", "error", "detail",
            "error_systematic", "error_slow", "stops")  # fmt: skip


def pictures(size=(200, 150), lasting=1.0):
    truth = photograph()[: size[1], : size[0]]
    renders = [noisy((truth * np.float32(lasting)), 0.1, seed) for seed in (1, 2)]
    return renders, [noisy(truth, 0.01, seed) for seed in (5, 6)]


def figures(renders, references=(), valid=None, mask=None):
    valid = everywhere(renders[0]) if valid is None else valid
    measures = RenderMeasures(renders, valid, references=list(references))
    rows = measured(measures.zone(valid if mask is None else mask))
    return {row.name: row.figure.value for row in rows if row.figure is not None}


class Invariance(unittest.TestCase):
    @settings(max_examples=6, deadline=None)
    @given(exponent=st.integers(min_value=-10, max_value=10))
    def test_brightness_leaves_relative_figures_alone(self, exponent):
        renders, references = pictures(lasting=1.05)
        scale = np.float32(2.0**exponent)
        plain, scaled = (
            figures(renders, references),
            figures([scale * each for each in renders], [scale * each for each in references]),
        )
        for name in RELATIVE:
            self.assertEqual(name in plain, name in scaled, name)
            if name in plain:
                self.assertAlmostEqual(scaled[name], plain[name], delta=2e-3 * max(abs(plain[name]), 0.1), msg=name)

    @settings(max_examples=8, deadline=None)
    @given(
        width=st.integers(40, 220), height=st.integers(40, 160),
        flip=st.sampled_from([(slice(None), slice(None, None, -1)), (slice(None, None, -1), slice(None))]),
    )  # fmt: skip
    def test_flips_of_any_shape_leave_local_figures_alone(self, width, height, flip):
        renders, references = pictures((width, height))
        turned = [[np.ascontiguousarray(each[flip]) for each in side] for side in (renders, references)]
        plain, again = figures(renders, references), figures(*turned)
        for name in ("noise_total", "error", "fireflies", "noise_seen", "visible"):
            self.assertEqual(name in plain, name in again, name)
            if name in plain:
                # its widest blurs are made in blocks that begin at a corner, and few fit into so small a picture
                off = 0.06 if name == "visible" else 1e-3
                self.assertAlmostEqual(again[name], plain[name], delta=off * max(plain[name], 1.0), msg=name)

    def test_flips_of_a_picture_of_usual_shape_leave_what_is_seen_alone(self):
        truth = np.maximum(cv2.resize(photograph(), (960, 540), interpolation=cv2.INTER_CUBIC), np.float32(1e-3))
        render, reference = noisy(truth, 0.1, 1), noisy(truth, 0.01, 5)
        seen = visible_maps([render, reference], display_light)[0].mean()
        for flip in ((slice(None), slice(None, None, -1)), (slice(None, None, -1), slice(None))):
            turned = [np.ascontiguousarray(each[flip]) for each in (render, reference)]
            self.assertAlmostEqual(visible_maps(turned, display_light)[0].mean() / seen, 1.0, delta=2.5e-3)

    @settings(max_examples=6, deadline=None)
    @given(spoil=st.floats(min_value=-1e4, max_value=1e4), hole=st.sampled_from(["left out", "invalid"]))
    def test_what_is_left_out_or_invalid_changes_no_figure_at_all(self, spoil, hole):
        renders, references = pictures()
        valid = everywhere(renders[0])
        valid[30:60, 40:90] = False
        before = figures(renders, references, valid)
        for each in renders:
            each[30:60, 40:90] = np.nan if hole == "invalid" else spoil
        self.assertEqual(figures(renders, references, valid), before)

    def test_zones_of_the_picture_have_its_mean_square_by_size(self):
        renders, references = pictures()
        whole = everywhere(renders[0])
        left = whole.copy()
        left[:, 70:] = False
        parts = [figures(renders, references, mask=mask) for mask in (left, whole & ~left)]
        together = figures(renders, references)
        for name in ("noise_total", "error"):
            mean = (parts[0][name] ** 2 * left.sum() + parts[1][name] ** 2 * (~left).sum()) / whole.sum()
            self.assertAlmostEqual(together[name] ** 2 / mean, 1.0, delta=1e-4)

    def test_zones_at_once_are_what_each_is_by_itself(self):
        renders, references = pictures()
        for many, hole in ((2, False), (2, True), (1, False)):
            valid = everywhere(renders[0])
            valid[10:14, 20:30] = not hole
            zones = [np.zeros_like(valid) for _ in range(3)]
            zones[0][:, :70], zones[1][40:, 50:] = True, True  # nothing lies in the third
            measures = RenderMeasures(renders[:many], valid, references=references)
            by_itself = [zone_row(measures.zone(zone)) for zone in zones]
            at_once = RenderMeasures(renders[:many], valid, references=references).zones(zones)
            self.assertEqual([zone_row(zone) for zone in at_once], by_itself)
            self.assertIsNotNone(by_itself[0]["error"])
            self.assertIsNone(by_itself[2]["error"])

    def test_what_is_seen_of_twins_and_of_a_reference_is_what_each_gives_alone(self):
        renders, references = pictures()
        measures = RenderMeasures(renders, everywhere(renders[0]), references=references[:1])
        for name, other, share in (("visible", references[0], 1.0), ("visible_noise", renders[1], 2.0**-0.5)):
            alone = visible_maps([renders[0], other], measures._display)[0] * np.float32(share)
            np.testing.assert_allclose(measures.layer(name), alone, rtol=1e-4, atol=1e-4)

    def test_a_pair_is_the_same_with_what_was_found_when_its_sides_were_measured(self):
        truth = photograph("astronaut")
        control, trial = ([patchy(truth, 0.1, 6.0, seed) for seed in seeds] for seeds in ((1, 2), (3, 4)))
        valid, sides = everywhere(truth), []
        for pictures_of in (control, trial):
            found = Found()
            RenderMeasures(pictures_of, valid, found=found).zones([valid])
            self.assertEqual(found.twins_problem, "")
            self.assertGreater(found.blotch_scale[0], 3.0)
            sides.append(PairSide(pictures_of, valid, found=found))
        known, anew = PairMeasures(*sides).zone(valid), PairMeasures.of(control, trial, valid).zone(valid)
        self.assertEqual(difference_row(known.difference), difference_row(anew.difference))

    def test_odd_shapes_never_fail(self):
        for shape in ((1, 1), (1, 40), (40, 1), (7, 5), (16, 16), (3, 300), (257, 3)):
            truth = np.random.default_rng(1).random((*shape, 3), dtype=np.float32) + 0.1
            renders = [noisy(truth, 0.1, seed) for seed in (1, 2)]
            measures = RenderMeasures(renders, everywhere(truth), references=[noisy(truth, 0.01, 3)])
            json.dumps(zone_row(measures.zone(everywhere(truth))), allow_nan=False)
            pair = PairMeasures.of(renders, [noisy(truth, 0.1, 3)], everywhere(truth))
            pair.zone(everywhere(truth))


class Refused(unittest.TestCase):
    def refusals(self, renders, references):
        zone = RenderMeasures(renders, everywhere(renders[0]), references=references).zone(everywhere(renders[0]))
        return zone.refused

    def test_across_a_shift_nothing_is_held_against_the_reference(self):
        truth = photograph()
        renders = [noisy(moved(truth, 0.4, 0), 0.05, seed) for seed in (1, 2)]
        refused = self.refusals(renders, [truth])
        for name in ("error", "detail", "visible", "look"):
            self.assertIn("pixels apart", refused[name])
        self.assertNotIn("noise", refused)

    def test_across_a_pixel_filter_error_is_refused_and_detail_is_not(self):
        truth = photograph()
        renders = [noisy(blurred(truth, 0.7), 0.05, seed) for seed in (1, 2)]
        refused = self.refusals(renders, [noisy(truth, 0.01, 5), noisy(truth, 0.01, 6)])
        self.assertIn("differs in sharpness", refused["error"])
        self.assertNotIn("detail", refused)

    def test_a_reference_of_another_size_or_made_of_the_render_itself_is_refused(self):
        truth = photograph()
        renders = [noisy(truth, 0.05, seed) for seed in (1, 2)]
        self.assertIn("another size", self.refusals(renders, [truth[:-2]])["error"])
        self.assertIn("one of these very renders", self.refusals(renders, [renders[1]])["error"])

    def test_no_reference_says_so(self):
        self.assertIn("no reference", self.refusals([noisy(flat(), 0.1, s) for s in (1, 2)], [])["error"])


class Pairs(unittest.TestCase):
    def setUp(self):
        self.truth = photograph()
        self.control = [noisy(self.truth, 0.1, seed) for seed in (1, 2)]

    def zone(self, trial):
        valid = everywhere(self.truth)
        return PairMeasures.of(self.control, trial, valid).zone(valid)

    def test_noise_ratio_is_that_of_the_known_noises(self):
        zone = self.zone([noisy(self.truth, 0.05, seed) for seed in (3, 4)])
        self.assertAlmostEqual(zone.noise_ratio.value, 0.5, delta=0.01)
        self.assertFalse(zone.difference.found)

    def test_noise_is_not_compared_across_a_pixel_filter_and_the_rest_is(self):
        zone = self.zone([noisy(blurred(self.truth, 0.7), 0.05, seed) for seed in (3, 4)])
        self.assertIn("differs in sharpness", zone.refused["noise_ratio"])
        self.assertIsNotNone(zone.look)
        self.assertIsNotNone(zone.visible)

    def test_across_a_shift_only_the_reason_is_given(self):
        zone = self.zone([noisy(moved(self.truth, 0.5, 0), 0.05, seed) for seed in (3, 4)])
        for name in ("noise_ratio", "difference", "visible"):
            self.assertIn("pixels apart", zone.refused[name])

    def test_bit_equal_pictures_had_no_effect(self):
        zone = self.zone(self.control)
        self.assertEqual({zone.refused[name] for name in ("noise_ratio", "difference")}, {NO_EFFECT})

    def test_other_sizes_are_refused_with_the_reason(self):
        with self.assertRaisesRegex(RefusedError, "one apparent size") as caught:
            PairMeasures.of(self.control, [self.truth[:-1]], everywhere(self.truth))
        self.assertEqual(caught.exception.reason, OTHER_SIZE)

    def test_one_render_on_a_side_has_no_noise_ratio_but_a_look(self):
        zone = self.zone([noisy(self.truth, 0.05, 3)])
        self.assertIn("the trial: there is no twin", zone.refused["noise_ratio"])
        self.assertEqual(zone.difference.method, "single")

    def test_maps_are_as_large_as_the_pictures_and_empty_where_nothing_counts(self):
        valid = everywhere(self.truth)
        valid[:20] = False
        pair = PairMeasures.of(self.control, [noisy(self.truth, 0.05, s) for s in (3, 4)], valid)
        render = RenderMeasures(self.control, valid, references=[noisy(self.truth, 0.01, 5)])
        shown = [pair.layer(name) for name in ("difference", "visible")]
        shown += [render.layer(name) for name in ("noise", "fireflies", "blotches", "error", "visible")]
        for plane in shown:
            self.assertEqual((plane.shape, plane.dtype), (self.truth.shape[:2], np.float32))
            self.assertTrue(np.isnan(plane[:20]).all())
            self.assertTrue(np.isfinite(plane[40:]).all())


class OneThread(unittest.TestCase):
    @long
    def test_matrices_are_multiplied_by_the_thread_that_asks_and_started_processes_are_told_nothing(self):
        told = {name: value for name, value in os.environ.items() if not name.endswith("_NUM_THREADS")}
        program = (
            "import json, os, matchedpair.measures.render, threadpoolctl as t;"
            "print(json.dumps([[row['num_threads'] for row in t.threadpool_info() if row['user_api'] == 'blas'],"
            " [name for name in os.environ if name.endswith('_NUM_THREADS')]]))"
        )
        said = subprocess.run([sys.executable, "-c", program], env=told, capture_output=True, check=True, text=True)
        threads, variables = json.loads(said.stdout)
        self.assertGreaterEqual(len(threads), 2)
        self.assertEqual((set(threads), variables), ({1}, []))
