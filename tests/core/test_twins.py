import unittest

import numpy as np
from matchedpair.measures.light import Light
from matchedpair.measures.render import RenderMeasures
from matchedpair.measures.twins import twin_problem

from tests.pictures import blurred, everywhere, flat, grainy, noisy, patchy, photograph, textured


def problem(first, second):
    return twin_problem(Light([first, second], everywhere(first)))


def encoded(picture):
    return np.clip(picture, 0, None) ** np.float32(1 / 2.2)


class Twins(unittest.TestCase):
    def test_true_twins_pass_whatever_their_noise(self):
        speck = noisy(flat(0.5, (320, 240)), 0.05, 1)
        speck[100, 100] = 40.0
        cases = {
            "white": [noisy(photograph(), 0.1, seed) for seed in (1, 2)],
            "very noisy": [grainy(photograph(), 0.9, seed) for seed in (1, 2)],
            "patchy": [patchy(photograph(), 0.1, 12, seed) for seed in (1, 2)],
            "flat and patchy": [patchy(flat(0.5, (320, 240)), 0.2, 10, seed) for seed in (1, 2)],
            "a firefly": [speck, noisy(flat(0.5, (320, 240)), 0.05, 2)],
            "textured": [noisy(textured(), 0.2, seed) for seed in (1, 2)],
            "tiny": [noisy(flat(0.5, (12, 9)), 0.2, seed) for seed in (1, 2)],
        }
        # patches that reach over several cells move many of them together: once in some hundred pairs far enough
        wide = [patchy(flat(0.5, (320, 240)), 0.05, 12, seed) for seed in range(7500, 7504)]
        cases |= {f"wide patches {number}": [wide[0], each] for number, each in enumerate(wide[1:], 1)}
        for name, (first, second) in cases.items():
            self.assertEqual(problem(first, second), "", name)

    def test_one_patch_among_many_is_no_other_light_and_a_lit_corner_among_them_is(self):
        rows, columns = np.mgrid[0:240, 0:360]
        scene = photograph()[:240, :360]
        blob = 1 - 0.95 * np.exp(-((rows - 135) ** 2 + (columns - 135) ** 2) / (2 * 13.0**2))[..., None]
        for seed in range(6):
            first, second = (noisy(patchy(scene, 0.05, 10, 10 * seed + k), 0.05, seed + 50 * k) for k in (1, 2))
            self.assertEqual(problem(first, second), "", seed)
            self.assertEqual(problem(first, (second * blob).astype(np.float32)), "", seed)
            lit = second.copy()
            lit[60:130, 100:190] *= 2.0
            self.assertIn("lit otherwise", problem(first, lit), seed)

    def test_a_bright_path_in_each_block_of_a_cell_is_chance_and_as_much_light_in_all_of_its_pixels_is_not(self):
        first, second = (noisy(flat(0.5, (192, 144)), 0.02, seed) for seed in (1, 2))
        more = 0.25 * 64  # half as bright again, in one pixel of each block of 8 × 8
        paths = second.copy()
        paths[67:96:8, 68:96:8] += more
        self.assertEqual(problem(first, paths), "")
        lit = second.copy()
        lit[64:96, 64:96] += more / 64
        self.assertIn("lit otherwise", problem(first, lit))

    def test_what_is_no_twin_is_refused_with_the_reason(self):
        first, second = (noisy(photograph(), 0.1, seed) for seed in (1, 2))
        lit = second.copy()
        lit[100:160, 200:280] *= 1.4
        cases = {
            "mirrored left to right": np.ascontiguousarray(second[:, ::-1]),
            "display-encoded": encoded(second),
            "0.14 stops brighter": second * np.float32(1.1),
            "0.32 stops darker": second * np.float32(0.8),
            "lit otherwise": lit,
            "finest grain": noisy(photograph(), 0.03, 5),
            "pixel filter": noisy(blurred(photograph(), 1.0), 0.02, 5),
            "no twin": noisy(photograph("chelsea")[:300, :400], 0.1, 3),
        }
        for words, other in cases.items():
            height, width = min(first.shape[0], other.shape[0]), min(first.shape[1], other.shape[1])
            found = problem(first[:height, :width], np.ascontiguousarray(other[:height, :width]))
            self.assertIn(words, found)

    def test_no_figure_rests_on_a_twin_that_is_none(self):
        first, second = (noisy(photograph(), 0.05, seed) for seed in (1, 2))
        reference = noisy(photograph(), 0.01, 7)
        measures = RenderMeasures([first, encoded(second)], everywhere(first), references=[reference])
        zone = measures.zone(everywhere(first))
        for name in ("noise", "noise.seen_percent", "noise.visible"):
            self.assertIn("display-encoded", zone.refused[name])
        self.assertAlmostEqual(zone.error.total.value, 5.0, delta=0.5)
