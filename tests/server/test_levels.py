"""A level taken on a side: each subject, what it says in words, and what it lets differ."""

import shutil
from pathlib import Path

from matchedpair.errors import InputError, SettingsError

from server.studies.draft import baseline_of
from server.studies.levels import (
    Level,
    ShownLevel,
    differing_levels,
    level_problem,
    level_shown,
    level_value,
    subject_title,
    tested_by,
    under_test,
    with_level,
)
from tests.server.base import PreparedTest, draft

ROOT = Path(__file__).parents[2]


class Levels(PreparedTest):
    def prepare(self):
        super().prepare()
        for name in ("alder", "tansy"):
            shutil.copy(ROOT / "demo" / "engines" / f"{name}.toml", self.folder / f"{name}.toml")
        self.side, problems = baseline_of(
            draft(engine="alder", settings={}, scene="mist-lane", view="lane", passes=[], frame=3)
        )
        self.assertEqual(problems, {})

    def taken(self, subject, value, settings=None):
        return with_level(self.side, subject, Level(value, settings))

    def test_each_subject_changes_its_own_thing_and_says_so(self):
        cases = [
            ("samples", 64, "64", 64, ["samples"]), ("quality", 64, "64", 64, ["samples"]),
            ("denoise", True, "on", True, ["denoise"]), ("preset", "final", "Final", "Final", ["settings"]),
            ("version", "1", "Alder 1", "Alder 1", ["version"]), ("frame", 12, "12", 12, ["frame"]),
            ("light", "clear-air", "clear-air", "clear-air", ["light"]),
            ("size", "96 × 54", "96 × 54", 96 * 54, ["size"]), ("size", "96x54", "96 × 54", 96 * 54, ["size"]),
            ("quantity:mist_density", 0.2, "0.2", 0.2, ["quantities"]),
            ("engine", "tansy", "Tansy (default settings)", "tansy, defaults", ["engine"]),
            ("time_budget", 2, "2", 2.0, ["time_budget", "samples"]),
        ]  # fmt: skip
        for subject, value, shown, plain, names in cases:
            side = self.taken(subject, value)
            self.assertEqual(level_shown(side, subject), shown, subject)
            self.assertEqual(level_value(side, subject), plain, subject)
            self.assertEqual(tested_by(side, subject), names, subject)
            self.assertNotEqual(side.key(), self.side.key(), subject)
            self.assertTrue(subject_title(self.side, subject), subject)

    def test_the_same_level_is_the_same_option_and_the_view_transform_makes_no_other(self):
        self.assertEqual(self.taken("samples", 16).key(), self.side.key())
        self.assertEqual(self.taken("preset", "defaults").key(), self.side.key())
        self.assertEqual(self.taken("engine", "alder", {}).key(), self.side.key())
        self.assertEqual(self.taken("samples", 64).key(but_for="samples"), self.side.key(but_for="samples"))

    def test_another_scene_keeps_what_it_has_and_lets_go_of_what_it_lacks(self):
        mist = self.taken("quantity:mist_density", 0.2)
        other = with_level(mist, "scene", Level("marble-stall"))
        self.assertEqual((other.setup.view, other.setup.quantities), ("counter", {}))
        self.assertLessEqual(other.setup.frame, other.scene.last_frame)
        self.assertEqual((other.setup.width, other.engine.name), (mist.setup.width, "alder"))

    def test_an_engine_keeps_the_setup_and_none_of_the_other_s_settings(self):
        side = with_level(self.taken("samples", 64), "engine", Level("tansy"))
        self.assertNotIn("samples", side.settings)
        self.assertEqual(side.setup, self.side.setup)
        tuned = self.taken("engine", "alder", {"samples": 32})
        self.assertEqual((tuned.settings["samples"], level_shown(tuned, "engine")), (32, "Alder (tuned)"))
        held, other = (ShownLevel("engine", "Engine", n, n, n == "b", ["engine", ""]) for n in "ab")
        differing = differing_levels([held, held], [other, held])
        self.assertEqual(differing, [(held, other)])
        self.assertEqual(under_test(differing, same_engine=True), ["settings"])
        self.assertEqual(under_test(differing, same_engine=False), ["engine"])

    def test_what_does_not_fit_is_said(self):
        cases = [
            ("samples", 0, "must be between 1 and 65536"), ("frame", 99, "has frames 1 to 24"),
            ("frame", 1.5, "must be a whole number"), ("light", "snow", "no variant 'snow'"),
            ("size", "huge", "must be a size such as 480x270"), ("size", "8x8", "must be a size"),
            ("version", "9", "has no build '9'"), ("preset", "best", "has no preset 'best'"),
            ("engine", "nobody", "there is no engine"), ("scene", "nowhere", "there is no scene"),
            ("quantity:weight", 3, "declares no quantity"), ("quantity:mist_density", 9, "must be between 0 and 0.5"),
            ("colour", 1, "no such setting"),
        ]  # fmt: skip
        for subject, value, words in cases:
            with self.assertRaises((InputError, SettingsError)) as caught:
                self.taken(subject, value)
            self.assertIn(words, level_problem(caught.exception), subject)

    def test_an_engine_without_a_budget_or_a_knob_in_time_says_so(self):
        tansy = self.taken("engine", "tansy")
        with self.assertRaisesRegex(InputError, "cannot end a render after a given time"):
            with_level(tansy, "time_budget", Level(2))
        zero = self.taken("time_budget", 0)
        self.assertEqual(zero.settings["samples"], 16)

    def test_a_smaller_side_keeps_its_shape_and_its_part(self):
        part = with_level(self.side, "size", Level("200x100"))
        small = part.smaller(0.25)
        self.assertEqual((small.setup.width, small.setup.height), (50, 25))
        self.assertEqual(part.smaller(0.01).setup.height, 16)
