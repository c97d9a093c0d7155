"""The measure table, comparisons and maps, as the API gives them and the runner makes them."""

from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from matchedpair.measures import blotches, twins
from matchedpair.measures.kinds import KINDS
from matchedpair.pictures import read_picture

from server.answers.studies import forget_answers
from server.measuring import maps, reading
from server.measuring.maps import ask_for_layer, make_wanted_layers
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Comparison, LayerState, MapLayer, Measure
from server.measuring.reading import ControlKept, pair_measures
from server.references.models import Reference
from server.runs.models import Run
from server.store.files import keep, path_of
from server.store.pixels import stored_picture
from server.studies.models import Option
from tests.pictures import moved, noisy, textured, write
from tests.server.base import PreparedTest, finish_all

SIZE = (128, 96)


class Measured(PreparedTest):
    """Two options of known noise on a picture large enough for every measure."""

    def prepare(self):
        super().prepare()
        self.study = self.create(width=SIZE[0], height=SIZE[1])
        finish_all(self.study)
        self.truth = textured(SIZE)
        self.paint({"control": 0.2, "trial": 0.05})

    def paint(self, noise, truth=None):
        for run in Run.objects.filter(study=self.study, warm_up=False).select_related("option"):
            picture = noisy(self.truth if truth is None else truth[run.option.side], noise[run.option.side], run.pk)
            Run.objects.filter(pk=run.pk).update(picture=self.stored(picture))

    def stored(self, picture):
        return keep(write(Path(settings.HOME) / "p.exr", picture, "float").read_bytes(), ".exr")

    def judged_by(self, picture, twin=None):
        return Reference.objects.create(
            setup=self.study.setup, kind="render", title="Truth", picture=self.stored(picture),
            twin=self.stored(twin) if twin is not None else "",
        )  # fmt: skip

    def measure(self):
        return measure_outstanding(Option.objects.all())

    def table(self, zone="whole"):
        return self.call("GET", f"/api/studies/{self.study.pk}/measures/?zone={zone}").json()

    def pair(self):
        return self.call("GET", f"/api/pairs/{self.study.pairs.get().pk}/").json()


