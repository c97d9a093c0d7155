import unittest

from matchedpair.conditions import CONDITIONS, denoisers_on, match_sheet, merged_sheet

BASE = {
    "scene": "Marble stall, revision 1", "view": "counter", "frame": 1, "size": "480 × 270", "light": "as in the scene",
    "crop": "the whole picture", "exposure": "as in the scene", "view_transform": "plain", "pixel_settings": {},
    "quantities": "as in the scene", "format": "EXR, half float, zip",
    "engine": "Alder", "version": "1.0", "device": "CPU", "machine": "bench", "threads": 1,
    "load": "quiet", "settings": {"samples": 16, "bounces": 8}, "quality_knob": "samples", "seeds": "1, 2",
    "seed_count": 2, "warm_up": "thrown away",
}  # fmt: skip

MORE = {"samples": 64, "bounces": 8}


def sheet(under_test="bounces", **trial):
    settings = {**BASE["settings"], "bounces": 4} if under_test == "bounces" else BASE["settings"]
    return match_sheet(BASE, {**BASE, "settings": settings, **trial}, [under_test])


def row(of, key):
    return next(condition for condition in of.conditions if condition.key == key)


class MatchSheet(unittest.TestCase):
    def test_one_setting_changed_is_matched_in_all_but_it(self):
        made = sheet()
        self.assertTrue(made.fair)
        self.assertEqual(made.summary, "Matched but for bounces.")
        self.assertEqual(row(made, "settings").state, "under_test")
        self.assertEqual((row(made, "settings").control, row(made, "settings").trial), ("bounces 8", "bounces 4"))

    def test_settings_are_called_by_their_titles_where_the_engine_is_known(self):
        titles = {"spp": "Samples per pixel", "depth": "Path depth"}
        sides = [
            {**BASE, "settings": {"spp": 16, "depth": depth}, "quality_knob": "spp", "titles": titles}
            for depth in (8, 4)
        ]
        made = match_sheet(*sides, ["depth"])
        self.assertEqual(made.summary, "Matched but for path depth.")
        self.assertEqual((row(made, "settings").control, row(made, "settings").trial), ("path depth 8", "path depth 4"))
        self.assertEqual((row(made, "quality").title, row(made, "quality").control), ("Samples per pixel", "16"))
        sides[1] |= {"settings": {"spp": 64, "depth": 8}}
        self.assertEqual(match_sheet(*sides, ["spp"]).summary, "Matched but for samples per pixel.")

    def test_what_may_differ_and_does_not_is_no_difference(self):
        made = match_sheet(BASE, {**BASE, "engine": "Sedge"}, ["engine", "settings", "denoiser", "version"])
        self.assertTrue(made.summary.startswith("Matched but for engine and settings."), made.summary)

    def test_order_is_fixed(self):
        self.assertEqual([c.key for c in sheet().conditions], [kind.key for kind in CONDITIONS])
        self.assertEqual([c.key for c in sheet(size="1 × 1", view="x").conditions], [kind.key for kind in CONDITIONS])

    def test_each_condition_that_differs_unasked_spoils_what_it_should(self):
        cases = {
            "scene": ("other", {"time", "noise", "look"}), "view": ("shelf", {"time", "noise", "look"}),
            "frame": (2, {"time", "noise", "look"}), "size": ("96 × 54", {"time", "noise", "look"}),
            "crop": ("9 × 9 at 1, 2", {"time", "noise", "look"}), "quantities": ("mist 0.2", {"time", "noise", "look"}),
            "light": ("dusk only", {"time", "noise", "look"}), "exposure": ("+1", {"look"}),
            "view_transform": ("film", {"look"}), "format": ("EXR, float, zip", {"noise", "look"}),
            "brightness": ({"factor": 2.0}, {"noise", "look"}),
            "engine": ("Sedge", {"time", "noise", "look"}), "version": ("1.1", {"time", "noise", "look"}),
            "device": ("GPU", {"time"}), "machine": ("farm-7", {"time"}), "threads": (2, {"time"}),
            "load": ("busy", {"time"}), "seeds": ("1", {"noise"}), "warm_up": ("counted", {"time"}),
        }  # fmt: skip
        for key, (value, spoiled) in cases.items():
            made = sheet(**{key: value}, seed_count=1 if key == "seeds" else 2)
            self.assertEqual(row(made, key).state, "differs", key)
            self.assertEqual(set(row(made, key).spoils), spoiled, key)
            self.assertTrue(row(made, key).remains, key)
            self.assertFalse(made.fair, key)
            self.assertRegex(
                made.summary, f"^Not matched: {row(made, key).title.lower()} differs? as well as bounces", key
            )

    def test_a_held_condition_spoils_nothing(self):
        self.assertTrue(all(not c.spoils for c in sheet().conditions))

    def test_unknown_is_neither_held_nor_differing(self):
        made = sheet(version=None, machine=None)
        self.assertEqual(row(made, "version").state, "unknown")
        self.assertEqual(made.summary, "Matched but for bounces. Not known yet: version and machine.")

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
        self.assertEqual((made.fair, made.summary), (True, "Matched but for size and samples."))
        self.assertFalse(match_sheet(*sides, ["samples"]).fair)

    def test_a_plan_holds_what_all_its_pairs_hold(self):
        pairs = [sheet(), sheet(under_test="samples", settings={"samples": 64, "bounces": 8}), sheet(view="shelf")]
        whole = merged_sheet(pairs)
        states = {condition.key: condition.state for condition in whole.conditions}
        self.assertEqual((states["scene"], states["view"], states["quality"]), ("held", "differs", "under_test"))
        self.assertEqual(whole.summary, "1 of 3 pairs: Not matched: view differs as well as bounces.")
        fair = merged_sheet(pairs[:2])
        self.assertEqual(fair.summary, "All 2 pairs are matched but for settings and samples.")
        elsewhere = match_sheet({**BASE, "view": "shelf"}, {**BASE, "view": "shelf", "size": "1 × 1"}, ["size"])
        both = merged_sheet([match_sheet(BASE, {**BASE, "size": "1 × 1"}, ["size"]), elsewhere])
        self.assertEqual((row(both, "view").state, row(both, "view").control), ("held", "counter, shelf"))
        with self.assertRaisesRegex(ValueError, "without a pair"):
            merged_sheet([])

    def test_what_a_render_would_mend_says_so_and_what_none_would_does_not(self):
        mended = {condition.key for condition in sheet(
            size="96 × 54", crop="a", light="b", format="c", frame=2, view="d", quantities="e", version="f",
            machine="g", load="busy", seeds="1", seed_count=1, warm_up="counted",
            settings={"samples": 64, "bounces": 4, "clamp": 1.0, "denoise": True},
        ).conditions if condition.remedy}  # fmt: skip
        self.assertEqual(mended, {
            "size", "crop", "light", "format", "frame", "view", "quantities", "version", "machine", "load", "seeds",
            "warm_up", "settings", "denoiser", "quality",
        })  # fmt: skip
        self.assertEqual(row(sheet(size="96 × 54"), "size").remedy, "Render the control at the trial's size")
        self.assertFalse(any(c.remedy for c in sheet().conditions), "nothing to mend")
        self.assertFalse(any(c.remedy for c in sheet(exposure="+1", view_transform="film", threads=2).conditions))
        self.assertEqual(row(sheet(size="96 × 54", engine="Sedge"), "size").remedy, "", "an engine cannot be another")

    def test_what_to_keep_in_mind_goes_with_the_sentence(self):
        busy = match_sheet({**BASE, "load": "busy"}, {**BASE, "load": "busy", "settings": MORE}, ["samples"])
        self.assertEqual(busy.summary, "Matched but for samples; times from a busy machine.")
        self.assertTrue(busy.fair)
        single = {"seeds": "1", "seed_count": 1}
        one = match_sheet(BASE | single, {**BASE, **single, "settings": MORE}, ["samples"])
        self.assertEqual(one.summary, "Matched but for samples; no noise by twins of the control and the trial.")
        mixed = match_sheet({**BASE, "machine": "a, b"}, {**BASE, "machine": "a, b", "settings": {}}, ["settings"])
        self.assertIn("times of several machines", mixed.summary)

    def test_as_many_other_seeds_spoil_nothing_since_either_side_has_its_twins(self):
        sides = [{**BASE, "seeds": seeds, "seed_count": 2} for seeds in ("1, 2", "7, 9")]
        made = match_sheet(*sides, ["bounces"])
        self.assertEqual((row(made, "seeds").state, made.fair), ("held", True))
        self.assertEqual((row(made, "seeds").control, row(made, "seeds").trial), ("1, 2", "7, 9"))
        fewer = match_sheet(sides[0], {**BASE, "seeds": "7", "seed_count": 1}, ["bounces"])
        self.assertEqual(row(fewer, "seeds").state, "differs")

    def test_seeds_that_gave_the_same_picture_spoil_the_noise(self):
        made = sheet(same_pictures=True)
        self.assertEqual(row(made, "seeds").state, "differs")
        self.assertIn("the trial's seeds gave the same picture", row(made, "seeds").spoils["noise"])
        self.assertEqual(row(made, "seeds").remains, "time and look")

    def test_a_denoiser_on_one_side_is_told_apart_from_other_settings(self):
        one_sided = sheet(settings={"samples": 16, "bounces": 4, "denoise": True})
        self.assertEqual(
            (row(one_sided, "denoiser").state, row(one_sided, "settings").state), ("differs", "under_test")
        )
        self.assertEqual((row(one_sided, "denoiser").control, row(one_sided, "denoiser").trial), ("off", "denoise on"))
        tested = sheet(under_test="denoise", settings={**BASE["settings"], "denoise": True})
        self.assertEqual((row(tested, "denoiser").state, row(tested, "settings").state), ("under_test", "held"))
        self.assertIn("look at detail and blotches", tested.summary)
        strength = {**BASE["settings"], "denoise": False, "denoise_strength": 0.5}
        switched = match_sheet(
            {**BASE, "settings": strength}, {**BASE, "settings": {**strength, "denoise": True}}, ["denoise"]
        )
        self.assertEqual(row(switched, "denoiser").state, "under_test", "the strength comes into force with its switch")
        both = {"samples": 16, "bounces": 8, "denoise": True}
        held = match_sheet({**BASE, "settings": both}, {**BASE, "settings": {**both, "bounces": 4}}, ["bounces"])
        self.assertEqual((row(held, "denoiser").state, held.fair), ("held", True))
        self.assertIn("both denoised", held.summary)

    def test_a_strength_turns_no_denoiser_on_while_its_switch_is_off(self):
        for settings, on in (
            ({"denoise": False, "denoise_strength": 1.0}, {}), ({"denoise": "off", "denoise_strength": 1.0}, {}),
            ({"denoise": True, "denoise_strength": 0.5}, {"denoise": True, "denoise_strength": 0.5}),
            ({"denoise_strength": 0.5}, {"denoise_strength": 0.5}), ({"denoise_strength": 0}, {}), ({"samples": 4}, {}),
        ):  # fmt: skip
            self.assertEqual(denoisers_on(settings), on, settings)

    def test_settings_in_pixels_matter_where_sizes_differ(self):
        pixels = {"pixel_settings": {"pixel_filter": 1.5}}
        unasked = match_sheet(BASE | pixels, {**BASE, **pixels, "size": "96 × 54"}, ["bounces"])
        self.assertEqual(row(unasked, "pixel_settings").state, "differs")
        self.assertEqual(row(unasked, "pixel_settings").trial, "pixel filter 1.5 px at 96 × 54")
        asked = match_sheet(BASE | pixels, {**BASE, **pixels, "size": "96 × 54"}, ["size"])
        self.assertTrue(asked.fair)
        self.assertIn("pixel filter 1.5 px covers another part", asked.summary)
        self.assertEqual(row(match_sheet(BASE | pixels, BASE, ["bounces"]), "pixel_settings").state, "held")
        none = match_sheet(BASE, {**BASE, "size": "96 × 54"}, ["size"])
        self.assertEqual((row(none, "pixel_settings").state, none.summary), ("held", "Matched but for size."))
        unknown = match_sheet(BASE, {**BASE, "size": "96 × 54", "pixel_settings": None}, ["size"])
        self.assertEqual(row(unknown, "pixel_settings").state, "unknown")

    def test_the_part_belongs_to_a_size_under_test(self):
        made = match_sheet(BASE, {**BASE, "size": "96 × 54", "crop": "9 × 9 at 1, 2"}, ["size"])
        self.assertEqual((row(made, "crop").state, made.fair), ("under_test", True))

    def test_an_engine_without_quality_knob_leaves_it_unknown(self):
        bare = {**BASE, "quality_knob": None}
        self.assertEqual(row(match_sheet(bare, bare, ["bounces"]), "quality").state, "unknown")
