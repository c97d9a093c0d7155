import json
import random
import re
import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from hypothesis import given
from hypothesis import strategies as st
from matchedpair.elsewhere import (
    Facts,
    NamePattern,
    called_references,
    facts_of,
    header_facts,
    merged,
    missing_fields,
    plain_name,
    read_table,
    row_for,
    take,
)
from matchedpair.elsewhere.columns import alike_nowhere, proposed
from matchedpair.errors import InputError
from matchedpair.pictures import read_picture

from tests.pictures import textured, write

PLAIN = "sRGB - Display / Un-tone-mapped"


def expression(text):
    """The pattern as a regular expression, which says what it means but may take for ever."""

    def piece(part):
        name = part[1:-1] if part.startswith("{") else ""
        numbers = {"seed": r"\d+", "frame": r"\d+", "seconds": r"\d+(?:\.\d+)?"}
        return f"(?P<{name}>{numbers.get(name, '.+?')})" if name else ".*?" if part == "*" else re.escape(part)

    return re.compile("".join(piece(part) for part in re.split(r"(\{\w+\}|\*)", text)))


class Patterns(unittest.TestCase):
    def test_fields_and_settings_come_out_of_a_name(self):
        facts = NamePattern("{scene}_{view}_{engine}-{samples}spp_s{seed}").read("stall_top-row_Glint-64spp_s7.exr")
        self.assertEqual(facts.fields, {"scene": "stall", "view": "top-row", "engine": "Glint", "seed": 7})
        self.assertEqual(facts.settings, {"samples": 64})
        self.assertEqual(facts.sources["seed"], "file name")

    def test_a_star_takes_anything_and_a_name_may_not_follow(self):
        pattern = NamePattern("*_{view}_s{seed}")
        self.assertEqual(pattern.read("a_b_s3.png").fields, {"view": "b", "seed": 3})
        # each takes as few letters as it can, from the left
        self.assertEqual(pattern.read("a_b_c_s3.png").fields, {"view": "b_c", "seed": 3})
        self.assertIsNone(pattern.read("nothing-like-it.png"))

    def test_letters_that_mean_something_to_expressions_are_letters(self):
        self.assertEqual(NamePattern("(a+b)[{seed}].$").read("(a+b)[5].$.exr").fields, {"seed": 5})

    def test_bad_patterns_say_why(self):
        cases = [
            ("render", "has no place"), ("{seed}_{seed}", "stands there twice"), ("{Seed}", "in small letters"),
            ("{seed}{frame}", "something between them"), ("{a", "is written {name}"),
            ("x" * 201, "at most 200 letters"),
        ]  # fmt: skip
        for text, words in cases:
            with self.subTest(text), self.assertRaisesRegex(InputError, words):
                NamePattern(text)

    @given(st.text(max_size=60))
    def test_no_name_breaks_a_pattern(self, name):
        NamePattern("{scene}_{samples}_s{seed}").read(name)

    def test_a_long_hostile_name_is_read_quickly(self):
        NamePattern("{a}_{b}_{c}_{d}_{e}_{f}").read("_" * 5000 + "!")

    def test_it_reads_as_the_expression_would_and_cannot_run_for_ever(self):
        dice = random.Random(1)
        names = ["a", "b", "scene", "seed", "frame", "seconds", "c"]
        read = 0
        for _ in range(4000):
            text = "".join(f"{{{name}}}{dice.choice('_-s.1x')}" for name in dice.sample(names, dice.randint(1, 4)))
            pattern = NamePattern(dice.choice(["", "*_"]) + text[: dice.choice([None, -1])])
            stem = "".join(dice.choice("ab12._-sx") for _ in range(dice.randint(1, 14)))
            match = expression(pattern.text).fullmatch(stem)
            self.assertEqual(pattern._read(stem), match and match.groupdict(), (pattern.text, stem))
            read += match is not None
        self.assertGreater(read, 200)
        eight = NamePattern("_".join(f"{{{name}}}" for name in "abcdefgh") + "!")
        for _ in range(100):  # each once took half a minute
            self.assertIsNone(eight._read("_" * 250))


