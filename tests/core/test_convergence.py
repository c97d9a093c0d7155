"""How visible error falls with samples, against pictures whose noise and whose lasting error are known."""

import math
import unittest

import cv2
import numpy as np
from matchedpair.errors import RefusedError
from matchedpair.measures.convergence import convergence
from matchedpair.measures.figure import Figure
from matchedpair.measures.samples_to import LAW, Convergence, samples_to
from matchedpair.measures.visible import visible_maps
from matchedpair.pictures.display import display_light

HEIGHT, WIDTH = 144, 256
ROWS, COLUMNS = np.mgrid[:HEIGHT, :WIDTH] / np.array([HEIGHT, WIDTH]).reshape(2, 1, 1)
TRUTH = (np.array([0.32, 0.36, 0.42]) * (0.25 + 0.9 * ROWS[..., None])).astype(np.float32)
UNEVEN = 1.0 + 2.0 * ROWS * COLUMNS  # grain, worst in a corner
COUNTED = np.ones((HEIGHT, WIDTH), dtype=bool)
POOL = np.exp(-(((COLUMNS - 0.75) * WIDTH) ** 2 + ((ROWS - 0.8) * HEIGHT) ** 2) / 14.0**2)
LACKING = {
    "nothing": TRUTH,
    "light in a pool": TRUTH * (1.0 - 0.5 * POOL[..., None]),
    "light towards the corner": TRUTH * (1.0 - 0.15 * (ROWS * COLUMNS)[..., None]),
    "its finest detail": np.dstack(
        [cv2.GaussianBlur(np.ascontiguousarray(TRUTH[..., c]), (0, 0), 1.0) for c in range(3)]
    ),
}


def grainy(picture, noise, seed):
    shape = 1.0 / np.broadcast_to(noise * UNEVEN, (HEIGHT, WIDTH)) ** 2
    grain = np.random.default_rng(seed).gamma(shape, 1.0 / shape)
    return (picture * grain[..., None]).astype(np.float32)


def seen(picture):
    return float(visible_maps([picture, TRUTH], display_light)[0].mean())


def true_samples(picture, noise, aim):
    """How many times the samples bring the mean of three seeds to an error, by trying."""
    low, high = 1 / 64, 64.0
    for _ in range(11):
        middle = math.sqrt(low * high)
        error = np.mean([seen(grainy(picture, noise / math.sqrt(middle), 50 + seed)) for seed in range(3)])
        low, high = (middle, high) if error > aim else (low, middle)
    return math.sqrt(low * high)