class Table(Measured):
    def test_before_measuring_every_cell_says_not_yet(self):
        row = self.table()["rows"][0]
        self.assertEqual(list(row["cells"]), [kind.name for kind in KINDS])
        self.assertEqual(row["cells"]["noise"]["refused"], "not measured yet")
        self.assertIn("no reference", row["cells"]["error"]["refused"])

    def test_the_cleaner_option_is_best_and_only_where_it_is(self):
        self.measure()
        rows = {row["side"]: row["cells"] for row in self.table()["rows"]}
        self.assertEqual(rows["trial"]["noise"]["standing"], "best")
        self.assertEqual(rows["control"]["noise"]["standing"], "")
        self.assertAlmostEqual(rows["control"]["noise"]["value"], 20.0, delta=1.5)
        self.assertEqual({rows[side]["fireflies"]["standing"] for side in rows}, {"tie"})

    def test_equal_options_tie(self):
        self.paint({"control": 0.1, "trial": 0.1})
        self.measure()
        self.assertEqual({row["cells"]["noise"]["standing"] for row in self.table()["rows"]}, {"tie"})

    def test_with_a_reference_what_needs_one_is_measured_and_goes_when_it_goes(self):
        self.measure()
        reference = self.judged_by(noisy(self.truth, 0.01, 98), noisy(self.truth, 0.01, 99))
        self.assertEqual(self.measure(), 2, "both options again, the pair not")
        table = self.table()
        self.assertEqual(table["reference"], "Truth")
        cells = {row["side"]: row["cells"] for row in table["rows"]}
        self.assertAlmostEqual(cells["control"]["error"]["value"], 20.0, delta=1.5)
        self.assertEqual(cells["trial"]["error"]["standing"], "best")
        self.assertEqual(cells["trial"]["error"]["method"], "reference")
        Reference.objects.filter(pk=reference.pk).update(removed_at="2026-01-01T00:00:00Z")
        self.assertTrue(self.table()["rows"][0]["cells"]["error"]["out_of_date"])

    def test_a_new_method_version_marks_its_figures_out_of_date_and_no_others(self):
        self.measure()
        Measure.objects.filter(name="grain").update(version=0)
        cells = self.table()["rows"][0]["cells"]
        self.assertTrue(cells["grain"]["out_of_date"])
        self.assertFalse(cells["noise"]["out_of_date"])
        self.assertEqual(self.measure(), 2)
        self.assertFalse(self.table()["rows"][0]["cells"]["grain"]["out_of_date"])

    def test_nothing_is_measured_twice(self):
        self.assertEqual(self.measure(), 3)
        before = {row.pk: row.measured_at for row in Measure.objects.all()}
        self.assertEqual(self.measure(), 0)
        self.assertEqual({row.pk: row.measured_at for row in Measure.objects.all()}, before)

    def test_zones_are_rows_of_their_own(self):
        shelf = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.0, 0.0], [0.6, 0.7]]}
        self.call("POST", f"/api/scenes/marble-stall/zones/?view={self.study.setup.view}", shelf)
        self.measure()
        table = self.table("all")
        self.assertEqual(table["zones"], ["whole", "Shelf"])
        self.assertEqual(len(table["rows"]), 4)
        self.assertEqual({row["zone"] for row in self.table("Shelf")["rows"]}, {"Shelf"})
        self.assertIn(
            "no zone 'Attic'", self.problem(400, "GET", f"/api/studies/{self.study.pk}/measures/?zone=Attic")["detail"]
        )

    def test_one_render_gives_what_one_render_can(self):
        Run.objects.filter(study=self.study, seed=2).delete()
        self.measure()
        cells = self.table()["rows"][0]["cells"]
        self.assertEqual(cells["fireflies"]["method"], "single")
        self.assertIn("guess", cells["fireflies"]["why_not"])
        self.assertIsNone(cells["noise_without_fireflies"]["value"])
        kept = Measure.objects.filter(option__study=self.study, name="noise")
        self.assertTrue(all("flat enough for a guess" in row.refused for row in kept))
        kept.update(value=3.0, method="single", refused="")  # as of a picture that is flat enough
        forget_answers()
        options = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["options"]
        self.assertEqual({each["refused"]["noise"] for each in options}, {"one picture alone gives only a guess"})
        self.assertEqual({each["noise"] for each in options}, {None})

    def test_noise_of_one_render_does_not_wait_for_a_reference_nor_grow_old_by_it(self):
        self.judged_by(noisy(self.truth, 0.01, 98))
        Run.objects.filter(study=self.study, seed=2).delete()
        self.measure()
        self.assertFalse(self.pair()["control"]["out_of_date"])
        rows = {row.name: len(row.inputs) for row in Measure.objects.filter(option__side="control")}
        self.assertEqual((rows["noise"], rows["fireflies"], rows["error"]), (1, 2, 2))

    def test_with_renders_still_to_come_an_option_is_measured_once(self):
        self.measure()
        control = self.study.options.get(side="control")
        first = control.runs.filter(warm_up=False).first()
        Run.objects.create(
            study=self.study, option=control, seed=3, position=99, state="finished", picture=first.picture, attempt=1
        )
        Run.objects.create(study=self.study, option=control, seed=4, position=100, state="queued", attempt=1)
        self.assertEqual(self.measure(), 0)


