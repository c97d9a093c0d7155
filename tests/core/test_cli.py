import contextlib
import io
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from matchedpair.cli import COMMANDS, main
from matchedpair.measures.noise import twin_noise
from matchedpair.pictures import read_picture

from tests.core.test_panorama import sky
from tests.engines import add_engine
from tests.pictures import flat, noisy, textured, write

KEYS = ["noise", "fireflies", "error", "blotches", "detail", "look", "visible", "refused"]


class Called(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def call(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(word) for word in words])
        return code, out.getvalue(), err.getvalue()


class Command(Called):
    def setUp(self):
        super().setUp()
        self.render, self.twin = (
            str(write(self.folder / f"{seed}.exr", noisy(textured(), 0.1, seed))) for seed in (1, 2)
        )

    def measure(self, *words, code=0):
        found, out, _ = self.call("measure", *words, "--json")
        self.assertEqual(found, code)
        return json.loads(out)

    def test_twins_give_the_core_s_own_figure(self):
        whole = self.measure(self.render, "--twin", self.twin)["zones"]["whole"]
        pictures = [read_picture(Path(path)) for path in (self.render, self.twin)]
        expected = twin_noise([picture.pixels for picture in pictures], pictures[0].valid)
        self.assertEqual(whole["noise"]["percent"], expected.noise.value)
        self.assertEqual(whole["noise"]["interval"], list(expected.noise.interval))
        self.assertEqual((whole["noise"]["method"], whole["noise"]["top_share"]), ("twin", expected.top_share))

    def test_the_keys_are_fixed_and_what_is_not_measured_is_null_with_a_reason(self):
        report = self.measure(self.render, "--twin", self.twin)
        self.assertEqual(list(report), ["checks", "zones"])
        whole = report["zones"]["whole"]
        self.assertEqual(sorted(whole), sorted(KEYS))
        refused = {row["measure"] for row in whole["refused"]}
        for key in KEYS:
            if whole[key] is None:
                self.assertIn(key, refused)

    def test_without_twin_noise_is_refused_not_zero(self):
        whole = self.measure(self.render)["zones"]["whole"]
        self.assertIsNone(whole["noise"])
        reasons = {row["measure"]: row["reason"] for row in whole["refused"]}
        self.assertIn("flat enough for a guess", reasons["noise"])

    def test_without_twin_a_flat_picture_gives_a_rough_guess_that_says_so(self):
        picture = noisy(flat(size=(320, 240)), 0.1, 1)
        noise = self.measure(write(self.folder / "flat.exr", picture))["zones"]["whole"]["noise"]
        self.assertEqual(noise["method"], "single")
        self.assertTrue(5.0 <= noise["percent"] <= 20.0, noise)
        self.assertEqual(noise["interval"], [noise["percent"] / 2, noise["percent"] * 2])

    def test_the_same_file_as_twin_is_refused_and_named(self):
        report = self.measure(self.render, "--twin", self.render)
        self.assertEqual(report["checks"][0]["code"], "identical")
        self.assertIn("same seed, noise unknown", json.dumps(report["zones"]["whole"]["refused"]))

    def test_zones_and_left_out_areas(self):
        report = self.measure(
            self.render, "--twin", self.twin, "--zone", "corner=0,0,100,100", "--leave-out", "0,0,320,120"
        )
        self.assertEqual(list(report["zones"]), ["whole", "corner"])
        self.assertIn("no valid pixel", json.dumps(self.measure(
            self.render, "--twin", self.twin, "--zone", "gone=0,0,50,50", "--leave-out", "0,0,60,60"
        )["zones"]["gone"]["refused"]))  # fmt: skip

    def test_a_stopping_check_measures_nothing(self):
        black = write(self.folder / "black.exr", flat(0.0))
        report = self.measure(black, "--twin", self.twin, code=2)
        self.assertEqual(report["checks"][0]["code"], "black")
        self.assertIsNone(report["zones"]["whole"]["noise"])

    def test_sizes_that_differ_are_refused(self):
        small = write(self.folder / "small.exr", noisy(textured((64, 48)), 0.1, 2))
        whole = self.measure(self.render, "--twin", small)["zones"]["whole"]
        self.assertIn("differ in size", whole["refused"][0]["reason"])

    def test_bad_input_is_one_clear_line_and_code_two(self):
        cases = [
            (("measure", self.folder / "none.exr"), "no such file"),
            (("measure", self.render, "--twin", self.folder / "none.exr"), "no such file"),
            (("measure", self.render, "--zone", "a=1,2,3"), "expected four whole numbers"),
            (("measure", self.render, "--zone", "a=0,0,0,5"), "at least 1"),
            (("measure", self.render, "--zone", "whole=0,0,5,5"), "a name other than 'whole'"),
            (("measure", self.render, "--twin", self.twin, "--zone", "a=300,0,50,50"), "reaches outside"),
            (("engine", self.folder / "none.toml"), "cannot be read"),
        ]
        for words, said in cases:
            with self.subTest(said):
                code, out, err = self.call(*words)
                self.assertEqual((code, out, err.count("\n")), (2, "", 1))
                self.assertIn(said, err)
                self.assertNotIn("Traceback", err)

    def test_plain_text_says_the_same(self):
        code, out, _ = self.call("measure", self.render, "--twin", self.twin)
        self.assertEqual(code, 0)
        self.assertRegex(out, r"noise (9|10)\.\d+ % \(.* to .*; by twin; ")

    def test_an_engine_definition_can_be_checked(self):
        code, out, _ = self.call("engine", add_engine(self.folder, "good"))
        self.assertEqual(code, 0)
        self.assertIn("samples: integer, between 1 and 4096, default 4", out)

    def test_invalid_pixels_warn_and_count_nowhere(self):
        picture = noisy(textured(), 0.1, 1)
        picture[4, 5] = np.nan
        report = self.measure(write(self.folder / "nan.exr", picture), "--twin", self.twin)
        self.assertEqual((report["checks"][0]["code"], report["checks"][0]["places"]), ("not_finite", [[4, 5]]))
        self.assertAlmostEqual(report["zones"]["whole"]["noise"]["percent"], 10.0, delta=0.4)


