"""Searches for the least settings: small renders compared, a trace, the result confirmed at full size."""

import shutil
from importlib import import_module
from pathlib import Path

import numpy as np
from django.apps import apps
from django.conf import settings
from matchedpair.choose import recipe_of

from server.catalogue.zones import add_zone
from server.decisions.models import RecipeVersion
from server.measuring.measuring import measure_outstanding
from server.processes.measurer import Measurer
from server.runs.actions import claim, queue_study
from server.runs.models import Run
from server.runs.recording import record_result
from server.searches import searching
from server.searches.models import Search
from server.studies.models import Option, Purpose
from tests.pictures import blurred, moved, photograph, textured, write
from tests.server.base import PreparedTest, factor, result_of

ROOT = Path(__file__).parents[2]
SIZE = (96, 54)


class SearchTest(PreparedTest):
    """Renders in which the light that bounces bring falls by half each time; glass bounces change nothing."""

    noise = 0.01

    def prepare(self):
        super().prepare()
        shutil.copy(ROOT / "demo" / "engines" / "alder.toml", self.folder / "alder.toml")
        self.study = self.create(
            engine="alder", width=SIZE[0], height=SIZE[1], settings={"samples": 16, "bounces": 8},
            factors=[factor("light_picking", "estimate")],
        )  # fmt: skip
        queue_study(self.study)
        self.finish_queued()
        self.base = self.study.options.get(control=None)
        self.path = f"/api/studies/{self.study.pk}/searches/"

    def size_of(self, run):
        return run.option.setup.description().picture_size

    def picture(self, run):
        """Light to which more bounces add ever less."""
        return textured(self.size_of(run)) * (1 - 0.5 ** run.option.settings["bounces"])

    def finish_queued(self):
        for run in self.study.runs.filter(state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            light = self.picture(run)
            dice = np.random.default_rng(run.pk)
            light = light * (1 + self.noise * dice.standard_normal((*light.shape[:2], 1)))
            path = settings.HOME / f"made-{run.pk}.exr"
            picture = write(path, light.astype(np.float32), "float").read_bytes()
            path.unlink()
            seconds = 4.0 + run.option.settings["bounces"] + run.option.settings["glass_bounces"] / 8
            record_result(run.pk, result_of(run, picture=picture, wall_seconds=seconds, cpu_seconds=seconds))
        measure_outstanding(Option.objects.filter(study=self.study))

    def begin(self, **changes):
        body = {
            "base": self.base.pk, "scale": 0.5, "most_stops": 0.03, "most_percent": 3.0,
            "ladders": [{"setting": "glass_bounces", "levels": [4, 16, 64]},
                        {"setting": "bounces", "levels": [1, 2, 4, 8]}],
        } | changes  # fmt: skip
        return self.call("POST", self.path, body)

    def play(self, row):
        for _ in range(60):
            row.refresh_from_db()
            if row.state not in searching.GOING_ON:
                return
            self.finish_queued()
            searching.advance_all()
        raise AssertionError("the search does not end")

    def read(self):
        return self.call("GET", self.path).json()["searches"][0]


class Raised(SearchTest):
    def test_the_least_settings_are_found_small_and_confirmed_at_full_size(self):
        answer = self.begin()
        self.assertEqual(answer.status_code, 201, answer.content)
        row = Search.objects.get(pk=answer.json()["id"])
        self.play(row)
        self.assertEqual(row.state, "done", row.words)
        # 4 bounces miss 6 %, more than the threshold of 3 %: only 8 are enough; glass changes nothing
        self.assertEqual((row.found["1"]["bounces"], row.found["1"]["glass_bounces"]), (8, 4))
        self.assertEqual(row.unused, ["glass_bounces"])
        small = self.study.options.filter(purpose=Purpose.SEARCH)
        self.assertEqual({(each.setup.width, each.setup.height) for each in small}, {(48, 27)})
        self.assertFalse(small.filter(in_plan=True).exists())
        self.assertEqual((row.pair.control, row.pair.trial.setup.width), (self.base, 96))
        self.assertIn("It holds at full size", row.words)
        body = self.read()
        self.assertEqual((body["most_stops"], body["most_detail"]), (row.most_stops, row.most_detail))
        outcomes = [(each["setting"], each["level"], each["outcome"]) for each in body["trace"]]
        self.assertIn(("glass_bounces", 4, "unused"), outcomes)
        self.assertIn(("bounces", 2, "raised"), outcomes)
        self.assertTrue(all(each["pair"] for each in body["trace"] if each["outcome"] in ("raised", "unused")))

    def test_what_a_search_rendered_small_is_no_part_of_the_study(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.play(row)
        found = self.call("GET", f"/api/studies/{self.study.pk}/decision/").json()
        self.assertEqual(len(found["places"]), 1)
        pairs = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["pairs"]
        self.assertEqual(len(pairs), 2)  # that of the plan, and that of the result
        curves = self.call("GET", f"/api/studies/{self.study.pk}/curves/").json()["curves"]
        titles = sorted({each["title"] for each in curves})
        self.assertIn(row.pair.trial.title, titles)  # what was found goes by what it changes
        self.assertEqual([title for title in titles if "control" in title], ["the control"])
        names = [each["name"] for each in found["options"]]
        self.assertIn(row.pair.trial.title, names)
        self.assertEqual(len(set(names)), len(names))

    def test_a_zone_alone_is_rendered_and_the_result_held_whole(self):
        shelf = {"name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.25, 0.25], [0.75, 0.75]]}
        add_zone("marble-stall", "counter", shelf)
        self.assertEqual(self.call("GET", self.path).json()["zones"], ["Shelf"])
        self.assertIn("no zone 'Moon'", self.begin(zone="Moon").json()["detail"])
        row = Search.objects.get(pk=self.begin(zone="Shelf", scale=1.0).json()["id"])
        self.play(row)
        self.assertEqual(row.state, "done", row.words)
        crops = {tuple(each.setup.crop or ()) for each in self.study.options.filter(purpose=Purpose.SEARCH)}
        self.assertEqual(crops, {(24, 13, 48, 28)})
        self.assertIsNone(row.pair.trial.setup.crop)

    def test_a_looser_threshold_ends_earlier(self):
        row = Search.objects.get(pk=self.begin(most_stops=0.2, most_percent=15.0).json()["id"])
        self.play(row)
        self.assertEqual(row.found["1"]["bounces"], 4)

    def test_a_budget_ends_it_and_a_larger_one_goes_on(self):
        row = Search.objects.get(pk=self.begin(most_renders=3).json()["id"])
        self.play(row)
        self.assertEqual(row.state, "out_of_budget")
        self.assertLessEqual(self.read()["renders"], 3)
        self.problem(400, "POST", f"/api/searches/{row.pk}/stop/")
        self.call("POST", f"/api/searches/{row.pk}/go-on/", {"most_renders": 50})
        self.play(row)
        self.assertEqual(row.state, "done", row.words)

    def test_it_is_stopped_and_goes_on_with_what_it_has(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.assertTrue(self.study.runs.filter(state="queued").exists())
        self.call("POST", f"/api/searches/{row.pk}/stop/")
        self.assertFalse(self.study.runs.filter(state="queued").exists())
        self.call("POST", f"/api/searches/{row.pk}/go-on/", {})
        self.play(row)
        self.assertEqual(row.state, "done", row.words)

    def test_a_second_search_over_what_is_rendered_ends_at_once(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.play(row)
        again = self.begin().json()
        self.assertEqual(again["state"], "done", again["words"])
        self.assertFalse(self.study.runs.filter(state="queued").exists())
        self.assertEqual(Search.objects.get(pk=again["id"]).found, row.found)

    def test_a_render_that_fails_is_said(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.study.runs.filter(state="queued").update(state="failed", reason="out of memory")
        searching.advance_all()
        row.refresh_from_db()
        self.assertEqual(row.state, "failed")
        self.assertIn("failed; see what went wrong", row.words)

    def test_ladders_are_proposed_from_the_definition(self):
        body = self.call("GET", self.path).json()
        rows = {each["setting"]: each for each in body["proposed"]}
        self.assertEqual(rows["bounces"]["levels"], [1, 2, 4, 8])
        self.assertTrue(rows["bounces"]["wanted"])
        self.assertNotIn("samples", rows)
        self.assertNotIn("denoise_strength", rows)  # the denoiser is off

    def test_what_cannot_be_searched_is_refused(self):
        for setting, levels in (("bounces", [4, 2]), ("wheels", [1, 2]), ("bounces", [0, -5])):
            body = {"base": self.base.pk, "ladders": [{"setting": setting, "levels": levels}]}
            self.assertIn(setting, self.problem(400, "POST", self.path, body)["fields"])
        twice = [{"setting": "bounces", "levels": [1, 2]}] * 2
        self.assertIn("twice", self.problem(400, "POST", self.path, {"base": self.base.pk, "ladders": twice})["detail"])
        self.problem(400, "POST", self.path, {"base": self.base.pk, "ladders": []})
        self.begin()
        self.assertEqual(self.begin().status_code, 400)

    def test_minutes_are_a_budget_as_well(self):
        row = Search.objects.get(pk=self.begin(most_minutes=0.5).json()["id"])
        self.play(row)
        self.assertEqual(row.state, "out_of_budget")
        self.assertIn("0.5 minutes", row.words)
        self.assertGreaterEqual(self.read()["spent_seconds"], 30.0)
        self.call("POST", f"/api/searches/{row.pk}/go-on/", {})
        self.play(row)
        self.assertEqual(row.state, "done", row.words)

    def test_lost_detail_counts_even_where_brightness_and_cells_do_not(self):
        def soft(run):
            blur = {1: 1.2, 2: 0.7, 4: 0.0, 8: 0.0}[run.option.settings["bounces"]]
            picture = photograph()[100:260, 100:388]
            return blurred(picture, blur) if blur else picture

        self.picture = soft
        self.study = self.create(
            engine="alder", width=288, height=160, settings={"samples": 16, "bounces": 8},
            factors=[factor("light_picking", "estimate")],
        )  # fmt: skip
        self.base = self.study.options.get(control=None)
        self.path = f"/api/studies/{self.study.pk}/searches/"
        for detail, expected in ((5.0, 4), (None, 1)):
            answer = self.begin(
                ladders=[{"setting": "bounces", "levels": [1, 2, 4, 8]}], most_stops=2.0, most_percent=500.0,
                most_colour=50.0, most_detail=detail, scale=1.0,
            )  # fmt: skip
            row = Search.objects.get(pk=answer.json()["id"])
            self.play(row)
            self.assertEqual((row.state, row.found["1"]["bounces"]), ("done", expected), row.words)
            if detail:
                self.assertIn("detail of", self.read()["trace"][0]["change"])

    def test_what_cannot_be_compared_is_no_unchanged_picture(self):
        self.picture = lambda run: moved(
            photograph()[100 : 100 + self.size_of(run)[1], 100 : 100 + self.size_of(run)[0]],
            0.0 if run.option.settings["bounces"] == 8 else 1.5, 0.0,
        )  # fmt: skip
        row = Search.objects.get(pk=self.begin(ladders=[{"setting": "bounces", "levels": [4, 8]}]).json()["id"])
        self.play(row)
        self.assertEqual(row.found["1"]["bounces"], 8)
        self.assertIn("cannot be compared: the pictures lie", self.read()["trace"][0]["change"])

    def lose_a_ball(self, least=0):
        """One glass ball in an even room goes dark below 8 bounces, in pictures wider than so many pixels."""

        def picture(run):
            wide, high = self.size_of(run)
            light = textured((wide, high))
            if run.option.settings["bounces"] < 8 and wide > least:
                light[high // 2 : high // 2 + high // 6, wide // 2 : wide // 2 + wide // 12] *= 0.2
            return light

        self.picture = picture

    def test_what_smaller_renders_do_not_show_is_told_at_full_size_and_leads_to_a_search_there(self):
        self.lose_a_ball(least=48)
        ladders = [{"setting": "bounces", "levels": [1, 8]}]
        row = Search.objects.get(pk=self.begin(ladders=ladders, most_detail=None).json()["id"])
        self.play(row)
        self.assertEqual(row.found["1"]["bounces"], 1)
        answer = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["answer"]
        self.assertRegex(
            answer["sentence"], r"^Too little at full size: .*\(largest: \d\.\d stops darker in a small part of "
        )
        self.assertEqual(answer["next"]["act"], "search")
        shown = self.read()
        self.assertEqual((shown["sentence"], shown["holds"]), (answer["sentence"], False))
        row = Search.objects.get(pk=self.begin(ladders=ladders, most_detail=None, scale=1.0).json()["id"])
        self.play(row)
        self.assertEqual((row.state, row.words), ("done", "the present settings are the least already"))

    def test_a_zone_drawn_later_is_held_against_what_was_found(self):
        self.lose_a_ball()
        loose = {"most_stops": 0.1, "most_percent": 500.0, "most_colour": 50.0, "most_detail": None}
        row = Search.objects.get(
            pk=self.begin(ladders=[{"setting": "bounces", "levels": [1, 8]}], **loose).json()["id"]
        )
        self.play(row)
        self.assertIn("It holds at full size", row.words)
        Measurer().work()
        row.refresh_from_db()
        self.assertIn("It holds at full size", row.words)
        ball = {"name": "Ball", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.583, 0.667]]}
        add_zone(self.base.setup.scene.name, self.base.setup.view, ball)
        Measurer().work()
        row.refresh_from_db()
        self.assertRegex(row.words, "^At full size it changes more than the threshold: .* stops darker in Ball")
        self.assertFalse(self.read()["holds"])

    def test_where_noise_hides_a_change_that_counts_it_renders_more_seeds(self):
        self.noise = 0.2
        glass = {"ladders": [{"setting": "glass_bounces", "levels": [4, 16, 64]}], "most_detail": None}
        row = Search.objects.get(pk=self.begin(**glass).json()["id"])
        self.play(row)
        lowest = self.study.options.get(purpose=Purpose.SEARCH, settings__glass_bounces=4)
        self.assertGreater(lowest.runs.filter(warm_up=False).count(), self.study.repeats)
        self.assertEqual(row.found["1"]["glass_bounces"], 4, row.trace)

    def test_seeds_that_fail_are_asked_for_once(self):
        self.noise = 0.2
        glass = {"ladders": [{"setting": "glass_bounces", "levels": [4, 64]}], "most_detail": None}
        row = Search.objects.get(pk=self.begin(**glass).json()["id"])
        for _ in range(6):
            for run in self.study.runs.filter(state="queued", seed__gt=2):
                claim(run.pk, "bench")
                record_result(run.pk, result_of(run, picture=None, state="failed", reason="no light"))
            self.finish_queued()
            searching.advance_all()
        row.refresh_from_db()
        self.assertEqual(row.state, "done", row.words)
        self.assertEqual(self.read()["sentence"], "Not sure yet: noise hides whether it can be lower.")

    def test_where_more_seeds_would_not_do_it_is_not_sure(self):
        self.noise = 0.8
        glass = {"ladders": [{"setting": "glass_bounces", "levels": [4, 16, 64]}], "most_detail": None}
        row = Search.objects.get(pk=self.begin(**glass).json()["id"])
        self.play(row)
        runs = Run.objects.filter(option__purpose=Purpose.SEARCH, warm_up=False)
        self.assertLessEqual(max(runs.values_list("seed", flat=True)), self.study.repeats)
        self.assertEqual(self.read()["sentence"], "Not sure yet: noise hides whether it can be lower.")
        answer = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["answer"]
        self.assertEqual((answer["sure"], answer["next"]["act"]), ("not sure yet", "levels"))

    def test_the_old_form_of_a_search_is_brought_to_frames(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.play(row)
        new = (row.compared, row.trace, row.found, row.confirmed)
        row.compared = [{key: each[key] for key in ("lower", "upper", "pair")} for each in row.compared]
        row.trace = [{key: value for key, value in each.items() if key != "frame"} for each in row.trace]
        row.found, row.confirmed = row.found["1"], []
        row.save()
        by_frame = import_module("server.searches.migrations.0003_by_frame").by_frame
        by_frame(apps, None)
        row.refresh_from_db()
        without = [[{**each, "change": None} for each in rows] for rows in (new[0], row.compared)]
        self.assertEqual(without[0], without[1])
        # what changed at full size was told in words alone then
        confirmed = [
            {key: value for key, value in each.items() if key not in ("change", "compared_at")} for each in new[3]
        ]
        self.assertEqual((row.trace, row.found, row.confirmed), (*new[1:3], confirmed))


class Explored(SearchTest):
    def begin(self, **changes):
        return super().begin(**({"way": "explore", "most_renders": 8} | changes))

    def test_every_way_is_held_against_the_top_and_the_fastest_unchanged_is_confirmed(self):
        row = Search.objects.get(pk=self.begin(most_renders=12).json()["id"])
        self.play(row)
        self.assertEqual(row.state, "done", row.words)
        body = self.read()
        self.assertEqual(len(body["ways"]), 12)
        self.assertEqual(body["ways"][0]["settings"], {"bounces": 8, "glass_bounces": 64})
        self.assertEqual(len({str(each["settings"]) for each in body["ways"]}), 12)
        self.assertEqual(row.found["1"]["bounces"], 8)
        self.assertTrue(any(each["on_frontier"] for each in body["ways"]))
        self.assertTrue(all(each["pair"] for each in body["ways"][1:]))
        self.assertIn("holds at full size", row.words)

    def test_the_budget_is_kept_and_needed(self):
        row = Search.objects.get(pk=self.begin(most_renders=5).json()["id"])
        self.play(row)
        self.assertEqual((row.state, self.read()["renders"]), ("done", 5))
        self.assertIn("needs a budget", self.problem_with(most_renders=None))

    def problem_with(self, **changes):
        answer = self.begin(**changes)
        self.assertEqual(answer.status_code, 400)
        return answer.json()["detail"]

    def test_a_failed_way_is_left_aside(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.finish_queued()
        searching.advance_all()
        self.study.runs.filter(state="queued").update(state="failed", reason="out of memory")
        self.play(row)
        self.assertEqual(row.state, "done", row.words)
        self.assertEqual(sum(each["amount"] is None for each in self.read()["ways"]), 1)

    def test_a_failed_top_ends_it(self):
        row = Search.objects.get(pk=self.begin().json()["id"])
        self.study.runs.filter(state="queued").update(state="failed", reason="out of memory")
        searching.advance_all()
        row.refresh_from_db()
        self.assertEqual(row.state, "failed")


class OverFrames(SearchTest):
    """In frame 9 and later one bounce is enough; before, all eight are needed."""

    def prepare(self):
        super().prepare()
        self.study = self.create(
            engine="alder", width=SIZE[0], height=SIZE[1], scene="mist-lane", view="lane",
            settings={"samples": 16, "bounces": 8}, factors=[factor("light_picking", "estimate")],
        )  # fmt: skip
        self.base = self.study.options.get(control=None)
        self.path = f"/api/studies/{self.study.pk}/searches/"
        self.picture = lambda run: (
            textured(self.size_of(run))
            * (1.0 if run.option.setup.frame >= 9 else 1 - 0.5 ** run.option.settings["bounces"])
        )

    def test_each_frame_has_its_own_least_and_they_are_joined_to_ranges(self):
        ladders = [{"setting": "bounces", "levels": [1, 2, 4, 8]}]
        answer = self.begin(frames=[1, 9, 17], ladders=ladders)
        self.assertEqual(answer.status_code, 201, answer.content)
        row = Search.objects.get(pk=answer.json()["id"])
        self.play(row)
        self.assertEqual(row.state, "done", row.words)
        self.assertEqual({frame: found["bounces"] for frame, found in row.found.items()}, {"1": 8, "9": 1, "17": 1})
        body = self.read()
        told = [(each["first"], each["last"], each["settings"]["bounces"]) for each in body["joined"]["ranges"]]
        self.assertEqual(told, [(1, 8, 8), (9, 24, 1)])
        self.assertEqual(body["joined"]["constant"], {"bounces": 8})
        self.assertIsNotNone(body["joined"]["wasted_share"])
        self.assertIn("frame", row.words)
        self.assertEqual({each["frame"] for each in body["trace"]}, {1, 9, 17})
        # what a search rendered at other frames is no part of the study
        self.assertEqual({each.setup.frame for each in self.study.options.filter(in_plan=True)}, {1})

    def test_the_result_is_saved_as_a_recipe_by_frame_or_constant(self):
        ladders = [{"setting": "bounces", "levels": [1, 2, 4, 8]}]
        row = Search.objects.get(pk=self.begin(frames=[1, 9, 17], ladders=ladders).json()["id"])
        path = f"/api/searches/{row.pk}/recipe/"
        signed = {"name": "Lane", "author": "Rosa"}
        self.assertIn("not done", self.problem(400, "POST", path, signed)["detail"])
        self.play(row)
        self.assertEqual(self.call("POST", path, signed).status_code, 201)
        use = recipe_of(RecipeVersion.objects.get(version=1).document).use("animation")
        self.assertEqual([use.at_frame(frame)["bounces"] for frame in (1, 8, 9, 24)], [8, 8, 1, 1])
        self.assertTrue(any("waste" in each["what"] for each in use.evidence))
        self.call("POST", path, {**signed, "constant": True})
        use = recipe_of(RecipeVersion.objects.get(version=2).document).use("animation")
        self.assertEqual((use.frames, use.settings["bounces"]), ((), 8))

    def test_the_answer_is_shown_by_the_frame_that_changed_most(self):
        ladders = [{"setting": "bounces", "levels": [1, 2, 4, 8]}]
        self.play(Search.objects.get(pk=self.begin(frames=[9, 17], ladders=ladders).json()["id"]))
        shown = self.call("GET", f"/api/studies/{self.study.pk}/proof/").json()["pictures"]["sides"]
        (frame,) = {row["title"].rpartition(", frame ")[2] for row in shown}
        self.assertIn(frame, ("9", "17"))
        self.assertEqual(
            [row["title"] for row in shown], [f"Alder, 16 samples, frame {frame}", f"bounces 1, frame {frame}"]
        )
        sentence = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["sentence"]
        self.assertIn(f" in frame {frame}", sentence)

    def test_safety_keeps_a_level_more(self):
        ladders = [{"setting": "bounces", "levels": [1, 2, 4, 8]}]
        row = Search.objects.get(pk=self.begin(frames=[9, 17], ladders=ladders, more_levels=1).json()["id"])
        self.play(row)
        (only,) = self.read()["joined"]["ranges"]
        self.assertEqual(only["settings"], {"bounces": 2})

    def test_frames_that_the_scene_does_not_have_are_refused(self):
        answer = self.begin(frames=[1, 99])
        self.assertEqual(answer.status_code, 400)
        self.assertIn("frames 1 to 24; 99 is none of them", answer.json()["detail"])
