"""``matchedpair measure`` and ``matchedpair pair`` on files: every key, every check, every refusal in words."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
from matchedpair.cli.text import pair_as_text
from matchedpair.measures.kinds import KINDS

from tests.core.test_cli import Called
from tests.core.test_fireflies import planted
from tests.inner_loop import long
from tests.pictures import blurred, flat, moved, noisy, patchy, photograph, write

ZONE = {
    "noise": [
        "percent",
        "interval",
        "method",
        "worst_tenth_percent",
        "total_percent",
        "total_interval",
        "visible",
        "top_share",
        "without_fireflies_percent",
        "seen_percent",
    ],
    "fireflies": ["count", "per_megapixel", "light_percent", "positions", "method"],
    "error": ["total_percent", "random_percent", "systematic_percent", "low_frequency_percent"],
    "blotches": ["found", "amplitude_percent", "scale_pixels", "grain", "method"],
    "detail": ["octaves"],
    "look": ["stops", "delta_e", "delta_e_after_gain", "worst", "clamped_at", "light_lost_percent"],
    "visible": ["mean", "p95", "above_1_percent", "pixels_per_degree", "own_noise_mean"],
}
PAIR = [
    "identical",
    "shift_pixels",
    "noise_ratio",
    "total_noise_ratio",
    "visible_noise_ratio",
    "time_ratio",
    "same_noise",
    "difference",
    "look",
    "refused",
]


class Files(Called):
    def put(self, name, picture, kind="half"):
        return write(self.folder / f"{name}.exr", picture, kind)

    def json(self, *words, stopped=False):
        code, out, err = self.call(*words, "--json")
        said = r"^matchedpair: nothing could be measured: .+\n$" if stopped else r"^$"
        self.assertEqual(code, 2 if stopped else 0, err)
        self.assertRegex(err, said)
        self.assertNotIn("NaN", out)
        return json.loads(out)

    def codes(self, *words, stopped=False):
        return [(row["code"], row["severity"]) for row in self.json(*words, stopped=stopped)["checks"]]


class Measure(Files):
    def setUp(self):
        super().setUp()
        self.truth = photograph()
        lit, self.places = planted(noisy(patchy(self.truth, 0.06, 8, 31), 0.1, 1), 20, 5)
        self.render = self.put("render", lit)
        self.twin = self.put("twin", noisy(patchy(self.truth, 0.06, 8, 32), 0.1, 2))
        self.reference = self.put("reference", noisy(self.truth, 0.01, 5), "float")
        self.second = self.put("second", noisy(self.truth, 0.01, 6), "float")
        self.all = ("measure", self.render, "--twin", self.twin, "--reference", self.reference,
                    "--reference-twin", self.second)  # fmt: skip

    def test_every_key_of_every_measure_is_there(self):
        report = self.json(*self.all, "--zone", "Cup=200,100,200,200")
        self.assertEqual(list(report["zones"]), ["whole", "Cup"])
        for zone in report["zones"].values():
            self.assertEqual(sorted(zone), sorted([*ZONE, "refused"]))
            for measure, keys in ZONE.items():
                self.assertLessEqual(set(keys), set(zone[measure]), measure)

    def test_known_answers_come_out_of_files(self):
        whole = self.json(*self.all)["zones"]["whole"]
        self.assertAlmostEqual(whole["noise"]["without_fireflies_percent"], 11.6, delta=0.6)
        found = {tuple(place) for place in whole["fireflies"]["positions"]}
        self.assertGreaterEqual(len(found & self.places), 98)
        self.assertLessEqual(len(found - self.places), 1)
        self.assertTrue(whole["blotches"]["found"])
        self.assertAlmostEqual(whole["blotches"]["amplitude_percent"], 6.0, delta=1.2)
        self.assertEqual(len(whole["detail"]["octaves"]), 5)
        self.assertAlmostEqual(whole["look"]["stops"], 0.0, delta=0.02)
        self.assertGreater(whole["visible"]["mean"], 0.3)

    def test_what_is_null_has_its_reason(self):
        whole = self.json("measure", self.render)["zones"]["whole"]
        reasons = {row["measure"]: row["reason"] for row in whole["refused"]}
        for measure in ZONE:
            if whole[measure] is None:
                self.assertTrue(reasons[measure], measure)
        self.assertIn("no reference", reasons["error"])

    def test_a_zone_too_small_for_a_measure_keeps_the_others(self):
        tiny = self.json(*self.all, "--zone", "tiny=10,10,12,12")["zones"]["tiny"]
        self.assertIsNone(tiny["blotches"])
        self.assertGreater(tiny["noise"]["percent"], 0)
        low, high = tiny["noise"]["interval"]
        self.assertGreater(high / low, 1.3, "few pixels say little")

    def test_text_names_every_measure_in_words(self):
        code, out, _ = self.call(*self.all)
        self.assertEqual(code, 0)
        for words in ("noise ", "fireflies ", "error against the reference in all", "blotches found, amplitude",
                      "detail kept 0.7 px", "look ", "visible difference "):  # fmt: skip
            self.assertIn(words, out)

    @long
    def test_another_view_transform_changes_what_is_seen_and_nothing_else(self):
        plain = self.json(*self.all)["zones"]["whole"]
        toned = self.json(*self.all, "--view", "sRGB - Display / ACES 1.0 - SDR Video")["zones"]["whole"]
        self.assertNotAlmostEqual(plain["noise"]["seen_percent"], toned["noise"]["seen_percent"], places=3)
        self.assertEqual(plain["noise"]["percent"], toned["noise"]["percent"])
        near = self.json(*self.all, "--pixels-per-degree", "20")["zones"]["whole"]["visible"]
        self.assertGreater(near["mean"], plain["visible"]["mean"])


class Checks(Files):
    """Every check on a file by its code."""

    def setUp(self):
        super().setUp()
        self.truth = photograph()[:160, :240]
        self.good = self.put("good", noisy(self.truth, 0.1, 1))

    def test_each_fault_has_its_code_and_stops_or_warns(self):
        broken, dark, below = self.truth.copy(), self.truth.copy(), self.truth.copy()
        broken[3, 4] = np.inf
        broken[: len(broken) // 4] = np.nan
        below[5, 5] = -0.5
        dark[:] = 0.0
        eight = write(self.folder / "eight.png", np.clip(self.truth * 8, 0, 1), "uint8")
        for path, code, severity in (
            (self.put("broken", broken), "not_finite", "stop"),
            (self.put("dark", dark), "black", "stop"),
            (self.put("even", flat(0.5, (240, 160))), "flat", "stop"),
            (self.put("below", below), "negative", "warn"),
            (self.put("one", self.truth[..., :1]), "channels", "stop"),
            (eight, "encoded", "stop"),
            (eight, "clipped", "warn"),
        ):
            with self.subTest(code):
                stopped = severity == "stop" or code == "clipped"  # clipped pictures are display-encoded too
                self.assertIn((code, severity), self.codes("measure", path, stopped=stopped))

    def test_one_absurd_pixel_spoils_nothing(self):
        clean = [noisy(self.truth, 0.1, seed) for seed in (1, 2)]
        plain = self.json("measure", self.put("a", clean[0], "float"), "--twin", self.put("b", clean[1], "float"))
        clean[0][40, 50] = 1e20
        spoilt = self.json("measure", self.put("c", clean[0], "float"), "--twin", self.put("b", clean[1], "float"))
        self.assertEqual([row["code"] for row in spoilt["checks"]], ["not_finite"])
        self.assertIn("brighter than light can be", spoilt["checks"][0]["message"])
        before, after = (each["zones"]["whole"]["noise"] for each in (plain, spoilt))
        for key in ("percent", "total_percent", "visible"):
            self.assertAlmostEqual(after[key] / before[key], 1.0, delta=0.01, msg=key)

    def test_a_stopped_render_is_not_measured_at_all(self):
        report = self.json("measure", self.put("even", flat(0.5, (240, 160))), "--twin", self.good, stopped=True)
        whole = report["zones"]["whole"]
        self.assertEqual({whole[name] for name in ("noise", "fireflies", "blotches")}, {None})
        self.assertIn("stops all measuring", whole["refused"][0]["reason"])

    def test_a_flat_reference_is_an_answer_and_only_warned_of(self):
        grey = flat(0.5, (240, 160))
        render, twin = (self.put(f"grey{seed}", noisy(grey, 0.1, seed)) for seed in (1, 2))
        report = self.json("measure", render, "--twin", twin, "--reference", self.put("even", grey))
        self.assertEqual([(row["code"], row["severity"]) for row in report["checks"]], [("flat", "warn")])
        self.assertAlmostEqual(report["zones"]["whole"]["error"]["total_percent"], 10.0, delta=0.2)

    def test_a_partner_of_another_size_is_named_and_left_aside(self):
        small = self.put("small", noisy(self.truth[:100], 0.1, 2))
        for role in ("--twin", "--reference"):
            report = self.json("measure", self.good, role, small)
            self.assertEqual(report["checks"][0]["code"], "size")
            self.assertIn("240×100 pixels and the render 240×160", report["checks"][0]["message"])

    def test_the_same_file_as_twin_is_identical_and_a_reference_twin_that_is_its_reference_too(self):
        self.assertEqual(self.codes("measure", self.good, "--twin", self.good), [("identical", "warn")])
        truth = self.put("truth", self.truth)
        codes = self.codes("measure", self.good, "--reference", truth, "--reference-twin", truth)
        self.assertEqual(codes, [("identical", "warn")])

    def test_a_reference_that_is_mirrored_or_of_another_scene_is_a_mismatch(self):
        twin = self.put("twin", noisy(self.truth, 0.1, 2))
        for name, picture in (("mirrored", self.truth[:, ::-1]), ("other", photograph("chelsea")[:160, :240])):
            report = self.json("measure", self.good, "--twin", twin, "--reference", self.put(name, picture))
            self.assertIn("mismatch", [row["code"] for row in report["checks"]])
            whole = report["zones"]["whole"]
            self.assertIsNone(whole["error"])
            self.assertIsNotNone(whole["noise"], "the twins have nothing to do with the reference")

    def test_files_that_cannot_be_read_end_with_code_two_and_one_line(self):
        cut = self.folder / "cut.exr"
        cut.write_bytes(self.good.read_bytes()[:900])
        words = self.folder / "words.exr"
        words.write_text("not a picture")
        for bad in (cut, words, self.folder, self.folder / "none.exr"):
            for command in (
                ("measure", bad), ("measure", self.good, "--reference", bad),
                ("pair", "--control", self.good, "--trial", bad),
            ):  # fmt: skip
                code, out, err = self.call(*command, "--json")
                self.assertEqual((code, out, len(err.strip().splitlines())), (2, "", 1), err)
                self.assertNotIn("Traceback", err)

    def test_options_that_make_no_sense_are_one_line_too(self):
        cases = (
            (("measure", self.good, "--view", "Cinema"), "no view transform"),
            (("measure", self.good, "--pixels-per-degree", "0"), "between 1 and 1000"),
            (("measure", self.good, "--exposure", "99"), "between -32 and 32"),
            (("measure", self.good, "--leave-out", "0,0,900,900"), "reaches outside"),
            (("pair", "--control", self.good, "--trial", self.good, "--control-seconds", "3"), "of both sides"),
            (("pair", "--control", self.good, "--trial", self.good, "--control-seconds", "-3",
              "--trial-seconds", "2"), "must be above 0"),
            (("pair", "--control", self.good, "--trial", self.good, "--reference-twin", self.good), "needs the ref"),
        )  # fmt: skip
        for words, said in cases:
            code, out, err = self.call(*words)
            self.assertEqual((code, out, err.count("\n")), (2, "", 1))
            self.assertIn(said, err)

    def test_the_installed_command_does_the_same(self):
        command = Path(sys.executable).parent / "matchedpair"
        done = subprocess.run([command, "measure", self.good, "--json"], capture_output=True, check=True)
        self.assertEqual(sorted(json.loads(done.stdout)), ["checks", "zones"])


class Pair(Files):
    def setUp(self):
        super().setUp()
        self.truth = photograph()
        self.control = [self.put(f"control{s}", noisy(self.truth, 0.1, s)) for s in (1, 2)]

    def words(self, trial, *more):
        files = [self.put(f"trial{number}", picture) for number, picture in enumerate(trial)]
        twin = ("--trial-twin", files[1]) if len(files) > 1 else ()
        return (
            "pair", "--control", self.control[0], "--control-twin", self.control[1], "--trial", files[0], *twin, *more
        )  # fmt: skip

    def pair(self, trial, *more):
        return self.json(*self.words(trial, *more))

    def test_every_key_is_there_and_known_answers_come_out(self):
        report = self.pair([noisy(self.truth * np.float32(1.02), 0.05, s) for s in (3, 4)])
        self.assertLessEqual(set(PAIR), set(report))
        self.assertFalse(report["identical"])
        self.assertLess(report["shift_pixels"], 0.05)
        self.assertAlmostEqual(report["noise_ratio"]["value"], 0.5, delta=0.01)
        self.assertTrue(report["difference"]["found"])
        self.assertAlmostEqual(report["difference"]["zones"][0]["percent"], 2.0, delta=1.2)
        self.assertAlmostEqual(report["look"]["stops"], np.log2(1.02), delta=0.01)
        self.assertIsNone(report["same_noise"])
        self.assertIn("same_noise", {row["measure"] for row in report["refused"]})

    def test_an_island_is_told_with_its_place(self):
        darker = self.truth.copy()
        darker[40:64, 80:112] *= np.float32(0.2)
        trial = [noisy(darker, 0.05, s) for s in (3, 4)]
        report = self.pair(trial)["difference"]
        [island] = report["islands"]
        x, y, width, height = island["box"]
        self.assertTrue(x >= 80 and x + width <= 112 and y >= 40 and y + height <= 64, island)
        _, out, _ = self.call(*self.words(trial))
        self.assertIn(f"{width} × {height} pixels at {x}, {y}: {island['percent']:+.2g} %", out)

    def test_equal_sides_are_told_with_what_would_have_been_seen(self):
        report = self.pair([noisy(self.truth, 0.1, s) for s in (3, 4)])["difference"]
        self.assertEqual((report["found"], report["zones"]), (False, []))
        self.assertTrue(0.1 < report["smallest_seen_percent"] < 3.0)

    def test_the_same_picture_again_had_no_effect(self):
        report = self.json("pair", "--control", self.control[0], "--trial", self.control[0])
        self.assertTrue(report["identical"])
        self.assertIn("identical", [row["code"] for row in report["checks"]])
        self.assertIn("something else switched off", json.dumps(report["refused"]))

    def test_a_shift_is_told_and_refuses_the_rest(self):
        report = self.pair([noisy(moved(self.truth, 0.4, 0.3), 0.1, s) for s in (3, 4)])
        self.assertAlmostEqual(report["shift_pixels"], 0.5, delta=0.05)
        self.assertEqual([report[name] for name in ("noise_ratio", "difference", "visible")], [None] * 3)

    def test_a_filter_mismatch_refuses_the_noise(self):
        report = self.pair([noisy(blurred(self.truth, 0.8), 0.1, s) for s in (3, 4)])
        self.assertIsNone(report["noise_ratio"])
        self.assertIn("differs in sharpness", json.dumps(report["refused"]))

    def test_other_sizes_and_mirrored_trials_are_refused(self):
        report = self.pair([noisy(self.truth[:300], 0.1, 3)])
        self.assertIn("the sizes differ", json.dumps(report["refused"]))
        report = self.pair([noisy(np.ascontiguousarray(self.truth[:, ::-1]), 0.1, 3)])
        self.assertIn("mismatch", [row["code"] for row in report["checks"]])

    def test_stated_times_give_a_ratio_without_getting_ready(self):
        words = ("--control-seconds", "10", "--trial-seconds", "24", "--control-ready", "2", "--trial-ready", "4")
        ratio = self.pair([noisy(self.truth, 0.1, 3)], *words)["time_ratio"]
        self.assertAlmostEqual(ratio["value"], 2.5)
        self.assertTrue(ratio["interval"][0] < 2.5 < ratio["interval"][1])

    def test_a_reference_judges_each_side_by_itself(self):
        truth = self.put("truth", self.truth, "float")
        sides = self.pair([noisy(self.truth, 0.05, s) for s in (3, 4)], "--reference", truth)["against_reference"]
        self.assertAlmostEqual(sides["control"]["error"]["total_percent"], 10.0, delta=0.4)
        self.assertAlmostEqual(sides["trial"]["error"]["total_percent"], 5.0, delta=0.3)

    def test_a_reference_that_is_for_looking_only_judges_neither_side(self):
        shown = write(self.folder / "shown.png", np.clip(self.truth, 0, 1), "uint8")
        report = self.pair([noisy(self.truth, 0.05, s) for s in (3, 4)], "--reference", shown)
        for side in ("control", "trial"):
            self.assertIsNone(report["against_reference"][side]["error"])
            self.assertIn("cannot be used", json.dumps(report["against_reference"][side]["refused"]))
        self.assertIsNotNone(report["noise_ratio"])

    def test_stated_times_and_one_render_each_tell_the_time_to_the_same_noise(self):
        words = ("--control-seconds", "11", "--trial-seconds", "5", "--control-ready", "1", "--trial-ready", "1")
        found = self.pair([noisy(self.truth, 0.05, s) for s in (3, 4)], *words)["same_noise"]
        self.assertAlmostEqual(found["speed_up"], 11 / (1 + 4 * 0.25), delta=0.2)
        self.assertTrue(found["interval"][0] < found["speed_up"] < found["interval"][1])

    def test_several_twins_a_side_narrow_what_is_told(self):
        sides = {name: [self.put(f"{name}{s}", noisy(self.truth, noise, s + first)) for s in range(4)]
                 for name, noise, first in (("c", 0.1, 10), ("t", 0.05, 20))}  # fmt: skip
        words = ["pair", "--control", sides["c"][0], "--trial", sides["t"][0]]
        for name, side in (("--control-twin", sides["c"]), ("--trial-twin", sides["t"])):
            for file in side[1:]:
                words += [name, file]
        report = self.json(*words)
        self.assertAlmostEqual(report["noise_ratio"]["value"], 0.5, delta=0.01)
        self.assertEqual(report["noise_ratio"]["method"], "places")
        self.assertLess(report["noise_ratio"]["noisier_in_percent"], 1.0)
        self.assertGreater(report["noise_ratio"]["cleaner_in_percent"], 95.0)
        self.assertRegex(pair_as_text(report), r"noise ratio 0\.50?\d? .*, cleaner in at least 9\d % of the picture")
        for name in ("total_noise_ratio", "visible_noise_ratio"):
            self.assertAlmostEqual(report[name]["value"], 0.5, delta=0.04, msg=name)

    def test_storage_in_half_floats_is_no_difference(self):
        files = {
            (kind, seed): self.put(f"{kind}{seed}", noisy(self.truth, 0.01, seed), kind)
            for kind in ("float", "half") for seed in (1, 2)
        }  # fmt: skip
        words = ("--control", ("float", 1)), ("--control-twin", ("float", 2)), ("--trial", ("half", 1))
        given = [word for name, key in (*words, ("--trial-twin", ("half", 2))) for word in (name, files[key])]
        report = self.json("pair", *given)
        self.assertFalse(report["difference"]["found"], report["difference"])

    def test_a_twin_that_is_none_is_named_and_refused(self):
        other = self.put("bright", noisy(self.truth * np.float32(1.2), 0.1, 9))
        report = self.json(
            "pair", "--control", self.control[0], "--control-twin", other, "--trial", self.control[1]
        )  # fmt: skip
        self.assertIn("twin", [row["code"] for row in report["checks"]])
        self.assertIn("0.26 stops brighter", json.dumps(report["refused"]))

    def test_text_says_the_same(self):
        trial = self.put("t", noisy(self.truth, 0.05, 3))
        code, out, _ = self.call("pair", "--control", self.control[0], "--trial", trial)
        self.assertEqual(code, 0)
        self.assertIn("no difference found", out)
        self.assertIn("noise ratio: not given, the control: there is no twin", out)


class Words(Files):
    def test_every_kind_says_what_it_means(self):
        for kind in KINDS:
            self.assertTrue(kind.about.endswith("."), kind.name)