class FactsOfRenders(unittest.TestCase):
    def test_values_get_the_type_that_they_look_like(self):
        facts = facts_of({"samples": "64", "clamp": "2.5", "denoise": "on", "mode": "fast", "seconds": "12.5"}, "table")
        self.assertEqual(facts.settings, {"samples": 64, "clamp": 2.5, "denoise": True, "mode": "fast"})
        self.assertEqual(facts.fields, {"seconds": 12.5})

    def test_empty_values_are_not_known(self):
        self.assertEqual(facts_of({"engine": "", "seed": None}, "table"), Facts())
        self.assertEqual(missing_fields(facts_of({"engine": "Glint"}, "x")), ["scene", "view"])

    def test_misfits_are_said(self):
        cases = [
            ({"seed": "one"}, "seed must be a number, got 'one'"), ({"seed": "1.5"}, "seed must be a whole number"),
            ({"seconds": "-3"}, "seconds must be a number"), ({"seconds": "inf"}, "seconds must be a number"),
            ({"depth": [1, 2]}, "expected a number or a text"),
        ]  # fmt: skip
        for values, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                facts_of(values, "table")

    def test_what_comes_first_wins_and_sources_follow(self):
        both = merged(facts_of({"engine": "A", "samples": 4}, "table"), facts_of({"engine": "B", "seed": 2}, "header"))
        self.assertEqual((both.fields, both.settings), ({"engine": "A", "seed": 2}, {"samples": 4}))
        self.assertEqual(both.sources, {"engine": "table", "samples": "table", "seed": "header"})


class Tables(unittest.TestCase):
    def test_csv_and_both_forms_of_json_say_the_same(self):
        rows = {"file": "out/a.exr", "engine": "Glint", "seed": "3", "samples": "16"}
        csv = ",".join(rows) + "\n" + ",".join(rows.values()) + "\n"
        forms = {
            "t.csv": "\ufeff" + csv, "t.json": json.dumps([rows]),
            "u.json": json.dumps({"a.exr": {key: value for key, value in rows.items() if key != "file"}}),
        }  # fmt: skip
        for name, text in forms.items():
            facts = row_for(read_table(text.encode(), name), "A/B/a.exr".rpartition("/")[2])
            self.assertEqual(facts.fields, {"engine": "Glint", "seed": 3}, name)
            self.assertEqual(facts.settings, {"samples": 16}, name)

    def test_a_picture_that_is_not_in_it_is_simply_not_known(self):
        self.assertEqual(row_for(read_table(b"file,seed\na.exr,1\n", "t.csv"), "b.exr"), Facts())
        self.assertEqual(row_for(read_table(b"file,seed\na,1\n", "t.csv"), "a.exr").fields, {"seed": 1})

    def test_bad_tables_say_why(self):
        cases = [
            (b"{", "t.json", "t.json: is not JSON"), (b"3", "t.json", "expected a list of objects"),
            (b"seed\n1\n", "t.csv", "no column says which picture"), (b"\xff\xfe\x00", "t.csv", "cannot be read"),
            (b" " * 5_000_001, "t.csv", "larger than 5000000 bytes"),
            (b"[" * 100_000, "t.json", "nested too deeply"), (b'{"a.exr": 3}', "t.json", "expected a list of objects"),
        ]  # fmt: skip
        for contents, name, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                read_table(contents, name)


