"""Plans of every kind: what they would make, what they cost, and studies made, changed, copied and removed."""

from pathlib import Path

from django.test import TestCase
from django.utils import timezone
from matchedpair.engines import describe_machine

from server.runs.actions import queue_study
from server.runs.models import Run
from server.studies.models import Option, Pair, Study
from tests.server.base import PreparedTest, WithEngines, draft, factor, finish_all

ROOT = Path(__file__).parents[2]


class Plans(WithEngines, TestCase):
    engines = ("good",)

    def setUp(self):
        super().setUp()
        text = (self.folder / "good.toml").read_text().replace('name = "good"', 'name = "other"', 1)
        (self.folder / "other.toml").write_text(text.replace('title = "Good"', 'title = "Other"'))

    def preview(self, **changes):
        answer = self.call("POST", "/api/studies/preview/", draft(**changes))
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def plan(self, **changes):
        body = self.preview(**changes)
        self.assertEqual(body["problems"], {})
        return body["plan"]

    def titles(self, plan):
        return [row["title"] for row in plan["options"]]

    def test_one_setting_through_its_range_with_the_rest_held(self):
        plan = self.plan(kind="range", factors=[factor("samples", 2, 4, 8, 16)])
        self.assertEqual(self.titles(plan), ["as the control", "samples 2", "samples 8", "samples 16"])
        self.assertEqual((plan["renders"], plan["warm_ups"]), (1 + 2 * 4, 1))
        self.assertEqual([row["control"] for row in plan["options"]], [None, 0, 0, 0])

    def test_a_full_table_of_two_is_neither_this_that_and_both(self):
        body = self.preview(kind="table", factors=[factor("extra", True), factor("level", "high")])
        self.assertEqual(
            self.titles(body["plan"]), ["as the control", "level high", "extra on", "extra on, level high"]
        )
        self.assertEqual(body["match_sheet"]["summary"], "All 3 pairs are matched but for settings.")

    def test_engines_on_scenes_have_a_control_on_each_scene_and_a_warm_up_for_each(self):
        plan = self.plan(
            kind="engines-scenes", factors=[factor("engine", "other"), factor("scene", "glass-cabinet", "mist-lane")]
        )
        rows = {row["title"]: row for row in plan["options"]}
        self.assertEqual(len(rows), 6)
        self.assertEqual(plan["warm_ups"], 6)
        sides = [row["side"] for row in plan["options"]]
        self.assertEqual((sides.count("control"), sides.count("trial")), (3, 3))
        self.assertEqual(rows["engine Other (default settings)"]["control"], 0)
        there = plan["options"][rows["engine Other (default settings), scene Mist lane"]["control"]]
        self.assertEqual(there["title"], "scene Mist lane")
        study = self.create(kind="engines-scenes", factors=[factor("engine", "other"), factor("scene", "mist-lane")])
        self.assertEqual(
            list(study.pairs.values_list("subject", flat=True)),
            ["engine Other (default settings)", "engine Other (default settings) on Mist lane"],
        )
        self.assertEqual({pair.under_test[0] for pair in study.pairs.all()}, {"engine"})

    def test_an_engine_as_it_comes_and_tuned_are_two_levels(self):
        levels = [{"value": "other", "settings": {}}, {"value": "other", "settings": {"samples": 32}}]
        plan = self.plan(kind="range", factors=[{"subject": "engine", "levels": levels}])
        self.assertEqual(self.titles(plan)[1:], ["engine Other (default settings)", "engine Other (tuned)"])

    def test_size_and_samples_in_step_spend_the_same_elsewhere(self):
        plan = self.plan(kind="same-time", factors=[factor("size", "24x18", "96x72"), factor("samples", 16, 1)])
        self.assertEqual(
            [(row["size"], row["levels"][1]["shown"]) for row in plan["options"]],
            [("48 × 36", "4"), ("24 × 18", "16"), ("96 × 72", "1")],
        )
        bad = self.preview(kind="same-time", factors=[factor("size", "24x18"), factor("samples", 16, 1)])
        self.assertIn("as many levels each", bad["problems"]["factors"][0])

    def test_views_frames_variants_and_quantities_can_be_factors(self):
        (self.folder / "other.toml").unlink()
        add = {"engine": "alder", "scene": "mist-lane", "view": "lane", "settings": {}, "kind": "range"}
        (self.folder / "alder.toml").write_text((ROOT / "demo" / "engines" / "alder.toml").read_text())
        for subject, values in (
            ("view", ["weathercock"]), ("frame", [12, 24]), ("light", ["clear-air"]), ("preset", ["preview"]),
            ("version", ["1"]), ("quantity:mist_density", [0.1, 0.2]), ("time_budget", [1, 2]),
        ):  # fmt: skip
            plan = self.plan(**add, factors=[factor(subject, *values)])
            self.assertEqual(len(plan["options"]), 1 + len(values), subject)
        budget = self.create(**add, factors=[factor("time_budget", 2)]).options.last()
        self.assertEqual((budget.settings["time_budget"], budget.settings["samples"]), (2.0, 65536))
        ladder = self.plan(**add | {"kind": "ladder"}, factors=[factor("samples", 4, 8, 64)])
        self.assertEqual([row["comes_with"] for row in ladder["options"]], [3, 3, 3, None])
        self.assertEqual(ladder["renders"], 1 + 2)
        apart = self.plan(**add | {"kind": "ladder"}, factors=[factor("samples", 4, 64)], on_the_way=False)
        self.assertEqual(apart["renders"], 1 + 2 * 3)
        said = self.preview(**add, factors=[factor("time_budget", -1)])["problems"]["factors.0.0"]
        self.assertIn("must be between 0 and 86400", said[0])

    def test_bad_levels_are_named_each_by_its_place(self):
        body = self.preview(kind="table", factors=[factor("samples", 8, 0), factor("size", "wide")])
        self.assertEqual(sorted(body["problems"]), ["factors.0.1", "factors.1.0"])
        self.assertIn(
            "there is no scene 'nowhere'", str(self.preview(factors=[factor("scene", "nowhere")])["problems"])
        )
        self.assertIn("change at least one thing", str(self.preview(factors=[])["problems"]))
        huge = [factor("samples", *range(5, 60)), factor("pause", *range(1, 50))]
        self.assertIn("more than the 2000", str(self.preview(kind="table", factors=huge)["problems"]))

    def test_rows_are_left_out_by_hand_but_not_the_last_trial_and_never_a_control(self):
        given = {"kind": "range", "factors": [factor("samples", 8, 16)]}
        rows = self.plan(**given)["options"]
        plan = self.plan(**given, left_out=[rows[1]["key"], rows[0]["key"]])
        self.assertEqual([row["left_out"] for row in plan["options"]], ["", "left out by hand", ""])
        self.assertEqual(plan["renders"], 5)
        none = self.preview(**given, left_out=[rows[1]["key"], rows[2]["key"]])
        self.assertIn("every trial is left out", none["problems"]["left_out"][0])

    def test_a_budget_trims_by_rules_that_are_shown(self):
        plan = self.plan(kind="range", factors=[factor("samples", 2, 8, 9, 64)], repeats=4, budget={"renders": 8})
        self.assertEqual((plan["repeats"], plan["trimmed"], plan["fits"]), (2, 1, True))
        left = {row["title"]: row["left_out"] for row in plan["options"] if row["left_out"]}
        self.assertEqual(left, {"samples 8": "lies close to its neighbours"})
        self.assertIn("Controls are never left out.", plan["rules"])

    def test_a_small_plan_is_rendered_small_and_then_in_full_keeping_what_is_there(self):
        study = self.create(small={"scale": 0.5})
        self.assertEqual({(o.setup.width, o.setup.height, o.small) for o in study.options.all()}, {(24, 18, True)})
        self.call("PUT", f"/api/studies/{study.pk}/plan/", draft())
        whole = study.options.filter(in_plan=True)
        self.assertEqual({(o.setup.width, o.small) for o in whole}, {(48, False)})
        self.assertEqual(study.options.filter(in_plan=False, small=True).count(), 2)
        part = self.create(small={"crop": {"x": 0, "y": 0, "width": 20, "height": 20}})
        self.assertEqual(part.options.first().setup.crop, [0, 0, 20, 20])

    def test_what_it_costs_is_told_from_earlier_runs_of_this_machine(self):
        self.assertEqual(self.plan()["cost"]["unknown"], 5)
        finish_all(self.create(settings={"samples": 8}, trial_value=16), seconds={"control": 6.0, "trial": 11.0})
        Run.objects.update(machine_name="elsewhere")
        self.assertEqual(self.plan()["cost"]["unknown"], 5)
        Run.objects.update(machine_name=describe_machine().name)
        rows = {row["title"]: row["estimate"] for row in self.plan()["options"]}
        self.assertAlmostEqual(rows["as the control"]["seconds"], 1 + 5 / 2)
        self.assertEqual(
            rows["as the control"]["words"], "2 earlier runs: the same render with another number of samples"
        )
        self.assertEqual((rows["samples 16"]["seconds"], rows["samples 16"]["basis"]), (11.0, "rendered"))
        low, high = rows["as the control"]["interval"]
        self.assertTrue(low < 3.5 < high)

    def test_studies_that_took_another_time_each_day_make_its_interval_wide(self):
        widths = []
        for seconds in (6.0, 6.2, 25.0):
            finish_all(self.create(settings={"samples": 8}, trial_value=16), seconds=dict.fromkeys(
                ("control", "trial"), seconds
            ))  # fmt: skip
            Run.objects.update(machine_name=describe_machine().name)
            low, high = next(
                row["estimate"]["interval"] for row in self.plan()["options"] if row["title"] == "samples 16"
            )
            widths.append(high / low)
        self.assertLess(widths[1], widths[0])
        self.assertGreater(widths[2], 2 * widths[0])


