"""Recipes go out as TOML and JSON and come back alike; odd ones are refused."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from pathlib import Path

from matchedpair.choose import (
    Recipe,
    RecipeUse,
    as_table,
    differences,
    read_recipe,
    recipe_json,
    recipe_toml,
    settings_for,
)
from matchedpair.engines import read_definition
from matchedpair.errors import InputError, SettingsError

from tests.core.test_cli import Called

ALDER = Path(__file__).parents[2] / "demo" / "engines" / "alder.toml"


def made() -> Recipe:
    output = {"width": 320, "height": 180, "format": "exr-half", "view_transform": "", "passes": ["depth"]}
    evidence = ({"what": "0.61 of the time at the same noise", "pair": 4},)
    use = RecipeUse("Animation", "alder", "2", "2.0", {"samples": 24, "light_picking": "estimate"}, output,
                    {"noise": 8.0}, evidence, {"frames": 1200, "machines": 3})  # fmt: skip
    return Recipe("Stall", 1, "Rosa", "2026-11-26T10:00:00+00:00", "The marble stall", "A note, “quoted”\nin two lines",
                  {"animation": use, "still": replace(use, title="Still", settings={"samples": 128})})  # fmt: skip


def by_frame(*ranges) -> Recipe:
    """The same with settings of their own for ranges of frames, each first, last, samples."""
    recipe = made()
    rows = tuple({"first": a, "last": b, "settings": {"samples": n}} for a, b, n in ranges)
    return replace(recipe, uses={"animation": replace(recipe.uses["animation"], frames=rows)})


class ByFrame(unittest.TestCase):
    def test_a_range_has_its_own_settings_and_the_rest_those_of_the_use(self):
        use = by_frame((1, 8, 64), (9, 12, 32)).uses["animation"]
        self.assertEqual([use.at_frame(frame)["samples"] for frame in (1, 8, 9, 12, 13)], [64, 64, 32, 32, 24])
        self.assertEqual(use.at_frame(9)["light_picking"], "estimate")
        settings = settings_for(use, read_definition(ALDER), 9)
        self.assertEqual((settings["samples"], settings_for(use, read_definition(ALDER))["samples"]), (32, 24))

    def test_it_goes_out_and_comes_back_and_stands_in_the_table(self):
        recipe = by_frame((1, 8, 64), (9, 12, 32))
        for content in (recipe_toml(recipe), recipe_json(recipe)):
            self.assertEqual(read_recipe(content), recipe)
        self.assertIn("frames 9 to 12\tsamples 32", as_table(recipe))
        self.assertEqual(
            [row.what for row in differences(by_frame((1, 8, 64)), by_frame((1, 8, 32)))], ["frames 1 to 8"]
        )

    def test_without_ranges_a_recipe_is_written_as_ever(self):
        self.assertNotIn(b"frames = []", recipe_toml(made()))
        self.assertEqual(read_recipe(recipe_toml(made())).uses["still"].frames, ())

    def test_odd_ranges_are_refused(self):
        good = json.loads(recipe_json(by_frame((1, 8, 64))))
        for frames, words in (
            ({}, "a list of ranges"), ([{"first": 1}], "whole numbers"),
            ([{"first": 1, "last": 2.5, "settings": {}}], "whole numbers"),
            ([{"first": 1, "last": 2}], "settings are missing"),
            ([{"first": 1, "last": 2, "settings": {"samples": [1]}}], "no plain values"),
            ([{"first": 3, "last": 2, "settings": {}}], "must rise"),
            ([{"first": 1, "last": 4, "settings": {}}, {"first": 4, "last": 6, "settings": {}}], "not overlap"),
        ):  # fmt: skip
            good["uses"]["animation"]["frames"] = frames
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                read_recipe(json.dumps(good).encode())


class RecipeCommand(Called):
    def put(self, name="recipe.toml", recipe=None):
        path = self.folder / name
        path.write_bytes(recipe_toml(recipe or made()))
        return path

    def test_settings_at_a_frame_are_the_engines_arguments(self):
        path = self.put(recipe=by_frame((1, 8, 64)))
        for frame, samples in ((8, 64), (9, 24)):
            code, out, _ = self.call("recipe", path, "--use", "animation", "--engine", ALDER, "--frame", frame)
            self.assertEqual(code, 0)
            self.assertIn(f"--samples {samples} ", out)

    def test_it_is_shown_as_a_table_or_as_the_engines_arguments(self):
        code, out, _ = self.call("recipe", self.put())
        self.assertEqual(code, 0)
        self.assertIn("samples\t24\t128", out)
        code, out, _ = self.call("recipe", self.put(), "--use", "still", "--engine", ALDER)
        self.assertEqual(code, 0)
        self.assertTrue(out.startswith("--samples 128 "), out)
        code, out, _ = self.call("recipe", self.put(), "--use", "animation", "--engine", ALDER, "--json")
        self.assertEqual(json.loads(out)["light_picking"], "estimate")

    def test_bad_input_is_one_clear_line(self):
        for words, said in (
            ((self.folder / "none.toml",), "cannot be read"), ((self.put(), "--engine", ALDER), "say which use"),
            ((self.put(), "--use", "postcard", "--engine", ALDER), "it has animation, still"),
        ):  # fmt: skip
            code, out, err = self.call("recipe", *words)
            self.assertEqual((code, out), (2, ""))
            self.assertIn(said, err)


class RecipeFiles(unittest.TestCase):
    def test_toml_and_json_come_back_as_they_were(self):
        recipe = made()
        for content in (recipe_toml(recipe), recipe_json(recipe)):
            self.assertEqual(json.loads(recipe_json(read_recipe(content))), json.loads(recipe_json(recipe)))

    def test_the_definition_takes_the_settings_and_completes_them(self):
        alder = read_definition(ALDER)
        settings = settings_for(read_recipe(recipe_toml(made())).use("animation"), alder)
        self.assertEqual((settings["samples"], settings["light_picking"]), (24, "estimate"))
        self.assertEqual(settings["bounces"], alder.defaults()["bounces"])

    def test_settings_that_do_not_fit_are_named(self):
        use = made().use("animation")
        with self.assertRaises(SettingsError) as caught:
            settings_for(replace(use, settings={"samples": -1, "wheels": 4}), read_definition(ALDER))
        self.assertEqual(sorted(caught.exception.problems), ["samples", "wheels"])
        with self.assertRaisesRegex(InputError, "for the engine 'tansy'"):
            settings_for(replace(use, engine="tansy"), read_definition(ALDER))

    def test_odd_files_are_refused_with_the_reason(self):
        good = json.loads(recipe_json(made()))
        still = good["uses"]["still"]
        for content, words in (
            (b"\xff\xfe", "no recipe"), (b"[[", "no recipe"), (b"{}", "kind is missing"), (b"x = 1", "kind is missing"),
            (b"{" * 5000, "no recipe"), (b" " * 1_000_001, "too large"),
            (json.dumps(good | {"format": 9}).encode(), "format 9"),
            (json.dumps(good | {"uses": {}}).encode(), "has no use"),
            (json.dumps(good | {"version": "one"}).encode(), "version is missing or of the wrong type"),
            (json.dumps(good | {"uses": {"x": still | {"settings": {"a": [1]}}}}).encode(), "no plain value"),
            (json.dumps(good | {"uses": {"x": still | {"limits": {"a": "1"}}}}).encode(), "no number"),
        ):  # fmt: skip
            with self.subTest(words=words), self.assertRaisesRegex(InputError, words):
                read_recipe(content)
        with self.assertRaisesRegex(InputError, "it has animation, still"):
            made().use("postcard")

    def test_two_recipes_are_compared_use_by_use(self):
        first = made()
        changed = replace(first.uses["animation"], settings={"samples": 32, "light_picking": "estimate"})
        second = replace(first, version=2, uses={"animation": changed})
        rows = [(row.use, row.what, row.first, row.second) for row in differences(first, second)]
        self.assertEqual(rows, [("animation", "samples", "24", "32"), ("still", "use", "there", "")])
        self.assertEqual(differences(first, first), [])

    def test_the_table_to_paste_has_uses_across_and_settings_down(self):
        rows = [line.split("\t") for line in as_table(made()).splitlines()]
        self.assertEqual(rows[0], ["", "Animation", "Still"])
        self.assertIn(["samples", "24", "128"], rows)
        self.assertIn(["light picking", "estimate", ""], rows)
