import unittest

from matchedpair.trials import CONDITIONS, match_sheet, merged_sheet

BASE = {
    "scene": "Marble stall, revision 1", "view": "counter", "frame": 1, "size": "480 × 270", "light": "as in the scene",
    "exposure": "one for both", "quantities": "as in the scene", "format": "EXR, half float, zip",
    "engine": "Alder", "version": "1.0", "device": "CPU", "machine": "bench", "threads": 1,
    "load": "quiet", "settings": {"samples": 16, "bounces": 8}, "quality_knob": "samples", "seeds": "1, 2",
    "warm_up": "thrown away",
}  # fmt: skip


def sheet(under_test="bounces", **trial):
    settings = {**BASE["settings"], "bounces": 4} if under_test == "bounces" else BASE["settings"]
    return match_sheet(BASE, {**BASE, "settings": settings, **trial}, [under_test])


def row(of, key):
    return next(condition for condition in of.conditions if condition.key == key)


class MatchSheet(unittest.TestCase):
    def test_one_setting_changed_is_matched_in_all_but_it(self):
        made = sheet()
        self.assertTrue(made.fair)
        self.assertEqual(made.summary, "Matched in all but bounces.")
        self.assertEqual(row(made, "settings").state, "under_test")
        self.assertEqual((row(made, "settings").control, row(made, "settings").trial), ("bounces 8", "bounces 4"))

    def test_order_is_fixed(self):
        self.assertEqual([c.key for c in sheet().conditions], [kind.key for kind in CONDITIONS])
        self.assertEqual([c.key for c in sheet(size="1 × 1", view="x").conditions], [kind.key for kind in CONDITIONS])

    def test_each_condition_that_differs_unasked_spoils_what_it_should(self):
        cases = {
            "scene": ("other", {"time", "noise", "look"}), "view": ("shelf", {"time", "noise", "look"}),
            "frame": (2, {"time", "noise", "look"}), "size": ("96 × 54", {"time", "noise", "look"}),
            "light": ("dusk only", {"time", "noise", "look"}), "exposure": ("+1", {"look"}),
            "engine": ("Sedge", {"time", "noise", "look"}), "version": ("1.1", {"time", "noise", "look"}),
            "device": ("GPU", {"time"}), "machine": ("farm-7", {"time"}), "threads": (2, {"time"}),
            "load": ("busy", {"time"}), "seeds": ("1", {"noise"}), "warm_up": ("counted", {"time"}),
        }  # fmt: skip
        for key, (value, spoiled) in cases.items():
            made = sheet(**{key: value})
            self.assertEqual(row(made, key).state, "differs", key)
            self.assertEqual(set(row(made, key).spoils), spoiled, key)
            self.assertFalse(made.fair, key)
            self.assertRegex(
                made.summary, f"^Not matched: {row(made, key).title.lower()} differs? as well as bounces", key
            )

    def test_a_held_condition_spoils_nothing(self):
        self.assertTrue(all(not c.spoils for c in sheet().conditions))

    def test_unknown_is_neither_held_nor_differing(self):
        made = sheet(version=None, machine=None)
        self.assertEqual(row(made, "version").state, "unknown")
        self.assertEqual(made.summary, "Matched in all but bounces. Not known yet: version and machine.")

    def test_the_quality_knob_is_a_condition_of_its_own(self):
        made = sheet(under_test="samples", settings={"samples": 64, "bounces": 8})
        self.assertEqual((row(made, "quality").state, row(made, "quality").title), ("under_test", "Samples"))
        self.assertEqual(row(made, "settings").state, "held")

    def test_a_second_setting_is_caught(self):
        made = sheet(settings={"samples": 16, "bounces": 4, "clamp": 2.0})
        self.assertEqual(row(made, "settings").state, "differs")
        self.assertEqual(row(made, "settings").trial, "bounces 4, clamp 2")

    def test_more_samples_beside_the_setting_under_test_are_caught(self):
        made = sheet(settings={"samples": 64, "bounces": 4})
        self.assertEqual(row(made, "quality").state, "differs")
        self.assertEqual(set(row(made, "quality").spoils), {"time", "noise"})
        self.assertEqual(made.summary, "Not matched: samples differ as well as bounces.")

    def test_nothing_differing_is_said(self):
        made = match_sheet(BASE, BASE, ["bounces"])
        self.assertEqual(made.summary, "Nothing differs: bounces is the same on both sides.")

    def test_two_things_may_be_under_test_together(self):
        sides = BASE, {**BASE, "size": "240 × 135", "settings": {"samples": 64, "bounces": 8}}
        made = match_sheet(*sides, ["size", "samples"])
        self.assertEqual((made.fair, made.summary), (True, "Matched in all but size and samples."))
        self.assertFalse(match_sheet(*sides, ["samples"]).fair)

    def test_a_plan_holds_what_all_its_pairs_hold(self):
        pairs = [sheet(), sheet(under_test="samples", settings={"samples": 64, "bounces": 8}), sheet(view="shelf")]
        whole = merged_sheet(pairs)
        states = {condition.key: condition.state for condition in whole.conditions}
        self.assertEqual((states["scene"], states["view"], states["quality"]), ("held", "differs", "under_test"))
        self.assertEqual(whole.summary, "1 of 3 pairs: Not matched: view differs as well as bounces.")
        fair = merged_sheet(pairs[:2])
        self.assertEqual(fair.summary, "All 2 pairs are matched in all but settings and samples.")
        elsewhere = match_sheet({**BASE, "view": "shelf"}, {**BASE, "view": "shelf", "size": "1 × 1"}, ["size"])
        both = merged_sheet([match_sheet(BASE, {**BASE, "size": "1 × 1"}, ["size"]), elsewhere])
        self.assertEqual((row(both, "view").state, row(both, "view").control), ("held", "counter, shelf"))
        with self.assertRaisesRegex(ValueError, "without a pair"):
            merged_sheet([])

    def test_an_engine_without_quality_knob_leaves_it_unknown(self):
        bare = {**BASE, "quality_knob": None}
        self.assertEqual(row(match_sheet(bare, bare, ["bounces"]), "quality").state, "unknown")