class Taking(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.linear = self.folder / "linear.exr"

    def file(self, name, values, kind, **attributes):
        path = self.folder / name
        spec = oiio.ImageSpec(values.shape[1], values.shape[0], values.shape[2], kind)
        for key, value in attributes.items():
            spec.attribute(key.replace("__", ":"), value)
        output = oiio.ImageOutput.create(str(path))
        self.assertTrue(output.open(str(path), spec), output.geterror())
        output.write_image(np.ascontiguousarray(values))
        output.close()
        return path

    def coded(self):
        return np.clip(np.round(255 * textured((64, 48)) ** (1 / 2.4)), 0, 255).astype(np.uint8)

    def test_every_format_comes_in(self):
        light = textured((64, 48))
        for name, kind, encoding in (
            ("a.exr", "half", "linear"), ("a.hdr", "float", "linear"), ("f.tif", "float", "linear"),
            ("a.tif", "uint8", "display"), ("a.png", "uint8", "display"), ("a.jpg", "uint8", "display"),
        ):  # fmt: skip
            with self.subTest(name):
                path = self.file(name, light if kind != "uint8" else self.coded(), kind)
                taken = take(path, self.linear)
                self.assertEqual(taken.encoding, encoding)
                self.assertEqual(read_picture(self.linear).size, (64, 48))

    def test_light_that_is_linear_is_kept_as_it_is(self):
        path = write(self.folder / "a.exr", textured((64, 48)))
        take(path, self.linear)
        np.testing.assert_array_equal(read_picture(self.linear).pixels, read_picture(path).pixels)

    def test_a_stated_transform_is_undone_and_then_it_can_be_measured(self):
        path = self.file("a.png", self.coded(), "uint8")
        taken = take(path, self.linear, PLAIN)
        self.assertEqual((taken.encoding, taken.transform, taken.checks), ("linear", PLAIN, ()))
        code = self.coded()[10, 10] / 255.0
        expected = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(read_picture(self.linear).pixels[10, 10], expected, atol=2e-3)

    def test_linear_integers_may_be_stated_too(self):
        path = self.file("a.tif", self.coded(), "uint8")
        self.assertEqual(take(path, self.linear, "linear").encoding, "linear")
        np.testing.assert_allclose(read_picture(self.linear).pixels[5, 5], self.coded()[5, 5] / 255.0, atol=1e-3)

    def test_unstated_it_is_for_looking_only_and_marked(self):
        taken = take(self.file("a.png", self.coded(), "uint8"), self.linear)
        self.assertEqual([check.code for check in taken.checks], ["encoded"])

    def test_what_is_no_usable_picture_says_why_and_leaves_nothing(self):
        grey = self.file("grey.exr", textured((64, 48))[..., :1].copy(), "half")
        whole = write(self.folder / "whole.exr", textured((64, 48))).read_bytes()
        (self.folder / "cut.exr").write_bytes(whole[: len(whole) // 2])
        (self.folder / "text.png").write_text("not a picture")
        with self.assertRaisesRegex(InputError, "has no colour channels, only Y"):
            take(grey, self.linear)
        for name in ("cut.exr", "text.png"):
            with self.assertRaisesRegex(InputError, "cannot be read"):
                take(self.folder / name, self.linear)
        with self.assertRaisesRegex(InputError, "no view transform 'Warm'"):
            take(self.file("a.png", self.coded(), "uint8"), self.linear, "Warm")
        self.assertFalse(self.linear.exists())

    def test_the_header_says_engine_version_and_render_attributes(self):
        path = self.file(
            "a.exr", textured((16, 8)), "half", Software="Glint 2.1", render__seed=5, render__samples=64,
            render__light_picking="power", other__thing="x",
        )  # fmt: skip
        facts = header_facts(path)
        self.assertEqual(facts.fields, {"engine": "Glint", "version": "2.1", "seed": 5})
        self.assertEqual(facts.settings, {"samples": 64, "light_picking": "power"})

    def test_the_header_says_time_memory_and_seed_by_their_plain_names(self):
        for said, seconds in (("00:01:04.50", 64.5), ("1m 4.5s", 64.5), ("64.5", 64.5), ("2 h 3 min", 7380.0)):
            attributes = {"pass/renderTime": said, "Peak Memory (MB)": "12", "rng_seed": 7, "peakMemory": "much"}
            values = self.file("a.exr", textured((16, 8)), "half", **attributes)
            self.assertEqual(
                header_facts(values).fields, {"seconds": seconds, "memory_bytes": 12000000, "seed": 7}, said
            )
        odd = self.file(
            "b.exr", textured((16, 8)), "half", renderTime="soon", time="11:02:33", seed="none",
            cpu_time=3.0, cpuSeconds=4.0, elapsedTime=-1.0, rng_seed=2.5,
        )  # fmt: skip
        self.assertEqual(header_facts(odd), Facts())

    def test_the_library_s_own_name_is_no_engine(self):
        self.assertEqual(header_facts(write(self.folder / "a.exr", textured((16, 8)))).fields, {})
        self.assertEqual(header_facts(self.folder / "none.exr"), Facts())

    def test_names_are_only_text(self):
        cases = {
            "../../etc/passwd": "passwd", "C:\\renders\\a.exr": "a.exr", "a\x00\n\x1b[31mb.exr": "a[31mb.exr",
            "": "unnamed", "x" * 400: "x" * 200, "ok name.exr": "ok name.exr",
        }  # fmt: skip
        for name, shown in cases.items():
            self.assertEqual(plain_name(name), shown)


class NumberedRows(unittest.TestCase):
    def test_a_column_that_is_alike_nowhere_numbers_the_rows_and_is_no_setting(self):
        rows = [
            {"Tile size": 16 * (1 + n % 3), "Order no": 900 + n, "Wall Clock": 2.5 + n, "Seed": n} for n in range(8)
        ]
        self.assertEqual(alike_nowhere(rows), {"Order no": "ignore"})
        self.assertEqual(alike_nowhere(rows[:5]), {}, "too few to tell")
        self.assertEqual(proposed(list(rows[0]))["Wall Clock"], "seconds")


class CalledReferences(unittest.TestCase):
    def test_a_few_whose_names_say_so(self):
        options = [f"hall_{how}_{seed}.exr" for how in ("on", "off") for seed in (1, 2)]
        for name in ("hall_reference.exr", "hall-REF-8192.exr", "hall_ground_truth.exr", "hall_gt2.exr", "Ref.exr"):
            self.assertEqual(called_references([*options, name]), {name})
        self.assertEqual(called_references([*options, "hall_preference.exr", "hall_refract_1.exr"]), frozenset())

    def test_where_half_say_so_the_word_is_about_something_else(self):
        names = [f"hall_ref{number}_{seed}.exr" for number in (1, 2) for seed in (1, 2)]
        self.assertEqual(called_references(names), frozenset())
        self.assertEqual(called_references([*names, "a.exr", "b.exr", "c.exr"]), frozenset())
        self.assertEqual(called_references([]), frozenset())
