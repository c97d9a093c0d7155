"""Zones, quick looks, engines in full, effects with evidence, and brightness brought together."""

import json
import shutil
from base64 import b64decode
from pathlib import Path

import numpy as np
from django.conf import settings
from django.test import TestCase
from matchedpair.pictures import read_picture

from server.catalogue.models import BrightnessFactor, Zone
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.runs.actions import claim, queue_study
from server.runs.models import Run
from server.runs.recording import record_result
from server.store.files import keep, path_of
from server.studies.models import Option, Setup
from tests.pictures import noisy, textured, write
from tests.server.base import SIZE, PreparedTest, WithEngines, draft, finish_all, result_of

ROOT = Path(__file__).parents[2]
SHELF = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.25, 0.25], [0.75, 0.75]]}
ZONES = "/api/scenes/marble-stall/zones/?view=counter"


class Zones(PreparedTest):
    def draw(self, **changes):
        answer = self.call("POST", ZONES, SHELF | changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def test_draw_move_rename_and_take_away_with_a_way_back(self):
        zone = self.draw()
        moved = self.call("PATCH", f"/api/zones/{zone['id']}/", {"points": [[0.1, 0.1], [0.4, 0.4]]}).json()
        self.assertEqual((moved["name"], moved["points"]), ("Shelf", [[0.1, 0.1], [0.4, 0.4]]))
        self.assertEqual(self.call("PATCH", f"/api/zones/{zone['id']}/", {"name": "Case"}).json()["name"], "Case")
        self.assertEqual(self.call("DELETE", f"/api/zones/{zone['id']}/").status_code, 204)
        self.assertEqual(self.call("GET", ZONES).json(), [])
        self.assertEqual(self.call("POST", f"/api/zones/{zone['id']}/restore/").json()["name"], "Case")

    def test_copy_to_another_view(self):
        copied = self.call("POST", f"/api/zones/{self.draw()['id']}/copy/", {"view": "shelf"})
        self.assertEqual((copied.status_code, copied.json()["view"]), (201, "shelf"))

    def test_bad_zones_are_problems_and_nothing_is_written(self):
        self.draw()
        cases = [
            (ZONES, SHELF, "has a zone 'Shelf' already"),
            (ZONES, SHELF | {"name": "b", "points": [[0.5, 0.5], [1.5, 0.9]]}, "reaches outside the picture"),
            (ZONES, SHELF | {"name": "b", "points": 7}, "expected points"),
            (ZONES, SHELF | {"name": 4}, "needs a name"),
            (ZONES, [1, 2], "a zone is an object"),
            ("/api/scenes/marble-stall/zones/?view=roof", SHELF | {"name": "b"}, "has no view 'roof'"),
            ("/api/scenes/nowhere/zones/?view=counter", SHELF | {"name": "b"}, "there is no scene 'nowhere'"),
        ]
        for path, data, words in cases:
            self.assertIn(words, self.problem(400, "POST", path, data)["detail"])
        self.assertEqual(Zone.objects.count(), 1)

    def test_a_name_that_was_taken_since_cannot_be_put_back(self):
        first = self.draw()
        self.call("DELETE", f"/api/zones/{first['id']}/")
        self.draw()
        self.assertIn("already", self.problem(400, "POST", f"/api/zones/{first['id']}/restore/")["detail"])

    def measured(self):
        measure_outstanding(Option.objects.all())
        noise = Measure.objects.filter(name="noise").select_related("option")
        return {(row.option.side, row.zone): row for row in noise}

    def test_each_zone_is_measured_and_a_moved_zone_alone_is_measured_again(self):
        study = self.create()
        finish_all(study, noise={"control": 0.2, "trial": 0.05})
        zone = self.draw()
        before = self.measured()
        self.assertEqual({name for _, name in before}, {"whole", "Shelf"})
        self.call("PATCH", f"/api/zones/{zone['id']}/", {"points": [[0.0, 0.0], [0.5, 0.5]]})
        self.assertEqual(measure_outstanding(Option.objects.all()), 3, "the zone on both sides, and in the pair")
        after = self.measured()
        self.assertEqual(after["control", "whole"].value, before["control", "whole"].value)
        self.assertNotEqual(after["control", "Shelf"].value, before["control", "Shelf"].value)
        self.assertEqual(measure_outstanding(Option.objects.all()), 0)
        row = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()["zones"][0]
        self.assertEqual((row["zone"], row["refused"]), ("Shelf", ""))
        self.assertAlmostEqual(row["ratio"]["value"], 0.25, delta=0.06)

    def test_a_moved_zone_s_figure_is_not_shown_until_it_is_measured_again(self):
        study = self.create()
        finish_all(study)
        zone = self.draw()
        self.measured()
        self.call("PATCH", f"/api/zones/{zone['id']}/", {"points": [[0.0, 0.0], [0.5, 0.5]]})
        row = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()["zones"][0]
        self.assertEqual((row["control"], row["ratio"]), (None, None))

    def test_what_is_left_out_counts_nowhere(self):
        study = self.create()
        finish_all(study)
        for run in study.runs.filter(option__side="control", warm_up=False):
            pixels = read_picture(path_of(run.picture, ".exr")).pixels.copy()
            pixels[:, :24] *= np.random.default_rng(run.seed).uniform(0.1, 3.0, (36, 24, 1)).astype(np.float32)
            path = write(Path(settings.HOME) / "spoiled.exr", pixels)
            digest = keep(path.read_bytes(), ".exr")
            Run.objects.filter(pk=run.pk).update(picture=digest)
        spoiled = self.measured()["control", "whole"].value
        self.draw(name="Left half", kind="leave out", points=[[0.0, 0.0], [0.5, 1.0]])
        self.assertEqual(measure_outstanding(Option.objects.all()), 3, "both sides and the pair")
        self.assertLess(self.measured()["control", "whole"].value, 0.5 * spoiled)

    def test_figures_of_a_removed_zone_are_dropped(self):
        finish_all(self.create())
        zone = self.draw()
        self.measured()
        self.call("DELETE", f"/api/zones/{zone['id']}/")
        self.assertEqual({name for _, name in self.measured()}, {"whole"})

    def test_a_zone_outside_a_crop_is_refused_in_its_place(self):
        study = self.create(crop={"x": 0, "y": 0, "width": 12, "height": 9}, engine="cropped")
        for run in self.finished(study, (12, 9)):
            self.assertEqual(run.state, "finished", run.reason)
        self.draw(points=[[0.5, 0.5], [0.9, 0.9]])
        self.assertEqual(self.measured()["control", "Shelf"].refused, "no pixel of the zone is in this picture")

    engines = ("good",)

    def prepare(self):
        super().prepare()
        text = (self.folder / "good.toml").read_text().replace('name = "good"', 'name = "cropped"', 1)
        text = text.replace('"{settings}"]', '"{settings}", "{changes}"]').replace(
            "[output]", 'crop = ["--crop", "{x},{y},{width},{height}"]\n[output]', 1
        )
        (self.folder / "cropped.toml").write_text(text)

    def finished(self, study, size):
        queue_study(study)
        for run in study.runs.select_related("option"):
            claim(run.pk, "bench")
            path = write(Path(settings.HOME) / "part.exr", noisy(textured(size), 0.1, run.pk))
            record_result(run.pk, result_of(run, picture=path.read_bytes()))
        return study.runs.all()


class EnginesInFull(PreparedTest):
    def prepare(self):
        super().prepare()
        for path in (ROOT / "demo" / "engines").glob("*.toml"):
            shutil.copy(path, self.folder / path.name)

    def engines_now(self):
        return {row["name"]: row for row in self.call("GET", "/api/engines/").json()["engines"]}

    def test_everything_a_definition_says_is_there(self):
        alder = self.engines_now()["alder"]
        builds = {build["title"]: build["version"] for build in alder["builds"]}
        self.assertEqual(builds, {"Alder 2": "2.0", "Alder 1": "1.0"})
        self.assertEqual([preset["name"] for preset in alder["presets"]], ["preview", "everyday", "final"])
        self.assertEqual(alder["cannot"], [])
        reach = next(row for row in alder["settings"] if row["name"] == "occlusion_reach")
        self.assertTrue(reach["only_cost"])
        self.assertIn({"quantity": "light", "name": "exitance", "unit": "W/m²"}, [
            {key: row[key] for key in ("quantity", "name", "unit")} for row in self.engines_now()["tansy"]["quantities"]
        ])  # fmt: skip
        self.assertIn("frame", self.engines_now()["good"]["cannot"])

    def test_effects_say_yes_partly_or_no_and_name_their_switches(self):
        rows = {row["effect"]: row for row in self.engines_now()["sorrel"]["effects"]}
        self.assertEqual(rows["focused-by-glass"]["needs"], {"focused_light": True, "photons": 1})
        does = {name: {r["effect"]: r["does"] for r in row["effects"]} for name, row in self.engines_now().items()}
        self.assertEqual([does[name]["mirror"] for name in ("alder", "tansy", "sorrel", "sedge")], ["yes"] * 3 + ["no"])
        self.assertEqual(does["sedge"]["mist"], "partly")

    def test_evidence_is_kept_removed_and_put_back(self):
        row = {"engine": "sorrel", "effect": "mist", "version": "0.9", "shown_by": "pair", "number": 3, "note": "glow"}
        made = self.call("POST", "/api/effects/evidence/", row)
        self.assertEqual(made.status_code, 201, made.content)
        at = f"/api/effects/evidence/{made.json()['id']}/"
        self.assertEqual(len(self.call("GET", "/api/engines/").json()["evidence"]), 1)
        self.assertEqual(self.call("DELETE", at).status_code, 204)
        self.assertEqual(self.call("GET", "/api/engines/").json()["evidence"], [])
        self.call("POST", f"{at}restore/")
        self.assertEqual(len(self.call("GET", "/api/engines/").json()["evidence"]), 1)
        self.problem(400, "POST", "/api/effects/evidence/", row | {"engine": "nobody"})
        self.problem(400, "POST", "/api/effects/evidence/", row | {"number": -1})

    def preview(self, **changes):
        body = {
            "question": "q", "scene": "mist-lane", "view": "lane", "width": 64, "height": 36, "engine": "alder",
            "settings": {}, "trial_value": 32,
        } | changes  # fmt: skip
        return self.call("POST", "/api/studies/preview/", draft(**body)).json()

    def test_each_kind_of_subject_is_matched_in_all_but_itself(self):
        cases = [
            ("engine", "tansy", "engine"), ("version", "1", "version"), ("light", "clear-air", "variant"),
            ("quantity:mist_density", 0.2, "scene quantities"), ("preset", "preview", "settings"),
        ]  # fmt: skip
        for under_test, value, words in cases:
            body = self.preview(under_test=under_test, trial_value=value)
            self.assertEqual(body["problems"], {}, under_test)
            self.assertRegex(body["match_sheet"]["summary"], rf"^Matched but for {words}[.;]")

    def test_the_same_value_again_is_nothing_under_test(self):
        for under_test, value in (
            ("engine", "alder"), ("version", "2"), ("light", "as-is"), ("quantity:mist_density", 0.05),
        ):  # fmt: skip
            body = self.preview(under_test=under_test, trial_value=value)
            self.assertIn("at least one level other than the control's", body["problems"]["factors"][0], under_test)

    def test_misfits_are_named_by_field(self):
        cases = [
            ({"variant": "snow"}, "variant", "no variant 'snow'"), ({"frame": 99}, "frame", "has frames 1 to 24"),
            ({"quantities": {"mist_density": 7}}, "quantities.mist_density", "must be between 0 and 0.5"),
            ({"crop": {"x": 60, "y": 0, "width": 9, "height": 9}}, "crop", "reaches outside"),
            ({"build": "9"}, "build", "has no build '9'; it has 2, 1"),
            ({"passes": ["smell"]}, "passes", "has no pass 'smell'"),
            ({"view_transform": "Warm / Cosy"}, "view_transform", "there is no view transform"),
            ({"under_test": "quantity:weight"}, "factors.0", "declares no quantity 'weight'"),
            ({"under_test": "preset", "trial_value": "best"}, "factors.0.0", "has no preset 'best'"),
            ({"under_test": "engine", "trial_value": "nobody"}, "factors.0.0", "there is no engine 'nobody'"),
            ({"under_test": "engine", "trial_value": "tansy", "trial_settings": {"samples": 3}},
             "factors.0.0", "samples: Tansy has no such setting"),
            ({"engine": "good", "under_test": "samples", "variant": "clear-air"}, "variant", "no way to ask for it"),
            ({"engine": "good", "under_test": "samples", "quantities": {"mist_density": 0.1}}, "quantity", "no way"),
        ]  # fmt: skip
        for change, field, words in cases:
            with self.subTest(field=field, words=words):
                self.assertIn(words, self.preview(**change)["problems"][field][0])

    def test_a_setting_that_needs_another_switch_is_told_before_it_runs(self):
        body = self.preview(engine="sorrel", under_test="focused_light", trial_value=True)
        self.assertIn("Photons must be on as well", body["notes"][0])
        on = self.preview(engine="sorrel", under_test="focused_light", trial_value=True, settings={"photons": 1000})
        self.assertEqual(on["notes"], [])

    def test_quick_looks_are_kept_and_bad_ones_said(self):
        made = self.call("POST", "/api/scenes/glass-cabinet/look/", {"view": "floor", "engine": "sedge"})
        self.assertEqual(made.status_code, 201, made.content)
        scenes = {scene["name"]: scene for scene in self.call("GET", "/api/scenes/").json()["scenes"]}
        self.assertEqual(scenes["glass-cabinet"]["looks"][0]["picture"], made.json()["picture"])
        shown = self.client.get(f"/api/pictures/{made.json()['picture']}/shown/?exposure=1")
        self.assertEqual((shown.status_code, shown["Content-Type"]), (200, "image/png"))
        self.problem(400, "POST", "/api/scenes/glass-cabinet/look/", {"view": "roof"})
        self.problem(400, "GET", f"/api/pictures/{made.json()['picture']}/shown/?transform=Warm")
        self.problem(400, "GET", f"/api/pictures/{made.json()['picture']}/shown/?exposure=lots")

    def test_view_transforms_and_their_shaders(self):
        body = self.call("GET", "/api/view-transforms/").json()
        self.assertIn(body["default"], body["names"])
        for name in body["names"]:
            answer = self.client.get("/api/view-transforms/shader/", {"name": name}).json()
            self.assertIn(f"vec4 {answer['function']}(vec4 inPixel)", answer["text"])
            for table in answer["textures"]:
                self.assertIn(table["sampler"], answer["text"])
                values = table["width"] * table["height"] * max(table["depth"], 1) * table["channels"]
                self.assertEqual(len(b64decode(table["values"])), 2 * values)
        self.problem(400, "GET", "/api/view-transforms/shader/?name=Warm")
        self.problem(400, "GET", "/api/view-transforms/shader/")

    def test_a_pair_names_the_transform_that_it_is_shown_through(self):
        transforms = self.call("GET", "/api/view-transforms/").json()
        other = next(name for name in transforms["names"] if name != transforms["default"])
        for chosen, shown in (("", transforms["default"]), (other, other)):
            study = self.create()
            Setup.objects.filter(options__study=study).update(view_transform=chosen)
            pair = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
            self.assertEqual(pair["view_transform"], shown)


class Brightness(PreparedTest):
    def prepare(self):
        super().prepare()
        text = (self.folder / "good.toml").read_text().replace('name = "good"', 'name = "dim"', 1)
        text = text.replace('"{settings}"]', '"{settings}", "{changes}"]').replace(
            "[output]", 'brightness = ["--gain", "{value}"]\n[output]', 1
        )
        (self.folder / "dim.toml").write_text(text)
        self.study = self.create(under_test="engine", trial_value="dim")
        self.pair = self.study.pairs.get()

    def finish(self, study, gain=0.25):
        queue_study(study)
        for run in study.runs.select_related("option"):
            claim(run.pk, "bench")
            factor = gain if run.option.engine == "dim" else 1.0
            factor *= run.option.brightness["factor"] if run.option.brightness else 1.0
            light = noisy(textured(SIZE), 0.05, 50 + run.pk) * np.float32(factor)
            path = write(Path(settings.HOME) / "b.exr", light)
            record_result(run.pk, result_of(run, picture=path.read_bytes()))

    def bring(self, pair, zone=None):
        return self.call("POST", f"/api/pairs/{pair.pk}/brightness/", {"zone": zone})

    def test_a_factor_is_found_kept_with_its_evidence_and_used_from_then_on(self):
        self.finish(self.study)
        made = self.bring(self.pair)
        self.assertEqual(made.status_code, 201, made.content)
        row = made.json()
        self.assertAlmostEqual(row["factor"], 4.0, delta=0.1)
        self.assertEqual((row["engine"], row["relative_to"], row["pair"]), ("dim", "good", self.pair.pk))
        self.assertTrue(row["low"] < 4.0 < row["high"])
        again = self.create(under_test="engine", trial_value="dim")
        self.finish(again)
        figures = self.call("GET", f"/api/pairs/{again.pairs.get().pk}/").json()
        sheet = {r["key"]: r for r in figures["match_sheet"]["conditions"]}
        self.assertEqual(sheet["brightness"]["state"], "held")
        self.assertIn("brought together on the whole picture of Marble stall, counter", sheet["brightness"]["trial"])
        means = [
            np.mean([read_picture(path_of(run.picture, ".exr")).pixels.mean() for run in again.runs.filter(
                option__side=side, warm_up=False)])
            for side in ("control", "trial")
        ]  # fmt: skip
        self.assertAlmostEqual(means[1] / means[0], 1.0, delta=0.02)

    def test_a_second_time_takes_the_first_factor_in(self):
        self.finish(self.study, gain=0.25)
        self.bring(self.pair)
        again = self.create(under_test="engine", trial_value="dim")
        self.finish(again, gain=0.5)
        self.assertAlmostEqual(self.bring(again.pairs.get()).json()["factor"], 2.0, delta=0.05)

    def test_it_can_be_used_no_longer_and_again(self):
        self.finish(self.study)
        at = f"/api/brightness/{self.bring(self.pair).json()['id']}/"
        self.assertEqual(self.call("DELETE", at).status_code, 204)
        self.assertIsNone(self.create(under_test="engine", trial_value="dim").options.get(side="trial").brightness)
        self.call("POST", f"{at}restore/")
        self.assertIsNotNone(self.create(under_test="engine", trial_value="dim").options.get(side="trial").brightness)

    def test_on_a_zone_of_the_view_only(self):
        self.finish(self.study)
        zone = self.call("POST", ZONES, SHELF).json()
        self.assertEqual(self.bring(self.pair, zone["id"]).json()["zone"], "Shelf")
        other = self.call("POST", ZONES.replace("counter", "shelf"), SHELF).json()
        self.assertIn("is not on this pair's view", self.problem(
            400, "POST", f"/api/pairs/{self.pair.pk}/brightness/", {"zone": other["id"]})["detail"])  # fmt: skip

    def test_what_cannot_be_brought_together_says_why(self):
        self.assertIn("need a finished render", self.problem(
            400, "POST", f"/api/pairs/{self.pair.pk}/brightness/", {"zone": None})["detail"])  # fmt: skip
        same = self.create()
        finish_all(same)
        row = self.call("GET", f"/api/pairs/{same.pairs.get().pk}/").json()
        self.assertEqual(row["brightness_note"], "Both sides are rendered by the same engine.")
        turned = self.create(engine="dim", under_test="engine", trial_value="good")
        self.finish(turned)
        row = self.call("GET", f"/api/pairs/{turned.pairs.get().pk}/").json()
        self.assertIn("has no way to scale its light: add command.brightness", row["brightness_note"])
        self.assertEqual(BrightnessFactor.objects.count(), 0)


class DemoData(WithEngines, TestCase):
    def test_the_shipped_data_names_only_files_that_are_there(self):
        parts = (ROOT / "demo" / "data").glob("rows-*.json")
        rows = [row for part in parts for row in json.loads(part.read_text(encoding="utf-8"))]
        there = {path.name[:64] for path in (ROOT / "demo" / "data" / "store").iterdir()}
        keys = ("picture", "twin", "matched_picture", "original", "revision")
        looks = "catalogue.look"  # a look names the revision that it shows, and needs no copy of it
        named = {row["fields"].get(key) for row in rows for key in keys if row["model"] != looks or key == "picture"}
        named -= {None, ""}
        self.assertLessEqual(named, there)
        self.assertGreater(len(named), 40)