class Compared(Measured):
    def test_a_pair_says_whether_there_is_a_difference_and_what_it_is(self):
        self.paint({"control": 0.05, "trial": 0.05}, {"control": self.truth, "trial": self.truth * np.float32(1.1)})
        self.assertIsNone(self.pair()["comparison"])
        self.measure()
        told = self.pair()["comparison"]
        self.assertTrue(told["difference"]["found"])
        self.assertAlmostEqual(told["look"]["stops"], np.log2(1.1), delta=0.01)
        self.assertGreater(told["visible"]["mean"], told["visible"]["own_noise_mean"])

    def test_a_small_thing_gone_dark_is_named_and_shown_where_it_is(self):
        size = (480, 264)
        self.study = self.create(width=size[0], height=size[1])
        finish_all(self.study)
        truth = textured(size)
        darker = truth.copy()
        darker[200:224, 400:424] *= np.float32(0.2)
        runs = Run.objects.filter(study=self.study, warm_up=False).select_related("option")
        for run in runs:
            picture = noisy(darker if run.option.side == "trial" else truth, 0.05, run.pk)
            Run.objects.filter(pk=run.pk).update(picture=self.stored(picture))
        self.measure()
        row = self.pair()
        [island] = row["comparison"]["difference"]["islands"]
        x, y, width, height = island["box"]
        self.assertTrue(400 <= x <= 408 and y == 200 and x + width == 424 and y + height == 224, island)
        self.assertRegex(row["sentence"], r"but it is [12]\.?\d* stops darker in a small part of the lower right\.$")

    def test_across_a_shift_no_screen_gets_a_noise_ratio(self):
        self.paint({"control": 0.05, "trial": 0.05}, {"control": self.truth, "trial": moved(self.truth, 0.4, 0)})
        self.measure()
        row = self.pair()
        self.assertIsNone(row["noise_ratio"])
        self.assertIn("pixels apart", row["refused"]["noise_ratio"])
        self.assertNotIn("of the noise", row["sentence"])
        trial = next(row for row in self.table()["rows"] if row["side"] == "trial")
        self.assertIn("pixels apart", trial["cells"]["noise"]["why_not"])
        self.assertEqual({r["cells"]["noise"]["standing"] for r in self.table()["rows"]}, {""})

    def test_what_pictures_say_of_themselves_is_found_once_however_often_they_are_compared(self):
        with (
            mock.patch.dict(reading._known, clear=True),
            mock.patch.object(twins, "_problem", wraps=twins._problem) as looked,
            mock.patch.object(blotches, "_scale", wraps=blotches._scale) as patches,
        ):
            self.measure()
            self.assertEqual((looked.call_count, patches.call_count), (2, 2), "once an option, not again for its pair")
            Comparison.objects.all().delete()
            self.measure()
            self.assertEqual((looked.call_count, patches.call_count), (2, 2))
        self.assertIsNotNone(self.pair()["noise_ratio"])

    def test_what_was_found_of_twins_holds_for_their_comparison_and_not_for_other_pictures(self):
        run = Run.objects.filter(option__side="trial", warm_up=False).order_by("seed").last()
        good = run.picture
        mirrored = self.stored(np.ascontiguousarray(stored_picture(good).pixels[:, ::-1]))
        for picture, refused in ((mirrored, True), (good, False), (mirrored, True)):
            Run.objects.filter(pk=run.pk).update(picture=picture)
            self.measure()
            self.assertEqual("noise_ratio" in self.pair()["refused"], refused)
            compared = pair_measures(self.study.pairs.get(), [])
            self.assertEqual(list(compared.no_twins), ["trial"] if refused else [])

    def test_settings_without_effect_are_called_that(self):
        control = {run.seed: run.picture for run in Run.objects.filter(option__side="control", warm_up=False)}
        for run in Run.objects.filter(option__side="trial", warm_up=False):
            Run.objects.filter(pk=run.pk).update(picture=control[run.seed])
        self.measure()
        self.assertIn("no effect", self.pair()["comparison"]["refused"]["difference"])

    def test_the_study_s_kept_finding_takes_the_comparison_up(self):
        address = f"/api/studies/{self.study.pk}/answer/"
        self.assertNotIn("the same noise", self.call("GET", address).json()["sentence"])
        self.measure()
        self.assertIn("the same noise", self.call("GET", address).json()["sentence"])
        Comparison.objects.all().delete()
        self.assertNotIn("the same noise", self.call("GET", address).json()["sentence"])

    def test_another_picture_makes_the_comparison_old_until_it_is_made_again(self):
        self.measure()
        self.paint({"control": 0.2, "trial": 0.1})
        self.assertIsNone(self.pair()["comparison"])
        self.measure()
        self.assertIsNotNone(self.pair()["comparison"])
        self.assertEqual(Comparison.objects.count(), 1)

    def test_a_picture_missing_from_the_store_is_a_reason_and_no_error(self):
        run = Run.objects.filter(option__side="trial", warm_up=False).first()
        path_of(run.picture, ".exr").unlink()
        self.measure()
        self.assertIn("no such file", Measure.objects.get(option__side="trial", name="noise").refused)
        self.assertIn("no such file", Comparison.objects.get().refused["difference"])


class SharedControl(Measured):
    """Three options against one control."""

    def prepare(self):
        super().prepare()
        self.study = self.create(
            kind="table", factors=[{"subject": "samples", "levels": [{"value": n} for n in (8, 16, 64)]}],
            width=SIZE[0], height=SIZE[1],
        )  # fmt: skip
        finish_all(self.study)
        for run in Run.objects.filter(study=self.study, warm_up=False).select_related("option"):
            picture = noisy(self.truth, 0.4 / run.option.settings["samples"] ** 0.5, run.pk)
            if run.option.settings["samples"] == 16:
                picture[:20, :20] = np.nan
            Run.objects.filter(pk=run.pk).update(picture=self.stored(picture))

    def test_its_pictures_are_read_once_and_every_pair_is_the_same_as_by_itself(self):
        kept, pairs = ControlKept(), list(self.study.pairs.order_by("pk"))
        self.assertEqual(len(pairs), 3)
        with mock.patch.object(reading, "stored_picture", wraps=stored_picture) as read:
            together = [pair_measures(pair, [], kept) for pair in pairs]
            self.assertEqual(len(read.mock_calls), 2 * (1 + len(pairs)))
        for pair, shared in zip(pairs, together, strict=True):
            alone = pair_measures(pair, [])
            self.assertEqual(shared.zone(shared.valid), alone.zone(alone.valid))
            self.assertEqual(shared.valid.all(), pair.trial.settings["samples"] != 16)

    def test_a_control_rendered_anew_is_read_anew(self):
        kept, pair = ControlKept(), self.study.pairs.order_by("pk").first()
        before = pair_measures(pair, [], kept).zone(np.ones(SIZE[::-1], bool))
        run = Run.objects.filter(option=pair.control, warm_up=False).first()
        Run.objects.filter(pk=run.pk).update(picture=self.stored(noisy(0.5 * self.truth, 0.1, 99)))
        pair = self.study.pairs.order_by("pk").first()
        after = pair_measures(pair, [], kept).zone(np.ones(SIZE[::-1], bool))
        self.assertNotEqual(before.look, after.look)


