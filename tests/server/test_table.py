"""The run table: pages, filters, order, groups with spread, and files of exactly what is shown."""

import csv
import io

from server.measuring.measuring import measure_outstanding
from server.runs.models import Run
from server.studies.models import Option
from tests.server.base import PreparedTest, factor, finish_all


class Table(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(kind="table", factors=[factor("samples", 8, 16), factor("extra", True)])
        finish_all(self.study, seconds={"control": 21.0, "trial": 11.0})
        measure_outstanding(Option.objects.all())
        self.path = f"/api/studies/{self.study.pk}/table"

    def table(self, **asked):
        answer = self.client.get(f"{self.path}/", asked)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def column(self, name, **asked):
        return [row["values"][name] if name in row["values"] else row[name] for row in self.table(**asked)["rows"]]

    def test_all_runs_with_a_column_for_every_factor(self):
        body = self.table()
        self.assertEqual(body["total"], 13)
        names = [column["name"] for column in body["columns"]]
        self.assertEqual(names[3:5], ["factor:samples", "factor:extra"])
        self.assertEqual(names[0], "run")
        counted = [row for row in body["rows"] if not row["warm_up"]]
        self.assertTrue(all(row["values"]["noise"] > 0 for row in counted))
        self.assertIsNone(next(row for row in body["rows"] if row["warm_up"])["values"]["noise"])

    def test_pages_join_without_a_gap(self):
        whole = self.column("id")
        pages = [run for offset in range(0, 13, 5) for run in self.column("id", offset=offset, limit=5)]
        self.assertEqual(pages, whole)
        self.assertEqual(self.column("id", offset=99), [])

    def test_words_and_states_filter(self):
        self.assertEqual(set(self.column("title", text="samples 16 EXTRA on")), {"samples 16, extra on"})
        self.assertEqual(self.table(text="nothing like that")["total"], 0)
        failed = self.study.runs.filter(warm_up=False).first()
        Run.objects.filter(pk=failed.pk).update(state="failed", reason="out of memory")
        self.assertEqual(self.column("id", states="bad"), [failed.pk])
        self.assertEqual(self.column("id", text="memory"), [failed.pk])
        self.assertEqual(self.table(states="finished")["total"], 12)
        self.assertEqual(self.table(throwaway="false")["total"], 12)

    def test_order_goes_by_any_column_with_the_unknown_last(self):
        self.assertEqual(self.column("render_seconds", sort="render_seconds")[-2:], [20.0, 20.0])
        self.assertEqual(self.column("render_seconds", sort="-render_seconds", throwaway="false")[:2], [20.0, 20.0])
        samples = [str(n) for n in self.column("factor:samples", sort="factor:samples", throwaway="false")]
        self.assertEqual(samples, ["4"] * 4 + ["8"] * 4 + ["16"] * 4)
        Run.objects.filter(pk=self.study.runs.first().pk).update(state="failed")
        for sort in ("render_seconds", "-render_seconds"):
            self.assertIsNone(self.column("render_seconds", sort=sort)[-1])
        said = self.client.get(f"{self.path}/", {"sort": "colour"})
        self.assertEqual(said.status_code, 400)
        self.assertIn("there is no column 'colour'", said.json()["detail"])

    def test_groups_have_median_and_range_of_their_counted_runs(self):
        first = self.study.runs.filter(option__side="control", seed=1).get()
        Run.objects.filter(pk=first.pk).update(wall_seconds=23.0, cpu_seconds=23.0)
        groups = self.client.get(f"{self.path}/groups/", {"group": "option"}).json()["groups"]
        self.assertEqual([group["count"] for group in groups], [3, 2, 2, 2, 2, 2])
        self.assertEqual([group["first"] for group in groups], [0, 3, 5, 7, 9, 11])
        self.assertEqual(groups[0]["figures"]["render_seconds"], {"value": 21.0, "low": 20.0, "high": 22.0, "count": 2})
        rows = self.table(group="option")["rows"]
        self.assertEqual([row["title"] for row in rows[3:5]], [groups[1]["key"]] * 2)
        by = self.client.get(f"{self.path}/groups/", {"group": "factor:samples"}).json()["groups"]
        self.assertEqual([(group["key"], group["count"]) for group in by], [("4", 5), ("8", 4), ("16", 4)])
        self.assertEqual(self.client.get(f"{self.path}/groups/").json(), {"groups": []})

    def test_the_files_hold_exactly_what_is_shown(self):
        asked = {"text": "samples 16", "sort": "-seed", "columns": "title,seed,render_seconds"}
        rows = list(csv.reader(io.StringIO(self.client.get(f"{self.path}.csv", asked).content.decode())))
        self.assertEqual(rows[0], ["Option", "Seed", "Rendering (s)"])
        self.assertEqual([row[1] for row in rows[1:]], ["2", "2", "1", "1"])
        document = self.client.get(f"{self.path}.json", asked).json()
        self.assertEqual([row["seed"] for row in document["rows"]], [2, 2, 1, 1])
        self.assertEqual(document["columns"][2], {"name": "render_seconds", "title": "Rendering", "unit": "s"})
        whole = self.client.get(f"{self.path}.csv")
        self.assertEqual(whole.content.decode().count("\n"), 14)
        self.assertIn('filename="runs-', whole["Content-Disposition"])

    def test_what_a_spreadsheet_would_take_for_a_formula_is_quoted(self):
        Run.objects.filter(study=self.study).update(engine_version="=1+1")
        self.assertIn("'=1+1", self.client.get(f"{self.path}.csv", {"columns": "version"}).content.decode())

    def test_what_went_wrong_says_what_to_check_next(self):
        cases = {
            "black": ({"state": "failed", "checks": [{"code": "black", "severity": "stop", "message": "All black."}]},
                      "exposure"),
            "limit": ({"state": "failed", "reason": "Good was ended at its time limit of 3 s.", "checks": []},
                      "Raise the time limit"),
            "crash": ({"state": "failed", "reason": "Good failed (signal SIGSEGV).", "checks": []}, "crashed"),
            "code": ({"state": "failed", "reason": "Good failed (exit code 3): no", "checks": []}, "end of its log"),
        }  # fmt: skip
        for name, (fields, words) in cases.items():
            run = self.study.runs.filter(warm_up=False).first()
            Run.objects.filter(pk=run.pk).update(**fields)
            row = next(row for row in self.table()["rows"] if row["id"] == run.pk)
            self.assertIn(words, " ".join(row["next_steps"]), name)

    def test_the_bad_ones_are_run_again_and_only_they(self):
        rows = list(self.study.runs.filter(warm_up=False).values_list("pk", flat=True))
        Run.objects.filter(pk=rows[0]).update(state="failed")
        Run.objects.filter(pk=rows[1]).update(checks=[{"code": "negative", "severity": "warn", "message": "x"}])
        answer = self.call("POST", f"/api/studies/{self.study.pk}/bad-again/").json()
        self.assertEqual(answer, {"runs": 2})
        self.assertEqual(set(self.study.runs.filter(state="queued").values_list("pk", flat=True)), set(rows[:2]))

    def test_noise_that_was_measured_before_an_area_was_left_out_is_not_shown(self):
        area = {"name": "Lamp", "kind": "leave out", "shape": "rectangle", "points": [[0.1, 0.1], [0.3, 0.3]]}
        made = self.call("POST", "/api/scenes/marble-stall/zones/?view=counter", area)
        self.assertEqual(made.status_code, 201, made.content)
        self.assertEqual(set(self.column("noise")), {None})
        measure_outstanding(Option.objects.all())
        self.assertTrue(all(self.column("noise", throwaway="false")))

    def test_a_page_holds_what_the_files_hold_in_every_column(self):
        asked = {"sort": "-seed", "throwaway": "false"}
        document = self.client.get(f"{self.path}.json", asked).json()
        self.assertEqual([row["values"] for row in self.table(**asked)["rows"]], document["rows"])
        self.assertEqual(document["rows"][0]["size"], "48 × 36")
        self.assertGreater(document["rows"][0]["cpu_render_seconds"], 0)