class TheCommandItself(unittest.TestCase):
    def test_its_list_of_commands_loads_nothing_that_computes(self):
        told = (
            "import sys; from matchedpair.cli import main\n"
            "try: main(['--help'])\n"
            "except SystemExit: pass\n"
            "print([name for name in ('numpy', 'scipy', 'numba', 'OpenImageIO', 'msgspec') if name in sys.modules])"
        )
        said = subprocess.run([sys.executable, "-c", told], capture_output=True, text=True, check=True).stdout
        self.assertTrue(said.rstrip().endswith("[]"), said)
        for name, (_, words) in COMMANDS.items():
            self.assertIn(f"  {name} ", said)
            self.assertIn(words[:20], said)

    def test_each_command_s_own_keys_are_there(self):
        for name in COMMANDS:
            said = io.StringIO()
            with self.subTest(name), contextlib.redirect_stdout(said), self.assertRaises(SystemExit) as ended:
                main([name, "--help"])
            self.assertEqual(ended.exception.code, 0)
            self.assertIn("--json", said.getvalue(), name)

    def test_what_is_no_command_is_told(self):
        said = io.StringIO()
        with contextlib.redirect_stderr(said), self.assertRaises(SystemExit) as ended:
            main(["messure"])
        self.assertEqual(ended.exception.code, 2)
        self.assertIn("invalid choice: 'messure'", said.getvalue())


class OtherCommands(Called):
    """The commands over panoramas, definitions and renders from elsewhere; each error is one line and exit code 2."""

    def test_a_panorama_s_figures_in_words_and_as_json(self):
        path = write(self.folder / "sky.exr", sky(90))
        code, out, _ = self.call("panorama", path)
        self.assertEqual(code, 0)
        self.assertRegex(out, r"brightest to darkest: \d+ to 1 \(\d+\.\d stops\); at its highest value it is cut off")
        self.assertRegex(out, r"main light: (39|40)\.\d° right of the middle, (29|30)\.\d° above the horizon")
        figures = json.loads(self.call("panorama", path, "--json")[1])
        self.assertEqual(sorted(figures)[:2], ["azimuth_degrees", "brightest_to_darkest"])

    def test_what_is_no_panorama_is_one_line(self):
        for path, words in (
            (write(self.folder / "square.exr", flat(0.5, (40, 40))), "twice as wide as high"),
            (self.folder / "none.exr", "no such file"),
        ):
            code, out, err = self.call("panorama", path)
            self.assertEqual((code, out, len(err.strip().splitlines())), (2, "", 1))
            self.assertIn(words, err)

    def test_an_import_says_what_it_took_what_not_and_what_is_not_known(self):
        renders = self.folder / "renders"
        renders.mkdir()
        for seed in (1, 2):
            write(renders / f"top_s{seed}.exr", noisy(textured(), 0.1, seed))
        (renders / "cut.exr").write_bytes(b"v/1")
        home = self.folder / "home"
        code, out, _ = self.call("import", renders, "--pattern", "{view}_s{seed}", "--home", home)
        self.assertEqual(code, 0)
        self.assertIn("2 taken, 1 not.", out)
        self.assertIn("cut.exr: The picture cannot be read", out)
        self.assertIn("Not known yet, to be filled in there: engine, scene.", out)
        (handed,) = (home / "inbox").iterdir()
        manifest = json.loads((handed / "import.json").read_text())
        self.assertEqual([row["values"]["seed"] for row in manifest["files"]], [1, 2])
        self.assertEqual(sorted(path.name for path in handed.iterdir()), ["00000.exr", "00001.exr", "import.json"])

    def test_a_table_beside_the_renders_wins_over_their_names(self):
        write(self.folder / "top_s1.exr", textured())
        table = self.folder / "times.csv"
        table.write_text("file,seed,engine,seconds\ntop_s1.exr,9,Glint,4.5\n")
        words = ("import", self.folder / "top_s1.exr", "--pattern", "{view}_s{seed}", "--table", table)
        row = json.loads(self.call(*words, "--dry-run", "--json", "--home", self.folder / "h")[1])["taken"][0]
        self.assertEqual(row["fields"], {"view": "top", "seed": 9, "engine": "Glint", "seconds": 4.5})
        self.assertFalse((self.folder / "h").exists())

    def test_killed_while_handing_over_nothing_is_half_there(self):
        path = write(self.folder / "a.exr", textured())
        home = self.folder / "home"
        with (
            mock.patch("matchedpair.cli.renders.json.dumps", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            self.call("import", path, "--home", home)
        self.assertEqual(list((home / "inbox").iterdir()), [])