class SamplesToAnError(unittest.TestCase):
    def test_the_truth_lies_between_the_ends_wherever_the_lasting_error_lies(self):
        control = convergence([grainy(TRUTH, 0.15, seed) for seed in (1, 2)], [TRUTH], COUNTED)
        aim = np.mean([seen(grainy(TRUTH, 0.15, seed)) for seed in range(300, 306)])
        for lacks, picture in LACKING.items():
            for noise in (0.08, 0.2):
                truth = true_samples(picture, noise, aim)
                own = convergence([grainy(picture, noise, seed) for seed in (11, 12)], [TRUTH], COUNTED)
                found = samples_to(own, control.one)
                self.assertTrue(0.97 * found.low < truth < 1.03 * found.high, (lacks, noise, truth, found))
                self.assertLess(found.high / found.low, 1.8, (lacks, noise))
                self.assertLess(own.lasting, 1.02 * seen(picture.astype(np.float32)) + 0.01, lacks)

    def test_a_small_part_without_light_is_not_taken_for_error_of_all_of_it(self):
        """A law from the mean error and the mean noise says that it never gets there."""
        control = convergence([grainy(TRUTH, 0.06, seed) for seed in (1, 2)], [TRUTH], COUNTED)
        lacking = LACKING["light in a pool"]
        own = convergence([grainy(lacking, 0.1, seed) for seed in (11, 12)], [TRUTH], COUNTED)
        self.assertGreater(own.one.value**2 - own.noise**2, control.one.value**2, "what the mean figures leave over")
        self.assertLess(seen(lacking.astype(np.float32)), control.one.value, "what is really left of it")
        self.assertLess(own.lasting, control.one.value)
        truth = true_samples(lacking, 0.1, control.one.value)
        found = samples_to(own, control.one)
        self.assertTrue(found.low < truth < found.high, (truth, found))

    def test_what_every_seed_has_all_over_lasts(self):
        control = convergence([grainy(TRUTH, 0.05, seed) for seed in (1, 2)], [TRUTH], COUNTED)
        darker = convergence([grainy(0.9 * TRUTH, 0.03, seed) for seed in (11, 12)], [TRUTH], COUNTED)
        self.assertGreater(darker.lasting, control.one.value)
        self.assertLess(darker.lasting, 1.01 * seen((0.9 * TRUTH).astype(np.float32)))
        self.assertEqual(samples_to(darker, control.one).high, math.inf)

    def test_more_seeds_see_further(self):
        control = convergence([grainy(TRUTH, 0.1, seed) for seed in (1, 2)], [TRUTH], COUNTED)
        two, four = (
            samples_to(
                convergence([grainy(0.97 * TRUTH, 0.2, 10 + n) for n in range(seeds)], [TRUTH], COUNTED), control.one
            )
            for seeds in (2, 4)
        )
        self.assertLess(four.high / four.low, two.high / two.low)

    def test_an_engine_without_noise_gets_there_as_it_is_or_never(self):
        same = convergence([LACKING["light in a pool"].astype(np.float32)] * 3, [TRUTH], COUNTED)
        self.assertEqual((same.seeds, same.noise, same.every), (1, 0.0, None))
        self.assertEqual(same.lasting, same.one.value)
        for aim, expected in ((1.01, 1.0), (0.99, math.inf)):
            found = samples_to(same, Figure(aim * same.one.value, "ΔE", None, "reference", 1))
            self.assertEqual((found.low, found.high), (expected, expected))

    def test_one_seed_alone_says_no_more_than_that_it_is_there_already(self):
        alone = convergence([grainy(TRUTH, 0.1, 1)], [TRUTH], COUNTED)
        self.assertEqual((alone.noise, alone.lasting), (None, 0.0))
        there, not_yet = (
            samples_to(alone, Figure(share * alone.one.value, "ΔE", None, "reference", 1)) for share in (1.2, 0.8)
        )
        self.assertAlmostEqual(there.high, math.exp(LAW) / 1.2**2, delta=1e-9)
        self.assertLess(there.low, 0.1 * there.high, "what lasts lets it do with far fewer")
        self.assertEqual(not_yet.high, math.inf)
        self.assertLess(not_yet.low, 1.7)

    def test_chance_in_each_figure_widens_it(self):
        def own(half):
            around = [Figure(value, "ΔE", (value - half, value + half), "", 1) for value in (2.0, 1.5)]
            return Convergence(2, around[0], around[1], 1.9)

        aim = Figure(1.6, "ΔE", None, "", 1)
        sure, less = samples_to(own(0.0), aim), samples_to(own(0.05), aim)
        self.assertTrue(less.low < sure.low < sure.high < less.high)
        wide = samples_to(own(0.0), Figure(1.6, "ΔE", (1.5, 1.7), "", 1))
        self.assertTrue(wide.low < sure.low < sure.high < wide.high)

    def test_an_error_of_nothing_ends_in_no_figure(self):
        nothing = Figure(0.0, "ΔE", (0.0, 0.0), "", 1)
        some = Convergence(2, Figure(1.0, "ΔE", (0.0, 2.0), "", 1), Figure(0.8, "ΔE", (0.0, 1.6), "", 1), 0.9)
        self.assertEqual(samples_to(some, nothing).low, math.inf)
        self.assertEqual(samples_to(Convergence(2, nothing, nothing, 0.0), nothing).value, 1.0)
        self.assertTrue(samples_to(some, Figure(0.9, "ΔE", (0.0, 1.8), "", 1)).low > 0.0)

    def test_what_does_not_count_changes_nothing(self):
        counted = COUNTED.copy()
        counted[:40] = False
        pictures = [grainy(TRUTH, 0.1, seed) for seed in (1, 2)]
        wild = [picture.copy() for picture in pictures]
        for picture in wild:
            picture[:20] = 100.0
        plain, spoiled = (convergence(each, [TRUTH], counted) for each in (pictures, wild))
        self.assertEqual(plain, spoiled)

    def test_another_size_is_refused(self):
        with self.assertRaisesRegex(RefusedError, "another size"):
            convergence([TRUTH], [TRUTH[:-1]], COUNTED)


if __name__ == "__main__":
    unittest.main()