class Changed(PreparedTest):
    def prepare(self):
        super().prepare()
        self.given = {"kind": "range", "factors": [factor("samples", 8, 16)]}
        self.study = self.create(**self.given)
        self.path = f"/api/studies/{self.study.pk}"

    def test_a_level_added_later_renders_only_what_is_new(self):
        finish_all(self.study)
        kept = dict(self.study.runs.values_list("pk", "ended_at"))
        self.call("PUT", f"{self.path}/plan/", draft(kind="range", factors=[factor("samples", 8, 16, 32)]))
        self.assertEqual(self.call("GET", f"{self.path}/progress/").json()["lacking"], 2)
        self.assertEqual(self.call("POST", f"{self.path}/start/").json(), {"runs": 2})
        new = self.study.runs.exclude(pk__in=kept)
        self.assertEqual(set(new.values_list("option__title", "warm_up")), {("samples 32", False)})
        self.assertEqual(dict(self.study.runs.filter(pk__in=kept).values_list("pk", "ended_at")), kept)

    def test_what_the_new_plan_lacks_is_kept_apart(self):
        finish_all(self.study)
        self.call("PUT", f"{self.path}/plan/", draft(kind="range", factors=[factor("samples", 16)]))
        gone = self.study.options.get(title="samples 8")
        self.assertEqual((gone.in_plan, gone.runs.count()), (False, 2))
        rows = self.call("GET", f"{self.path}/table/").json()["total"]
        self.assertEqual(self.call("GET", f"{self.path}/table/?old=true").json()["total"], rows + 2)

    def test_a_plan_can_be_copied_archived_removed_and_put_back(self):
        copy = self.call("GET", f"{self.path}/draft/").json()
        self.assertEqual(self.call("POST", "/api/studies/", copy).status_code, 201)
        self.assertEqual(Study.objects.count(), 2)
        self.call("POST", f"{self.path}/archive/", {"on": True})
        overview = self.call("GET", "/api/overview/").json()
        self.assertEqual((len(overview["studies"]), overview["archived"]), (1, 1))
        self.assertEqual(len(self.call("GET", "/api/overview/?archived=true").json()["studies"]), 2)
        queue_study(self.study)
        self.call("POST", f"{self.path}/remove/", {"on": True})
        self.assertEqual(set(self.study.runs.values_list("state", flat=True)), {"stopped"})
        self.assertEqual(len(self.call("GET", "/api/overview/?archived=true").json()["studies"]), 1)
        self.call("POST", f"{self.path}/remove/", {"on": False})
        self.assertEqual(len(self.call("GET", "/api/overview/?archived=true").json()["studies"]), 2)

    def test_any_two_options_make_a_pair_but_not_twins_nor_two_studies(self):
        eight, sixteen = (self.study.options.get(title=f"samples {n}") for n in (8, 16))
        made = self.call("POST", "/api/pairs/", {"control": eight.pk, "trial": sixteen.pk}).json()["pair"]
        pair = Pair.objects.get(pk=made)
        self.assertEqual((pair.under_test, pair.subject), (["samples"], "samples 16"))
        self.assertEqual(
            self.call("POST", "/api/pairs/", {"control": eight.pk, "trial": sixteen.pk}).json()["pair"], made
        )
        self.assertIn("they are twins", self.problem(
            400, "POST", "/api/pairs/", {"control": eight.pk, "trial": eight.pk})["detail"])  # fmt: skip
        other = self.create().options.first()
        self.assertIn("different studies", self.problem(
            400, "POST", "/api/pairs/", {"control": eight.pk, "trial": other.pk})["detail"])  # fmt: skip

    def test_a_pilot_is_one_tiny_render_of_each_and_counts_nowhere(self):
        queued = self.call("POST", f"{self.path}/pilot/").json()
        self.assertEqual(queued, {"runs": 4})
        pilots = Option.objects.filter(study=self.study, purpose="pilot")
        self.assertEqual(pilots.count(), 3)
        body = self.call("GET", f"{self.path}/progress/").json()
        self.assertEqual((body["state"], body["besides_open"], body["lacking"]), ("planned", 4, 6))

    def test_the_pilot_of_a_plan_not_saved_goes_first_and_its_study_is_in_no_list(self):
        plan = {"kind": "range", "factors": [factor("samples", 2, 4, 8)], "width": 960, "height": 540}
        said = self.call("POST", "/api/studies/preview/", draft(**plan)).json()["pilot"]
        self.assertEqual(said, {"renders": 3, "open": 0, "failed": 0, "reason": "", "by_itself": True, "held": ""})
        queue_study(self.study)
        studies = self.call("GET", "/api/overview/").json()["studies"]
        asked = self.call("POST", "/api/studies/preview/pilot/", draft(**plan))
        self.assertEqual((asked.status_code, asked.json()), (200, {"runs": 4}))
        waiting = Run.objects.filter(state="queued").order_by("queued_order")
        self.assertEqual([run.study.of_drafts for run in waiting][:5], [True] * 4 + [False])
        self.assertTrue(waiting[0].warm_up)
        self.assertEqual({run.option.setup.width for run in waiting[:4]}, {80})
        self.assertEqual([row["id"] for row in self.call("GET", "/api/overview/").json()["studies"]],
                         [row["id"] for row in studies])  # fmt: skip
        rows = self.call("GET", "/api/queue/").json()["runs"]
        self.assertEqual([row["listed"] for row in rows][:5], [False] * 4 + [True])
        self.call("POST", "/api/queue/pause/", {"on": True})
        said = self.call("POST", "/api/studies/preview/", draft(**plan)).json()["pilot"]
        self.assertEqual((said["open"], said["held"]), (3, "The queue is paused."))
        self.call("POST", "/api/studies/preview/pilot/", draft(**plan))
        self.assertEqual(Run.objects.filter(option__purpose="pilot").count(), 4, "asked twice, queued once")

    def test_a_pilot_tells_why_it_failed_and_ends_once_the_cost_is_known(self):
        plan = {"kind": "range", "factors": [factor("samples", 2, 4, 8)]}
        self.call("POST", "/api/studies/preview/pilot/", draft(**plan))
        pilots = Run.objects.filter(option__purpose="pilot")
        pilots.update(state="failed", reason="The engine ended with 3.")
        said = self.call("POST", "/api/studies/preview/", draft(**plan)).json()["pilot"]
        self.assertEqual((said["open"], said["failed"], said["reason"]), (0, 3, "The engine ended with 3."))
        pilots.filter(warm_up=False).update(
            state="finished", reason="", wall_seconds=0.5, ready_seconds=0.1, picture_bytes=4000,
            machine_name=describe_machine().name, ended_at=timezone.now(),
        )  # fmt: skip
        body = self.call("POST", "/api/studies/preview/", draft(**plan)).json()
        self.assertEqual((body["pilot"], body["plan"]["cost"]["unknown"]), (None, 0))

    def test_what_is_handed_to_another_machine_is_not_tried_unasked(self):
        text = (self.folder / "good.toml").read_text()
        (self.folder / "good.toml").write_text(text.replace("format = 1", 'format = 2\nhost = "elsewhere"', 1))
        said = self.call("POST", "/api/studies/preview/", draft(kind="range", factors=[factor("samples", 2, 4)]))
        self.assertFalse(said.json()["pilot"]["by_itself"])

    def test_renders_from_elsewhere_have_no_plan(self):
        Study.objects.filter(pk=self.study.pk).update(from_elsewhere=True, draft={})
        self.problem(400, "GET", f"{self.path}/draft/")
        self.problem(400, "PUT", f"{self.path}/plan/", draft())
        self.problem(400, "POST", f"{self.path}/pilot/")


