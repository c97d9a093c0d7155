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


class RecipeCommand(Called):
    def put(self, name="recipe.toml"):
        path = self.folder / name
        path.write_bytes(recipe_toml(made()))
        return path

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
