"""Renders made elsewhere, any number of options: from a farm's table to an answer and a decision."""

import csv
import io
import os
import time

import numpy as np
from django.conf import settings
from django.test import TestCase, override_settings
from matchedpair.cli import main

from server.catalogue.zones import zones_by_view
from server.imports.growing import join
from server.imports.inbox import take_in_one
from server.imports.models import ImportedRender, ImportSet
from server.imports.times_alone import times_alone
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Measure
from server.measuring.option_facts import all_facts
from server.processes.measurer import Measurer
from server.sharing.study_export import write_study
from server.sharing.study_import import load_study
from server.studies.models import Option, Study
from tests.inner_loop import long
from tests.pictures import blurred, noisy, patchy, textured, write
from tests.server.base import draft
from tests.server.test_imports import WithImports

NOISE = {"Glint": 0.8, "Ember": 1.6}
COST = {"Glint": 1.0, "Ember": 3.0}
SAMPLES, SEEDS, FRAMES = (16, 64, 256), (1, 2, 3, 4, 5), (1, 8)


class FromElsewhere(WithImports, TestCase):
    def farm(self):
        """Sixty renders of two engines, three settings, five seeds and two frames, with odd columns; three are bad."""
        number = self.begin(pattern="")
        rows = []
        for engine, noise in NOISE.items():
            for samples in SAMPLES:
                for seed in SEEDS:
                    for frame in FRAMES:
                        name = f"{engine}-{samples}-{seed}-{frame}.exr"
                        dice = hash((samples, seed, frame, len(engine))) % 2**31
                        picture = noisy(textured((96, 72)) * (1 + 0.1 * frame), noise / samples**0.5, dice)
                        contents = write(self.elsewhere / "made.exr", picture).read_bytes()
                        contents = self.spoilt(name, contents)
                        self.assertEqual(self.send(number, name, contents).status_code, 201)
                        rows.append({
                            "Image": f"/farm/out/{name}", "Renderer": engine, "Shot": "court", "Camera": "main",
                            "Frame": frame, "Seed": seed, "AA Samples": samples, "Host": "farm01",
                            "Render time (min)": (0.5 + COST[engine] * samples * (1 + 0.01 * seed)) / 60,
                            "Load time (s)": 0.5, "Peak memory (MB)": 512, "Notes": f"job {len(rows)}",
                        })  # fmt: skip
        text = io.StringIO()
        writer = csv.DictWriter(text, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
        answer = self.send(number, "farm.csv", text.getvalue().encode(), "table")
        self.assertEqual(answer.status_code, 200, answer.content)
        return number, answer.json()

    def spoilt(self, name, contents):
        if name == "Glint-16-5-1.exr":
            return contents[: len(contents) // 2]
        if name == "Glint-64-5-8.exr":
            blank = np.full((72, 96, 3), np.nan, np.float32)
            return write(self.elsewhere / "nan.exr", blank).read_bytes()
        if name == "Ember-16-4-8.exr":
            return write(self.elsewhere / "small.exr", noisy(textured((48, 36)), 0.1, 3)).read_bytes()
        return contents

    def made(self, number, **changes):
        asked = {
            "question": "Which renderer for the court?", "asked": "engine", "knobs": ["AA Samples"],
            "renders": list(ImportedRender.objects.filter(import_set=number).values_list("pk", flat=True)),
        }  # fmt: skip
        answer = self.call("POST", "/api/imports/study/", asked | changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        return Study.objects.get(pk=answer.json()["study"]), answer.json()["left_out"]

    def test_without_times_noise_is_told_and_times_said_later_reach_the_study(self):
        number = self.begin(pattern="{scene}_{view}_{engine}_{mode}_{seed}")
        for mode, noise in (("plain", 0.4), ("picked", 0.2)):
            for seed in (1, 2):
                picture = noisy(textured((96, 72)), noise, 10 * seed + len(mode))
                contents = write(self.elsewhere / "made.exr", picture).read_bytes()
                self.send(number, f"court_main_Glint_{mode}_{seed}.exr", contents)
        control = ImportedRender.objects.get(name="court_main_Glint_plain_1.exr").pk
        study, _ = self.made(number, asked="feature", knobs=[], control=control)
        measure_outstanding(Option.objects.filter(study=study))
        answer = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertRegex(
            answer["sentence"], r"^Not sure yet: [45]\d % less noise .*picked\. No render time is known\.$"
        )
        self.assertEqual(answer["next"]["act"], "times")
        for mode, seconds in (("plain", "10"), ("picked", "12")):
            ids = list(ImportedRender.objects.filter(name__contains=mode).values_list("pk", flat=True))
            said = {"renders": ids, "values": {"seconds": seconds, "machine": "farm01"}}
            self.assertEqual(self.call("POST", "/api/imports/fill-in/", said).status_code, 200)
        runs = study.runs.values_list("wall_seconds", "machine_name")
        self.assertEqual(sorted(runs), 2 * [(10.0, "farm01")] + 2 * [(12.0, "farm01")])
        answer = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertRegex(answer["sentence"], r"^Yes: with .* the same noise comes [23](\.\d+)? × faster")

    def answered(self, asked, **modes):
        """A study of pictures by seed, those called `plain` the control, and what its answer says."""
        number = self.begin(pattern="{scene}_{view}_{engine}_{mode}_{seed}")
        for mode, pictures in modes.items():
            for seed, picture in enumerate(pictures, 1):
                contents = write(self.elsewhere / "made.exr", picture).read_bytes()
                self.send(number, f"court_main_Glint_{mode}_{seed}.exr", contents)
        control = ImportedRender.objects.get(name="court_main_Glint_plain_1.exr", import_set=number).pk
        study, _ = self.made(number, asked=asked, knobs=[], control=control)
        measure_outstanding(Option.objects.filter(study=study))
        return study, self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]

    def test_grain_as_wide_as_a_pixel_filter_makes_it_is_no_patches(self):
        base = textured((320, 240))
        plain = [noisy(base, 0.3, seed) for seed in (1, 2)]
        filtered = [base * blurred(noisy(base, 0.3, seed) / base, 1.2) for seed in (5, 6)]
        patched = [patchy(noisy(base, 0.1, seed), 0.06, 6.0, seed) for seed in (5, 6)]
        for other, wanted in ((filtered, 0), (patched, 1)):
            study, answer = self.answered("version", plain=plain, other=other)
            found = Measure.objects.get(option__study=study, name="blotches", zone="whole", option__number=1)
            self.assertTrue(found.details["found"], "the figure itself stays")
            told = [claim["text"] for claim in answer["but"] if "uneven patches" in claim["text"]]
            self.assertEqual(len(told), wanted, told)

    def test_only_where_every_seed_is_the_same_to_the_bit_a_switch_does_nothing(self):
        first, second, other = (noisy(textured((96, 72)), 0.2, seed) for seed in (1, 2, 3))
        for guided, said in (([first, second], self.assertIn), ([first, other], self.assertNotIn)):
            study, answer = self.answered("feature", plain=[first, second], guided=guided)
            pair = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
            for sentence in (answer["sentence"], pair["sentence"]):
                said("the pictures are the same to the last bit", sentence)

    def test_a_table_that_comes_later_brings_its_times_to_the_study(self):
        number = self.four()
        study, _ = self.made(number, asked="samples", knobs=["samples"])
        table = b"file,seconds\nstall_top_Glint_16spp_s1.exr,12.5\n"
        self.assertEqual(self.send(number, "times.csv", table, "table").status_code, 200)
        self.assertEqual([run.wall_seconds for run in study.runs.order_by("wall_seconds") if run.wall_seconds], [12.5])

    @long
    def test_sixty_renders_come_to_curves_an_answer_and_a_decision(self):
        number, shown = self.farm()
        meanings = {row["name"]: row["meaning"] for row in shown["table_columns"]}
        self.assertEqual(meanings["Render time (min)"], "seconds")
        self.assertEqual((meanings["Notes"], meanings["AA Samples"]), ("ignore", "setting"))
        self.assertEqual(shown["knobs"], ["AA Samples"])
        study, left_out = self.made(number)
        self.assertEqual(len(left_out), 3, left_out)
        for name, words in (
            ("Glint-16-5-1.exr", "cannot be"), ("Glint-64-5-8.exr", ""), ("Ember-16-4-8.exr", "is 48 × 36 pixels"),
        ):  # fmt: skip
            (told,) = [line for line in left_out if line.startswith(name)]
            self.assertIn(words, told)
        options = list(study.options.all())
        self.assertEqual(len(options), 12)
        self.assertEqual({option.quality_knob for option in options}, {"AA Samples"})
        self.assertEqual(study.pairs.count(), 10)  # the baseline of each frame has none
        for pair in study.pairs.select_related("control__setup", "trial__setup"):
            self.assertEqual(pair.control.setup.frame, pair.trial.setup.frame)
        measure_outstanding(Option.objects.filter(study=study))

        curves = self.call("GET", f"/api/studies/{study.pk}/curves/").json()
        self.assertEqual(len(curves["curves"]), 4)  # two engines at two frames
        self.assertTrue(all(row["fit"] for row in curves["curves"]), curves["curves"])
        # four times the samples for the same noise, at three times the cost each: twelve times as slow
        (row,) = [row for row in curves["same"] if row["title"] != "the control"]
        for cell in row["cells"]:
            told = cell["same_noise"]
            speed = told["speed_up"]
            self.assertIsNotNone(speed, told)
            self.assertAlmostEqual(abs(np.log(speed)), np.log(12.0), delta=0.2)
            self.assertLess(told["interval"][0], speed)
        answered = self.call("GET", f"/api/studies/{study.pk}/answer/")
        self.assertEqual(answered.status_code, 200)
        decision = self.call("GET", f"/api/studies/{study.pk}/decision/")
        self.assertEqual(decision.status_code, 200, decision.content)
        told = decision.json()
        self.assertIn("Glint, 256 AA Samples", told["sentence"])
        self.assertEqual(len(told["options"]), 6)  # each over both frames
        self.assertEqual({row["key"].split('"')[1] for row in told["options"]}, {"Glint", "Ember"})
        self.assertEqual(self.client.get(f"/api/studies/{study.pk}/report/").status_code, 200)

    def test_a_column_is_told_to_mean_something_else(self):
        number, _ = self.farm()
        columns = {"AA Samples": "ignore", "Host": "setting"}
        changed = self.call("PATCH", f"/api/imports/{number}/", {"columns": columns}).json()
        self.assertEqual(changed["renders"][0]["settings"], {"Host": "farm01"})
        self.assertEqual({row["name"] for row in changed["table_columns"] if row["stated"]}, {"AA Samples", "Host"})
        refused = self.problem(400, "PATCH", f"/api/imports/{number}/", {"columns": {"Host": "nothing"}})
        self.assertTrue(refused["fields"])

    @long
    def test_a_measurer_at_work_measures_the_control_of_a_new_study_too(self):
        number, _ = self.farm()
        measurer = Measurer()
        measurer.work()  # whatever was there before
        study, _ = self.made(number)
        measurer.work()
        measured = set(Measure.objects.filter(name="noise").values_list("option", flat=True))
        self.assertEqual(measured, set(study.options.values_list("pk", flat=True)))

    @long
    def test_its_scene_takes_zones_and_a_reference_and_then_engines_are_ranked(self):
        number, _ = self.farm()
        study, _ = self.made(number)
        options = Option.objects.filter(study=study)
        Measurer().work()
        before = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertEqual((before["sure"], before["next"]["act"]), ("not sure yet", "reference"))
        scenes = self.call("GET", "/api/scenes/").json()
        (court,) = [row for row in scenes["elsewhere"] if row["name"] == "court"]
        self.assertEqual([view["name"] for view in court["views"]], ["main"])
        self.assertEqual((court["first_frame"], court["last_frame"], court["revision"]), (1, 8, ""))
        self.assertNotIn("court", {row["name"] for row in scenes["scenes"]}, "it cannot be rendered")
        self.problem(400, "POST", "/api/studies/", draft(scene="court", view="main"))
        for frame in FRAMES:
            truth = write(self.elsewhere / "truth.exr", textured((96, 72)) * (1 + 0.1 * frame))
            with truth.open("rb") as file:
                form = {"kind": "render", "scene": "court", "view": "main", "frame": frame, "file": file}
                answer = self.client.post("/api/references/", form, headers={"X-CSRFToken": self.token})
            self.assertEqual(answer.status_code, 201, answer.content)
        corner = {"name": "Corner", "kind": "measure", "shape": "rectangle", "points": [[0.1, 0.1], [0.6, 0.6]]}
        answer = self.call("POST", "/api/scenes/court/zones/?view=main", corner)
        self.assertEqual(answer.status_code, 201, answer.content)
        Measurer().work()
        after = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertEqual(after["sure"], "sure", after)
        self.assertTrue(Measure.objects.filter(zone="Corner", option__in=options).exists())

    @long
    def test_a_column_is_said_to_be_a_quality_knob_and_which_way_it_goes(self):
        number, shown = self.farm()
        self.assertEqual((shown["knobs"], shown["knobs_down"]), (["AA Samples"], []))
        stated = self.call("PATCH", f"/api/imports/{number}/", {"columns": {"AA Samples": "knob_down"}}).json()
        self.assertEqual((stated["knobs"], stated["knobs_down"]), (["AA Samples"], ["AA Samples"]))
        study, _ = self.made(number, knobs_down=["AA Samples"])
        self.assertEqual(set(study.options.values_list("quality_knob", "knob_goes_down")), {("AA Samples", True)})
        measure_outstanding(Option.objects.filter(study=study))
        curves = self.call("GET", f"/api/studies/{study.pk}/curves/").json()["curves"]
        self.assertEqual({row["knob"] for row in curves}, {"1 / AA Samples²"})
        stated = self.call("PATCH", f"/api/imports/{number}/", {"columns": {"AA Samples": "setting"}}).json()
        self.assertEqual(stated["knobs"], [])

    def test_the_control_is_chosen_and_too_little_is_refused(self):
        number, _ = self.farm()
        ember = ImportedRender.objects.get(import_set=number, name="Ember-256-1-1.exr")
        study, _ = self.made(number, control=ember.pk, asked="own")
        first = study.options.get(number=0)
        self.assertEqual((first.engine_title, first.settings, first.control), ("Ember", {"AA Samples": 256}, None))
        same = ImportedRender.objects.filter(import_set=number, name__startswith="Ember-256-", name__endswith="-1.exr")
        asked = {"question": "Alike?", "renders": [row.pk for row in same]}
        refused = self.problem(400, "POST", "/api/imports/study/", asked)
        self.assertIn("a study needs two options", refused["detail"])


class TimesAlone(WithImports, TestCase):
    TABLE = (
        "file,renderer,shot,camera,samples,seed,render time\n"
        "a1.exr,Glint,court,main,16,1,10\na2.exr,Glint,court,main,16,2,10\n"
        "b1.exr,Glint,court,main,64,1,40\nb2.exr,Glint,court,main,64,2,40\n"
        ",Glint,court,main,16,3,13\nlost.exr,Glint,,,16,4,13\n,Glint,court,main,64,,\n,Ember,court,main,64,1,9\n"
    )

    def setUp(self):
        super().setUp()
        self.number = self.begin(pattern="")
        for name, noise in (("a1", 0.2), ("a2", 0.2), ("b1", 0.1), ("b2", 0.1)):
            picture = noisy(textured((48, 36)), noise, sum(name.encode()))
            contents = write(self.elsewhere / "made.exr", picture).read_bytes()
            self.assertEqual(self.send(self.number, f"{name}.exr", contents).status_code, 201)
        answer = self.send(self.number, "farm.csv", self.TABLE.encode(), "table")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.shown = answer.json()

    def made(self, **changes):
        asked = {
            "question": "How many?", "knobs": ["samples"],
            "renders": list(ImportedRender.objects.values_list("pk", flat=True)),
        }  # fmt: skip
        made = self.call("POST", "/api/imports/study/", asked | changes).json()
        return Study.objects.get(pk=made["study"]), made["left_out"]

    def seconds(self, study):
        measure_outstanding(study.options.all())
        facts = all_facts(study.options.all(), zones_by_view())
        return {each.option.settings["samples"]: (each.seconds()[0], len(each.runs), len(each.times)) for each in facts}

    def test_rows_without_a_picture_count_for_time_and_nothing_else(self):
        self.assertEqual(self.shown["times_alone"], 3)
        study, left_out = self.made()
        self.assertEqual(self.seconds(study), {16: (11.5, 2, 4), 64: (40.0, 2, 2)})
        self.assertEqual(study.runs.filter(time_alone=True, picture="", seed_known=False).count(), 2)
        self.assertEqual(len(left_out), 2, left_out)
        self.assertIn("row 8 of farm.csv: no render here was made so", left_out[0])
        self.assertIn("row 7 of farm.csv: has neither a picture here nor a time", left_out[1])
        noise = Measure.objects.filter(option__study=study, name="noise", zone="whole")
        self.assertEqual([row.refused for row in noise], ["", ""])
        table = self.client.get(f"/api/studies/{study.pk}/table/").json()
        self.assertEqual(sum(row["time_alone"] for row in table["rows"]), 2)
        self.assertTrue(all(row["values"]["noise"] for row in table["rows"]), "the figures are up to date")
        pair = study.pairs.get()
        self.assertEqual(self.client.get(f"/api/pairs/{pair.pk}/").status_code, 200)
        bundle = self.elsewhere / "study.zip"
        with bundle.open("wb") as file:
            write_study(study, file)
        self.assertEqual(self.seconds(load_study(bundle)), self.seconds(study))

    def test_while_pictures_may_come_rows_that_name_one_wait(self):
        study, _ = self.made(grows=True)
        self.assertEqual(self.seconds(study)[16], (10.0, 2, 3))
        contents = write(self.elsewhere / "made.exr", noisy(textured((48, 36)), 0.2, 9)).read_bytes()
        said = {"scene": "court", "view": "main"}
        taken = self.send(self.number, "lost.exr", contents).json()
        self.call("POST", "/api/imports/fill-in/", {"renders": [taken["id"]], "values": said})
        join(self.number)
        self.assertEqual(self.seconds(study)[16], (11.5, 3, 4))
        join(self.number)
        self.assertEqual(self.seconds(study)[16], (11.5, 3, 4), "nothing is counted twice")

    def test_the_command_hands_them_over_too(self):
        folder = self.elsewhere / "farm"
        folder.mkdir()
        for name in ("a1", "b1"):
            write(folder / f"{name}.exr", noisy(textured((48, 36)), 0.1, sum(name.encode())))
        table = folder / "farm.csv"
        table.write_text(self.TABLE)
        main(["import", str(folder), "--table", str(table), "--home", str(settings.HOME)])
        while take_in_one():
            pass
        made = ImportSet.objects.get(source="command")
        self.assertEqual(len(made.table), 6)
        self.assertEqual(len(times_alone(made, waits=False)[0]), 5)


class Growing(WithImports, TestCase):
    """Renders that land in a folder come in, and join the study of their set."""

    def setUp(self):
        super().setUp()
        self.enterContext(override_settings(IMPORT_ROOT=self.elsewhere))
        self.farm = self.elsewhere / "out"
        self.farm.mkdir()

    def land(self, samples, seed, *, age=10.0):
        path = self.farm / f"cup_main_{samples}_s{seed}.exr"
        write(path, noisy(textured((96, 72)), 1.0 / samples**0.5, 100 * samples + seed))
        at = time.time() - age
        os.utime(path, (at, at))
        return path

    def measured(self):
        Measurer().work()

    def test_they_come_in_when_they_rest_and_figures_grow(self):
        number = self.begin(pattern="{scene}_{view}_{samples}_s{seed}")
        asked = {"watched": str(self.farm)}
        self.assertEqual(self.call("PATCH", f"/api/imports/{number}/", asked).json()["watched"], str(self.farm))
        for samples in (16, 64):
            for seed in (1, 2):
                self.land(samples, seed)
        self.land(256, 1, age=0.0)  # still being written
        self.measured()
        rows = self.rows(number)
        self.assertEqual(len(rows), 4)
        ids = [row["id"] for row in rows]
        self.call("POST", "/api/imports/fill-in/", {"renders": ids, "values": {"engine": "Glint"}})
        made = self.call("POST", "/api/imports/study/", {
            "question": "Enough?", "asked": "samples", "knobs": ["samples"], "renders": ids, "grows": True,
        })  # fmt: skip
        study = Study.objects.get(pk=made.json()["study"])
        self.assertEqual(study.options.count(), 2)
        control = study.options.get(control=None)
        for seed in (1, 2):
            self.land(256, seed)
        self.land(16, 3)
        self.measured()
        came = [row["id"] for row in self.rows(number) if row["id"] not in ids]
        self.assertEqual(len(came), 3)
        self.assertEqual(study.options.count(), 2)  # nobody has said yet of which engine they are
        self.call("POST", "/api/imports/fill-in/", {"renders": came, "values": {"engine": "Glint"}})
        self.measured()
        self.assertEqual(study.options.count(), 3)
        self.assertEqual(study.runs.count(), 7)
        self.assertEqual(study.options.get(control=None), control)
        self.assertEqual(study.pairs.count(), 2)
        self.measured()
        self.assertEqual(study.runs.count(), 7)
        noise = Measure.objects.filter(option__study=study, name="noise", refused="")
        self.assertEqual(noise.values("option").distinct().count(), 3)

    def test_a_folder_that_is_gone_is_told_and_looked_at_again(self):
        number = self.begin(pattern="{scene}_{view}_{samples}_s{seed}", watched=str(self.farm))
        self.farm.rename(self.elsewhere / "away")
        self.measured()
        told = self.call("GET", f"/api/imports/{number}/").json()["watch_problem"]
        self.assertIn("no such folder", told)
        (self.elsewhere / "away").rename(self.farm)
        self.land(16, 1)
        self.measured()
        row = self.call("GET", f"/api/imports/{number}/").json()
        self.assertEqual((row["watch_problem"], row["taken"]), ("", 1))
        self.call("PATCH", f"/api/imports/{number}/", {"watched": ""})
        self.land(16, 2)
        self.measured()
        self.assertEqual(len(self.rows(number)), 1)

    def test_only_the_allowed_folder_is_watched(self):
        number = self.begin()
        for folder in ("/etc", str(self.elsewhere / "none")):
            self.problem(400, "PATCH", f"/api/imports/{number}/", {"watched": folder})
        self.problem(400, "POST", "/api/imports/", {"title": "x", "watched": "/etc"})

    def test_a_link_out_of_the_folder_is_not_followed(self):
        self.begin(watched=str(self.farm))
        (self.farm / "cup_main_1_s1.exr").symlink_to("/etc/hostname")
        self.measured()
        self.assertEqual(ImportedRender.objects.count(), 0)