class Maps(Measured):
    def ask(self, of, number, name):
        return self.call("POST", f"/api/{of}/{number}/layers/{name}/").json()

    def test_a_map_is_asked_for_made_between_renders_and_kept(self):
        option = self.study.options.get(side="control")
        self.assertEqual(self.ask("options", option.pk, "noise")["state"], "wanted")
        self.assertEqual(make_wanted_layers(), 1)
        row = self.ask("options", option.pk, "noise")
        self.assertEqual((row["state"], row["unit"], row["low"]), ("ready", "%", 0.0))
        shown = stored_picture(row["picture"])
        self.assertEqual((shown.size, shown.channels), (SIZE, ("Y",)))
        self.assertAlmostEqual(float(np.sqrt(np.mean(shown.pixels[..., 0] ** 2))), 20.0, delta=1.5)
        self.assertEqual(make_wanted_layers(), 0)

    def test_every_map_of_a_render_and_of_a_pair_can_be_had(self):
        self.judged_by(noisy(self.truth, 0.01, 98))
        option, pair = self.study.options.get(side="trial"), self.study.pairs.get()
        for layer in self.pair()["layers"]:
            of, subject = ("options", option) if layer["of"] == "render" else ("pairs", pair)
            self.ask(of, subject.pk, layer["name"])
        self.assertEqual(make_wanted_layers(), 9)
        self.assertEqual(set(MapLayer.objects.values_list("state", "refused")), {("ready", "")})
        pixels = self.client.get(f"/api/pictures/{MapLayer.objects.first().picture}/pyramid/")
        self.assertEqual(pixels.json()["width"], SIZE[0])

    def test_without_a_reference_its_maps_are_refused_in_words(self):
        option = self.study.options.get(side="trial")
        self.ask("options", option.pk, "error")
        make_wanted_layers()
        row = self.ask("options", option.pk, "error")
        self.assertEqual((row["state"], row["picture"]), ("refused", ""))
        self.assertIn("no reference", row["refused"])

    def test_a_changed_picture_has_its_map_made_again_and_the_old_one_goes(self):
        option = self.study.options.get(side="control")
        ask_for_layer(option, "noise")
        make_wanted_layers()
        old = MapLayer.objects.get().picture
        self.paint({"control": 0.1, "trial": 0.1})
        self.assertEqual(self.ask("options", option.pk, "noise")["state"], "wanted")
        make_wanted_layers()
        self.assertNotEqual(MapLayer.objects.get().picture, old)
        self.assertFalse(path_of(old, ".exr").exists())

    def test_maps_let_go_are_made_again_when_asked_for(self):
        option = self.study.options.get(side="control")
        ask_for_layer(option, "noise")
        make_wanted_layers()
        picture = MapLayer.objects.get().picture
        address = f"/api/studies/{self.study.pk}/answer/"
        self.assertGreater(self.call("GET", address).json()["disk"]["maps"], 0)
        with self.captureOnCommitCallbacks(execute=True):
            self.call("POST", f"/api/studies/{self.study.pk}/let-go/", {"what": "maps"})
        self.assertFalse(path_of(picture, ".exr").exists())
        self.assertEqual(self.call("GET", address).json()["disk"]["maps"], 0)
        self.assertEqual(self.ask("options", option.pk, "noise")["state"], "wanted")

    def test_maps_that_there_are_not_are_refused(self):
        option, pair = self.study.options.first(), self.study.pairs.get()
        for of, number, name in (
            ("options", option.pk, "difference"),
            ("pairs", pair.pk, "noise"),
            ("pairs", pair.pk, "x"),
        ):
            self.assertIn("there is no map", self.problem(400, "POST", f"/api/{of}/{number}/layers/{name}/")["detail"])

    def test_killed_while_a_map_is_made_nothing_is_half_there(self):
        ask_for_layer(self.study.options.get(side="control"), "noise")
        with (
            mock.patch.object(maps, "keep_file", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            make_wanted_layers()
        row = MapLayer.objects.get()
        self.assertEqual((row.state, row.picture), (LayerState.WANTED, ""))
        make_wanted_layers()
        row.refresh_from_db()
        self.assertEqual(row.state, LayerState.READY)
        read_picture(path_of(row.picture, ".exr"))
