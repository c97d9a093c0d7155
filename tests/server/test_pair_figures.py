import csv
import io
import json
import zipfile
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from matchedpair.answers.caveats import part_stops
from matchedpair.errors import InputError
from matchedpair.measures.noise import twin_noise
from matchedpair.pictures import read_picture

from server.answers import studies
from server.measuring.measuring import measure_outstanding
from server.measuring.models import Comparison, Measure
from server.runs.actions import claim, queue_study
from server.runs.habits import forget
from server.runs.models import Run
from server.runs.recording import record_result
from server.sharing.study_import import load_study
from server.store.files import path_of
from server.studies.models import Option, Pair, Study
from server.verdicts.models import Verdict
from tests.pictures import blurred, noisy, textured, write
from tests.server.base import PreparedTest, WithEngines, factor, finish_all, result_of

ROOT = Path(__file__).parents[2]
VERDICT = {"chosen": "trial", "reasons": "Cleaner in the shelf.", "author": "Rosa"}


class PairAndStudy(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        self.pair = self.study.pairs.get()

    def finish(self, **given):
        finish_all(self.study, **given)
        measure_outstanding(Option.objects.all())

    def row(self):
        answer = self.call("GET", f"/api/pairs/{self.pair.pk}/")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_before_anything_has_run(self):
        row = self.row()
        self.assertEqual(row["sentence"], "Planned, not run yet: start the renders to see what this costs and gains.")
        self.assertEqual((row["control"]["noise"], row["noise_ratio"], row["time_ratio"]), (None, None, None))

    def test_the_sentence_holds_both_ratios(self):
        self.finish(noise={"control": 0.2, "trial": 0.05}, seconds={"control": 11.0, "trial": 21.0})
        row = self.row()
        self.assertAlmostEqual(row["noise_ratio"]["value"], 0.25, delta=0.03)
        self.assertAlmostEqual(row["time_ratio"]["value"], 2.0)
        self.assertRegex(
            row["sentence"], r"^Samples 16: 7\d % less noise \(.* %\), 2 × the render time \(.*\), 2 seeds each\.$"
        )
        self.assertEqual(row["match_sheet"]["summary"], "Matched but for samples.")

    def test_the_screen_s_figure_is_the_core_s_own(self):
        self.finish()
        digests = list(
            Run.objects.filter(option__side="control", warm_up=False).order_by("seed").values_list("picture", flat=True)
        )
        pictures = [read_picture(path_of(digest, ".exr")) for digest in digests]
        expected = twin_noise([picture.pixels for picture in pictures], pictures[0].valid)
        noise = self.row()["control"]["noise"]
        self.assertEqual((noise["value"], noise["count"], noise["spread"]), (expected.noise.value, 2, "interval"))
        self.assertEqual(self.row()["control"]["render_seconds"]["spread"], "range")

    def test_the_warm_up_never_counts(self):
        self.finish()
        Run.objects.filter(warm_up=True).update(wall_seconds=900.0, cpu_seconds=900.0)
        self.assertAlmostEqual(self.row()["control"]["render_seconds"]["value"], 10.0)

    def test_equal_seeds_are_refused_in_the_figure_s_place(self):
        finish_all(self.study)
        one, two = Run.objects.filter(option__side="control", warm_up=False).order_by("seed")
        Run.objects.filter(pk=two.pk).update(picture=one.picture)
        measure_outstanding(Option.objects.all())
        row = self.row()
        self.assertEqual(row["control"]["noise"]["refused"], "the twins are bit-equal: same seed, noise unknown")
        self.assertIsNone(row["control"]["noise"]["value"])
        self.assertIn("same seed", row["refused"]["noise_ratio"])

    def test_times_of_other_machines_are_refused(self):
        self.finish()
        Run.objects.filter(option__side="trial").update(machine_name="farm-7")
        row = self.row()
        self.assertIn("different machines", row["refused"]["time_ratio"])
        machine = next(c for c in row["match_sheet"]["conditions"] if c["key"] == "machine")
        self.assertEqual(machine["state"], "differs")

    def test_times_of_another_day_are_less_sure_in_the_pair_and_in_the_table(self):
        self.finish(seconds={"control": 11.0, "trial": 8.0})

        def told():
            options = self.call("GET", f"/api/studies/{self.study.pk}/answer/").json()["options"]
            widths = [each["seconds"]["interval"][1] / each["seconds"]["interval"][0] for each in options]
            return self.row()["time_ratio"], dict(zip(("control", "trial"), widths, strict=True))

        same, before = told()
        Run.objects.filter(option__side="trial").update(ended_at=timezone.now() + timedelta(days=1))
        apart, after = told()
        self.assertNotIn("apart", same["note"])
        self.assertEqual(apart["note"], "rendered hours or days apart")
        self.assertGreater(apart["interval"][1] / apart["interval"][0], 2 * same["interval"][1] / same["interval"][0])
        self.assertEqual(after["control"], before["control"])
        self.assertGreater(after["trial"], 2 * before["trial"])

    def test_noise_of_different_sizes_is_refused_with_the_reason(self):
        study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        for option in study.options.all():
            size = (option.setup.width, option.setup.height)
            queue_study(study)
            for run in study.runs.filter(option=option, state="queued"):
                claim(run.pk, "bench")
                path = write(Path(settings.HOME) / "sized.exr", noisy(textured(size), 0.1, run.pk))
                record_result(run.pk, result_of(run, picture=path.read_bytes()))
        measure_outstanding(Option.objects.all())
        row = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
        self.assertIsNone(row["noise_ratio"])
        self.assertIn("one apparent size", row["refused"]["noise_ratio"])
        self.assertGreater(row["trial"]["noise"]["value"], 0)

    def test_a_softer_trial_asks_for_a_reference_and_is_told_by_it(self):
        study = self.create(asked="feature", width=320, height=240)
        queue_study(study)
        for run in study.runs.filter(state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            setup, soft = run.option.setup, run.option.side == "trial"
            picture = noisy(textured((setup.width, setup.height)), 0.2, run.seed + 100 * run.option.number)
            path = Path(settings.HOME) / "made.exr"
            written = write(path, blurred(picture, 0.9) if soft else picture).read_bytes()
            path.unlink()
            record_result(run.pk, result_of(run) | {"picture": written})
        measure_outstanding(Option.objects.filter(study=study))
        answer = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertRegex(answer["sentence"], "^Not decided: .* makes the picture softer. Only a reference tells")
        self.assertRegex(answer["because"][0]["text"], r"^It is softer, with \d+ % of the finest detail left\.$")
        self.assertEqual(answer["next"]["act"], "reference")
        options = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["options"]
        self.assertEqual([bool(each["why_not"]) for each in options], [False, True])
        truth = Path(settings.HOME) / "truth.exr"
        setup = study.options.first().setup
        write(truth, textured((setup.width, setup.height)))
        with truth.open("rb") as file:
            form = {"kind": "analytic", "scene": setup.scene.name, "view": setup.view, "file": file}
            made = self.client.post("/api/references/", form, headers={"X-CSRFToken": self.token})
        truth.unlink()
        self.assertEqual(made.status_code, 201, made.content)
        measure_outstanding(Option.objects.filter(study=study))
        answer = self.call("GET", f"/api/studies/{study.pk}/answer/").json()["answer"]
        self.assertRegex(answer["sentence"], "^(Yes|No): .* to the reference")
        self.assertRegex(answer["because"][0]["text"], "^Visible error .* ΔE instead of ")

    def test_a_denoised_trial_is_not_ranked_by_the_noise_that_its_filter_left(self):
        """Its finest detail may be as sharp as ever: what is smooth was smoothed, and whether rightly nobody knows."""
        definition = self.folder / "good.toml"
        definition.write_text(definition.read_text().replace('name = "extra"', 'name = "denoise"'))
        study = self.create(asked="feature", under_test="denoise", trial_value=True, width=160, height=120)
        finish_all(study, noise={"control": 0.2, "trial": 0.1})
        measure_outstanding(Option.objects.filter(study=study))
        row = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
        self.assertIsNone(row["noise_ratio"])
        self.assertIn("what the filter left", row["refused"]["noise_ratio"])
        self.assertIsNotNone(row["visible_noise_ratio"])
        self.assertIn("less visible noise", row["sentence"])
        self.assertEqual(
            [each["state"] for each in row["match_sheet"]["conditions"] if each["key"] == "denoiser"], ["under_test"]
        )
        body = self.call("GET", f"/api/studies/{study.pk}/answer/").json()
        self.assertRegex(
            body["answer"]["sentence"], "^Not decided: denoise on smooths the picture. Only a reference tells"
        )
        self.assertEqual(body["answer"]["next"]["act"], "reference")
        self.assertEqual([bool(each["why_not"]) for each in body["options"]], [False, True])
        rows = self.call("GET", f"/api/studies/{study.pk}/measures/").json()["rows"]
        self.assertEqual([bool(each["cells"]["noise"]["why_not"]) for each in rows], [False, True])

    def test_a_busy_run_is_compared_by_cpu_and_marked(self):
        finish_all(self.create())  # more runs of the engine, so that its share of a quiet machine is known
        self.finish()
        Run.objects.filter(option=self.pair.trial).update(wall_seconds=44.0)
        forget()
        row = self.row()
        self.assertEqual(row["time_ratio"]["method"], "cpu")
        for side in ("control", "trial"):
            self.assertEqual(
                (row[side]["render_seconds"]["method"], row[side]["render_seconds"]["value"]), ("cpu", 10.0)
            )
        self.assertIn("load differs", row["match_sheet"]["summary"])

    def test_a_new_picture_makes_the_figure_out_of_date_until_it_is_measured_again(self):
        self.finish()
        run = Run.objects.filter(option__side="trial", seed=2).get()
        Run.objects.filter(pk=run.pk).update(picture=Run.objects.get(option__side="control", seed=2).picture)
        row = self.row()
        self.assertTrue(row["trial"]["out_of_date"])
        self.assertIsNone(row["trial"]["noise"])
        self.assertEqual(measure_outstanding(Option.objects.all()), 2, "the trial, and the pair")
        self.assertFalse(self.row()["trial"]["out_of_date"])

    def test_what_is_measured_is_not_measured_twice(self):
        self.finish()
        self.assertEqual(measure_outstanding(Option.objects.all()), 0)

    def test_an_older_method_is_measured_again(self):
        self.finish()
        Measure.objects.update(version=0)
        self.assertTrue(self.row()["control"]["out_of_date"])
        self.assertEqual(measure_outstanding(Option.objects.all()), 2)

    def test_a_picture_lost_from_the_store_is_a_refusal(self):
        finish_all(self.study)
        path_of(Run.objects.get(option__side="control", seed=1, warm_up=False).picture, ".exr").unlink()
        measure_outstanding(Option.objects.all())
        self.assertIn("no such file", self.row()["control"]["noise"]["refused"])

    def test_the_overview_lists_the_newest_first(self):
        self.finish()
        self.create(question="Another?")
        rows = self.call("GET", "/api/overview/").json()["studies"]
        self.assertEqual([row["question"] for row in rows], ["Another?", "Do more samples pay?"])
        self.assertEqual([row["state"] for row in rows], ["planned", "done"])
        self.assertEqual((rows[1]["runs_done"], rows[1]["runs_planned"]), (4, 4))
        sheet = self.call("GET", f"/api/pairs/{rows[1]['pair']}/").json()["match_sheet"]
        rail = rows[1]["match_rail"]
        self.assertEqual(rail["summary"], sheet["summary"])
        self.assertEqual(
            [(each["key"], each["state"]) for each in rail["conditions"]],
            [(each["key"], each["state"]) for each in sheet["conditions"]],
        )
        tested = next(each for each in rail["conditions"] if each["state"] == "under_test")
        self.assertTrue(tested["control"] and tested["trial"])

    def test_the_overview_does_not_ask_the_database_once_a_study(self):
        counts = []
        for number in range(6):
            finish_all(self.create(question=f"Question {number}?"))
            studies._kept.clear()
            with CaptureQueriesContext(connection) as queries:
                self.client.get("/api/overview/")
            counts.append(len(queries))
        self.assertEqual(counts, [counts[0]] * 6)
        self.assertLess(counts[0], 36)
        with CaptureQueriesContext(connection) as queries:
            self.client.get("/api/overview/")
        self.assertLess(len(queries), counts[0])


class Verdicts(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        self.path = f"/api/pairs/{self.study.pairs.get().pk}"

    def test_a_verdict_keeps_the_sentence_it_rests_on(self):
        finish_all(self.study)
        measure_outstanding(Option.objects.all())
        answer = self.call("POST", f"{self.path}/verdicts/", VERDICT)
        self.assertEqual(answer.status_code, 201)
        row = self.call("GET", f"{self.path}/").json()
        self.assertEqual(row["verdicts"][0]["sentence"], row["sentence"])
        self.assertFalse(row["verdicts"][0]["older_figures"])
        Run.objects.filter(option__side="trial").update(wall_seconds=40.0, cpu_seconds=40.0)
        self.assertTrue(self.call("GET", f"{self.path}/").json()["verdicts"][0]["older_figures"])

    def test_nothing_to_judge_yet(self):
        self.assertIn("finished render", self.problem(400, "POST", f"{self.path}/verdicts/", VERDICT)["detail"])

    def test_what_is_missing_is_named_and_nothing_is_kept(self):
        finish_all(self.study)
        for change in ({"chosen": "left"}, {"reasons": " "}, {"author": ""}, {"reasons": "x" * 5000}):
            body = self.problem(400, "POST", f"{self.path}/verdicts/", VERDICT | change)
            self.assertEqual(list(body["fields"]), list(change))
        self.assertEqual(Verdict.objects.count(), 0)

    def test_a_withdrawn_verdict_can_be_put_back(self):
        finish_all(self.study)
        pk = self.call("POST", f"{self.path}/verdicts/", VERDICT).json()["id"]
        self.assertEqual(self.call("DELETE", f"/api/verdicts/{pk}/").status_code, 204)
        self.assertEqual(self.call("GET", f"{self.path}/").json()["verdicts"], [])
        self.call("POST", f"/api/verdicts/{pk}/restore/")
        self.assertEqual(len(self.call("GET", f"{self.path}/").json()["verdicts"]), 1)


class Exports(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(question="=1+1 is it worth it?")
        finish_all(self.study)
        measure_outstanding(Option.objects.all())
        self.path = f"/api/pairs/{self.study.pairs.get().pk}"
        self.call(
            "POST", f"{self.path}/verdicts/", VERDICT | {"marks": {"Noise": "trial"}, "less_than_fair": "One view."}
        )
        self.call("POST", f"{self.path}/pins/", {"x": 0.5, "y": 0.25, "note": "A rim.", "author": "Rosa"})
        asked = {"kind": "better", "rounds": 6, "author": "Ben"}
        test = self.call("POST", f"{self.path}/blind/", asked).json()["id"]
        self.call("POST", f"/api/blind/{test}/answer/", {"number": 1, "answer": "left", "seconds": 3.0})
        self.call("POST", f"/api/blind/{test}/end/")
        self.home = Path(settings.HOME)

    def bundle(self):
        answer = self.call("GET", f"{self.path}/export.zip")
        self.assertRegex(answer["Content-Disposition"], r'filename="pair-\d+-11-is-it-worth-it\.zip"')
        path = self.home / "bundle.zip"
        path.write_bytes(answer.getvalue())
        return path

    def test_json_holds_what_the_screen_shows(self):
        document = json.loads(self.call("GET", f"{self.path}/export.json").content)
        screen = self.call("GET", f"{self.path}/").json()
        self.assertEqual(document["sentence"], screen["sentence"])
        self.assertEqual(document["ratios"]["noise"]["value"], screen["noise_ratio"]["value"])
        self.assertEqual(document["verdicts"][0]["reasons"], VERDICT["reasons"])
        self.assertEqual(len(document["runs"]), 5)

    def test_csv_has_one_row_a_run_and_no_formulas(self):
        Run.objects.filter(warm_up=True).update(reason='=HYPERLINK("x")')
        rows = list(csv.DictReader(io.StringIO(self.call("GET", f"{self.path}/export.csv").content.decode())))
        self.assertEqual(len(rows), 5)
        self.assertEqual((rows[1]["side"], rows[1]["samples"], rows[1]["wall_seconds"]), ("control", "4", "11.0"))
        self.assertEqual(rows[0]["reason"], '\'=HYPERLINK("x")')

    def test_the_bundle_goes_around(self):
        path = self.bundle()
        with zipfile.ZipFile(path) as bundle:
            document = json.loads(bundle.read("study.json"))
        self.assertEqual((len(document["options"]), len(document["pairs"]), len(document["runs"])), (2, 1, 5))
        before = self.call("GET", f"{self.path}/").json()
        told = self.call("GET", f"{self.path}/blind/").json()
        Study.objects.all().delete()
        study = load_study(path)
        again = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/blind/").json()
        self.assertEqual((again["results"], again["open"]), (told["results"], []))
        after = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
        for key in ("sentence", "noise_ratio", "time_ratio", "match_sheet", "subject"):
            self.assertEqual(before[key], after[key], key)
        for what in ("verdicts", "pins"):
            rows = [[{**row, "id": 0, "pair": 0} for row in document[what]] for document in (before, after)]
            self.assertEqual(rows[0], rows[1])
            self.assertTrue(rows[0])
        self.assertFalse(after["control"]["out_of_date"])

    def test_spoiled_bundles_are_refused_and_leave_nothing(self):
        whole = self.bundle()
        Study.objects.all().delete()

        def rewritten(change):
            rewritten.count += 1
            path = self.home / f"spoiled-{rewritten.count}.zip"
            with zipfile.ZipFile(whole) as old, zipfile.ZipFile(path, "w") as new:
                for name in old.namelist():
                    contents = change(name, old.read(name))
                    if contents is not None:
                        new.writestr(name, contents)
            return path

        rewritten.count = 0
        truncated = self.home / "truncated.zip"
        truncated.write_bytes(whole.read_bytes()[:-400])
        cases = [
            (truncated, "not a whole bundle"),
            (rewritten(lambda n, c: None if n == "study.json" else c), "no study.json"),
            (rewritten(lambda n, c: None if n.startswith("pictures/") else c), "not whole"),
            (rewritten(lambda n, c: c + b"x" if n.endswith(".exr") else c), "is not the file"),
            (rewritten(lambda n, c: c + b" " if n.startswith("scenes/") else c), "is not the file"),
            (rewritten(lambda n, c: b"{" if n == "study.json" else c), "cannot be read"),
        ]
        for path, words in cases:
            with self.subTest(words), self.assertRaisesRegex(InputError, words):
                load_study(path)
        self.assertEqual((Study.objects.count(), Run.objects.count(), Option.objects.count()), (0, 0, 0))

    def test_the_command_says_what_is_wrong(self):
        with self.assertRaisesRegex(CommandError, "No such file"):
            call_command("load_bundle", str(self.home / "none.zip"))


class OlderBundles(WithEngines, TestCase):
    """Bundles of a pair alone, as they were before that was a study of two options."""

    def test_a_pair_of_format_6_loads_with_all_that_people_concluded(self):
        study = load_study(ROOT / "tests" / "data" / "pair-format-6.zip")
        pair = self.call("GET", f"/api/pairs/{study.pairs.get().pk}/").json()
        self.assertEqual([row["marks"] for row in pair["verdicts"]], [{"Noise": "trial"}])
        self.assertEqual([row["note"] for row in pair["pins"]], ["A rim."])
        told = self.call("GET", f"/api/pairs/{pair['id']}/blind/").json()
        self.assertEqual(len(told["results"]), 1)
        self.assertEqual(study.runs.exclude(picture="").count(), 5)

    def test_they_load_with_setup_and_engine_given_to_each_side(self):
        bundles = sorted((ROOT / "tests" / "data").glob("format-1-*.zip"))
        self.assertEqual(len(bundles), 2)
        call_command("load_bundle", *map(str, bundles), stdout=io.StringIO())
        rows = self.call("GET", "/api/overview/").json()["studies"]
        self.assertTrue(any(row["chosen"] for row in rows))
        for row in rows:
            self.assertEqual(row["state"], "done")
            pair = self.call("GET", f"/api/pairs/{row['pair']}/").json()
            self.assertTrue(pair["control"]["out_of_date"] and pair["trial"]["out_of_date"], "by an older method")
            self.assertTrue(pair["match_sheet"]["fair"], pair["match_sheet"]["summary"])
            self.assertIsNone(pair["noise_ratio"], "not before the pictures were compared")
            self.assertEqual(measure_outstanding(Option.objects.filter(study_id=row["id"])), 3)
            pair = self.call("GET", f"/api/pairs/{row['pair']}/").json()
            self.assertIsNotNone(pair["noise_ratio"])
            self.assertEqual(measure_outstanding(Option.objects.filter(study_id=row["id"])), 0)
        self.assertEqual(set(Option.objects.values_list("engine", "quality_knob")), {("alder", "samples")})
        call_command("load_bundle", "--if-empty", *map(str, bundles), stdout=io.StringIO())
        self.assertEqual(Study.objects.count(), len(bundles))


class DemoData(WithEngines, TestCase):
    @classmethod
    def setUpTestData(cls):
        call_command("load_data", str(ROOT / "demo" / "data"), stdout=io.StringIO())

    def test_it_is_measured_and_shows_every_kind_of_thing(self):
        rows = self.call("GET", "/api/overview/").json()["studies"]
        tested = {name for row in rows for name in Pair.objects.get(pk=row["pair"]).under_test}
        self.assertLessEqual({"engine", "version", "light_picking", "focused_light"}, tested)
        for row in rows:
            pair = self.call("GET", f"/api/pairs/{row['pair']}/").json()
            self.assertFalse(pair["control"]["out_of_date"] or pair["trial"]["out_of_date"], row["question"])
            # what else the machine had to do on that day is told, and no other condition differs
            differs = {each["key"] for each in pair["match_sheet"]["conditions"] if each["state"] == "differs"}
            self.assertLessEqual(differs, {"load"}, pair["match_sheet"]["summary"])
        references = self.call("GET", "/api/references/").json()
        self.assertEqual({row["kind"] for row in references}, {"render", "photograph", "analytic"})
        self.assertEqual(len(self.call("GET", "/api/panoramas/").json()), 1)
        (came,) = self.call("GET", "/api/imports/").json()
        self.assertEqual((came["taken"], came["refused"], came["incomplete"]), (5, 1, 1))

    def test_a_part_that_changed_comes_with_the_stops_that_sentences_tell(self):
        found = Comparison.objects.filter(zone="whole", difference__found=True).exclude(difference__islands=[]).first()
        told = self.call("GET", f"/api/pairs/{found.pair_id}/").json()["comparison"]["difference"]
        parts = [*told["islands"], *told["zones"]]
        self.assertTrue(told["islands"])
        for part in parts:
            self.assertEqual(part["stops"], part_stops(part["percent"]))

    def test_it_is_loaded_once_and_only_into_an_empty_installation(self):
        count = Study.objects.count()
        call_command("load_data", "--if-empty", str(ROOT / "demo" / "data"), stdout=io.StringIO())
        self.assertEqual(Study.objects.count(), count)
        with self.assertRaisesRegex(CommandError, "not empty"):
            call_command("load_data", str(ROOT / "demo" / "data"))

    def test_it_does_not_tell_where_it_was_made(self):
        text = "".join(part.read_text() for part in (ROOT / "demo" / "data").glob("rows-*.json"))
        for path in (str(ROOT), "/home/", "/tmp/", "/root/"):
            self.assertNotIn(path, text)

    def test_a_shipped_figure_is_what_the_core_measures_now(self):
        some = list(Study.objects.order_by("pk").values_list("pk", flat=True)[:2])
        shipped = Measure.objects.filter(option__study__in=some)
        kept = {(row.option_id, row.zone, row.name): row.value for row in shipped}
        Measure.objects.all().delete()
        measure_outstanding(Option.objects.filter(study__in=some))
        now = {(row.option_id, row.zone, row.name): row.value for row in Measure.objects.all()}
        self.assertEqual(now.keys(), kept.keys())
        for key, value in kept.items():
            self.assertEqual(now[key] is None, value is None, key)
            if value is not None:
                self.assertAlmostEqual(now[key], value, delta=1e-4 * max(abs(value), 1.0), msg=key)

    def test_a_bundle_of_any_of_its_pairs_goes_around(self):
        pair = Study.objects.get(question__startswith="Is focused light worth").pairs.get()
        contents = self.client.get(f"/api/pairs/{pair.pk}/export.zip").getvalue()
        path = Path(settings.HOME) / "around.zip"
        path.write_bytes(contents)
        again = load_study(path)
        passes = list(again.runs.order_by("position").values_list("passes", flat=True))
        self.assertEqual(passes, list(pair.study.runs.order_by("position").values_list("passes", flat=True)))
        self.assertEqual(set(passes[1]), {"focused", "depth"})


class RunDetails(WithEngines, TestCase):
    def test_an_unfinished_run_has_no_times(self):
        study = self.create()
        finish_all(study)
        run = study.runs.select_related("option").first()
        Run.objects.filter(pk=run.pk).update(state="queued")
        body = self.call("GET", f"/api/runs/{run.pk}/").json()
        self.assertEqual((body["quietness"], body["render_seconds"]), (None, None))
        self.assertEqual(result_of(run)["state"], "finished")