class Proposals(WithEngines, TestCase):
    def setUp(self):
        super().setUp()
        for name in ("alder", "tansy", "sorrel", "sedge"):
            (self.folder / f"{name}.toml").write_text((ROOT / "demo" / "engines" / f"{name}.toml").read_text())
        (self.folder / "good.toml").unlink()
        self.control = {
            "scene": "marble-stall", "view": "counter", "width": 96, "height": 54, "engine": "alder", "settings": {},
        }  # fmt: skip

    def test_every_question_proposes_a_plan_that_can_run_as_it_is(self):
        questions = self.call("GET", "/api/questions/").json()["questions"]
        self.assertEqual(len(questions), 9)
        for question in questions:
            body = self.call("POST", "/api/studies/proposal/", self.control | {"asked": question["name"]}).json()
            self.assertEqual(body["kind"], question["kind"])
            if question["name"] == "own":
                self.assertEqual(body["factors"], [])
                continue
            values = self.control | {key: body[key] for key in ("kind", "match_on", "factors", "passes")}
            plan = self.call("POST", "/api/studies/preview/", draft(**values)).json()
            self.assertEqual(plan["problems"], {}, question["name"])
            self.assertGreater(plan["plan"]["renders"], 4 if question["name"] != "samples" else 2, question["name"])

    def test_engines_are_proposed_once_each_and_as_the_control_is(self):
        tuned = {
            row["name"]: next((dict(each["values"]) for each in row["presets"] if each["name"] == "everyday"), {})
            for row in self.call("GET", "/api/engines/").json()["engines"]
        }
        self.assertTrue(tuned["alder"] and tuned["tansy"])
        for settings, others, own in (({}, {}, tuned["alder"]), (tuned["alder"], tuned, {})):
            asked = self.control | {"asked": "engine", "settings": settings}
            (factor,) = self.call("POST", "/api/studies/proposal/", asked).json()["factors"]
            self.assertEqual(factor["subject"], "engine")
            found = {row["value"]: row["settings"] for row in factor["levels"]}
            self.assertEqual(len(factor["levels"]), 4)
            self.assertEqual(
                found, {name: others.get(name, {}) for name in ("sedge", "sorrel", "tansy")} | {"alder": own}
            )

    def test_levels_to_begin_with_fit_the_setting_and_leave_the_control_out(self):
        def levels(subject, kind="range", **changes):
            asked = self.control | {"subject": subject, "kind": kind} | changes
            return [row["value"] for row in self.call("POST", "/api/studies/levels/", asked).json()["levels"]]

        self.assertEqual(levels("samples", "ladder"), [4, 8, 32, 64])
        self.assertEqual(levels("samples", "on-off"), [32])
        self.assertEqual(levels("denoise"), [True])
        self.assertEqual(levels("light_picking"), ["uniform", "estimate"])
        self.assertEqual(levels("bounces", settings={"bounces": 64}), [8, 22, 36, 50])
        self.assertEqual(levels("bounces"), [1, 2, 4, 16, 32, 64])
        self.assertEqual(levels("size"), ["48x27", "192x108"])
        self.assertEqual(levels("size", "same-time"), ["48x27", "67x38", "134x76"])
        self.assertEqual(levels("samples", "same-time"), [64, 33, 8])
        asked = self.control | {"subject": "smell", "kind": "range"}
        self.assertIn("no such setting", self.problem(400, "POST", "/api/studies/levels/", asked)["detail"])
