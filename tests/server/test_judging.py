"""Pins, criteria and marks, blind tests, and what is looked at together."""

from random import Random

from server.catalogue.zones import add_zone
from server.measuring.measuring import measure_outstanding
from server.references.actions import from_option
from server.runs.habits import forget
from server.runs.models import Run
from server.store.files import keep
from server.studies.models import Option
from server.verdicts.blind import begin_test
from server.verdicts.models import BlindRound, BlindTest, Pin
from tests.server.base import PreparedTest, factor, finish_all

PIN = {"x": 0.25, "y": 0.75, "note": "A dark rim here.", "author": "Rosa"}
VERDICT = {"chosen": "trial", "reasons": "Cleaner.", "author": "Rosa"}


class Judged(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create()
        finish_all(self.study)
        measure_outstanding(Option.objects.all())
        self.pair = self.study.pairs.get()
        self.path = f"/api/pairs/{self.pair.pk}"

    def read(self):
        return self.call("GET", f"{self.path}/").json()


class Pins(Judged):
    def test_a_pin_is_put_changed_taken_away_and_put_back(self):
        made = self.call("POST", f"{self.path}/pins/", PIN)
        self.assertEqual(made.status_code, 201)
        pk = made.json()["id"]
        self.assertEqual([(pin["x"], pin["note"]) for pin in self.read()["pins"]], [(0.25, PIN["note"])])
        self.call("PATCH", f"/api/pins/{pk}/", {"note": "A bright rim."})
        self.assertEqual(self.read()["pins"][0]["note"], "A bright rim.")
        self.assertEqual(self.call("DELETE", f"/api/pins/{pk}/").status_code, 204)
        self.assertEqual(self.read()["pins"], [])
        self.call("POST", f"/api/pins/{pk}/restore/")
        self.assertEqual(len(self.read()["pins"]), 1)

    def test_a_pin_beside_the_picture_or_without_words_is_refused(self):
        for change, field in (
            ({"x": 1.2}, "x"),
            ({"y": -0.1}, "y"),
            ({"note": " "}, "note"),
            ({"author": ""}, "author"),
        ):
            self.assertEqual(list(self.problem(400, "POST", f"{self.path}/pins/", PIN | change)["fields"]), [field])
        self.assertEqual(Pin.objects.count(), 0)


class Marks(Judged):
    def test_marks_and_what_is_less_than_fair_go_with_the_verdict(self):
        marks = {"Noise": "trial", "Colour": "alike"}
        self.call("POST", f"{self.path}/verdicts/", VERDICT | {"marks": marks, "less_than_fair": "One view only."})
        row = self.read()["verdicts"][0]
        self.assertEqual((row["marks"], row["less_than_fair"], row["older_figures"]), (marks, "One view only.", ""))

    def test_a_studio_keeps_its_own_list(self):
        usual = self.call("GET", "/api/criteria/").json()["criteria"]
        self.assertEqual((usual[0], usual[-1]), ("Noise", "Ease of setting up"))
        kept = self.call("PUT", "/api/criteria/", {"criteria": ["Grain ", "  Skin   tones"]}).json()
        self.assertEqual(kept["criteria"], ["Grain", "Skin tones"])
        self.assertEqual(self.call("GET", "/api/criteria/").json(), kept)
        said = self.problem(400, "POST", f"{self.path}/verdicts/", VERDICT | {"marks": {"Noise": "trial"}})["detail"]
        self.assertEqual(said, "there is no criterion 'Noise'; there are Grain, Skin tones")
        self.problem(400, "POST", f"{self.path}/verdicts/", VERDICT | {"marks": {"Grain": "great"}})

    def test_a_list_that_cannot_be_is_refused_and_the_old_one_stays(self):
        self.call("PUT", "/api/criteria/", {"criteria": ["Grain"]})
        for names, said in (
            ([], "at least one"),
            (["A", " a"], "on the list twice"),
            ([f"C{k}" for k in range(21)], "21"),
        ):
            self.assertIn(said, self.problem(400, "PUT", "/api/criteria/", {"criteria": names})["detail"])
        self.assertEqual(self.call("GET", "/api/criteria/").json()["criteria"], ["Grain"])

    def test_a_verdict_says_when_its_pictures_are_others_by_now(self):
        self.call("POST", f"{self.path}/verdicts/", VERDICT)
        other = Run.objects.get(option=self.pair.control, seed=2, warm_up=False).picture
        Run.objects.filter(option=self.pair.trial, seed=1).update(picture=other)
        self.assertEqual(self.read()["verdicts"][0]["older_figures"], "its pictures are others by now")


class Blind(Judged):
    def begin(self, **changes):
        asked = {"kind": "same", "rounds": 8, "zones": [""], "author": "Rosa"} | changes
        answer = self.call("POST", f"{self.path}/blind/", asked)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def play(self, test, say):
        """Answer every round as `say` does, which sees what the person cannot."""
        while test["round"]:
            row = BlindRound.objects.get(test=test["id"], number=test["round"]["number"])
            body = {"number": row.number, "answer": say(row), "seconds": 2.5}
            test = self.call("POST", f"/api/blind/{test['id']}/answer/", body).json()
        return test

    def test_a_round_tells_nothing_but_two_pictures_and_a_place(self):
        add_zone("marble-stall", "counter", {
            "name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.75, 1.0]],
        })  # fmt: skip
        test = self.begin(zones=["Shelf"])
        self.assertEqual(sorted(test["round"]), ["box", "left", "number", "right", "zone"])
        self.assertEqual(test["round"]["box"], [24, 18, 12, 18])
        self.assertIsNone(test["result"])
        self.assertNotIn("control", str(test["round"]))

    def test_seeing_all_differences_is_told_and_guessing_is_not(self):
        seen = self.play(self.begin(), lambda row: "different" if row.left_side != row.right_side else "same")
        self.assertEqual(seen["result"]["count"], 8)
        self.assertTrue(seen["result"]["told"])
        self.play(self.begin(author="Ben"), lambda row: "same")
        blind = self.call("GET", f"{self.path}/blind/").json()
        (row,) = blind["results"]
        self.assertEqual((row["together"]["count"], row["together"]["rounds"]), (12, 16))
        people = {each["author"]: each["result"]["count"] for each in row["people"]}
        self.assertEqual(people, {"Ben": 4, "Rosa": 8})

    def test_preferring_the_trial_wherever_it_stands(self):
        test = self.begin(kind="better")
        done = self.play(test, lambda row: "left" if row.left_side == "trial" else "right")
        self.assertEqual((done["result"]["count"], done["result"]["told"]), (8, True))
        self.assertEqual(set(BlindRound.objects.values_list("seconds", flat=True)), {2.5})

    def test_only_the_round_that_waits_can_be_answered_and_only_in_its_own_words(self):
        test = self.begin()
        path = f"/api/blind/{test['id']}/answer/"
        self.assertIn("round 1 does", self.problem(400, "POST", path, {"number": 2, "answer": "same"})["detail"])
        self.assertIn("same, different", self.problem(400, "POST", path, {"number": 1, "answer": "left"})["detail"])
        self.call("POST", path, {"number": 1, "answer": "same"})
        self.problem(400, "POST", path, {"number": 1, "answer": "different"})
        self.assertEqual(BlindRound.objects.get(test=test["id"], number=1).answer, "same")

    def test_a_test_can_be_gone_on_with_or_ended_and_what_is_answered_counts(self):
        test = self.begin()
        self.call("POST", f"/api/blind/{test['id']}/answer/", {"number": 1, "answer": "same"})
        (waiting,) = self.call("GET", f"{self.path}/blind/").json()["open"]
        self.assertEqual((waiting["answered"], waiting["rounds"]), (1, 8))
        self.assertEqual(self.call("GET", f"/api/blind/{test['id']}/").json()["round"]["number"], 2)
        ended = self.call("POST", f"/api/blind/{test['id']}/end/").json()
        self.assertEqual((ended["round"], ended["result"]["rounds"]), (None, 1))
        said = self.problem(400, "POST", f"/api/blind/{test['id']}/answer/", {"number": 2, "answer": "same"})["detail"]
        self.assertEqual(said, "this blind test is over")

    def test_what_would_give_the_sides_away_or_cannot_be_is_refused(self):
        said = self.problem(400, "POST", f"{self.path}/blind/", {"kind": "same", "rounds": 2, "author": "Rosa"})
        self.assertIn("rounds", said["fields"])
        study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        finish_all(study)
        path = f"/api/pairs/{study.pairs.get().pk}/blind/"
        asked = {"kind": "same", "rounds": 8, "author": "Rosa"}
        self.assertIn("differ in size", self.problem(400, "POST", path, asked)["detail"])
        Run.objects.filter(option=self.pair.trial).update(picture="")
        self.assertIn("finished render", self.problem(400, "POST", f"{self.path}/blind/", asked)["detail"])
        self.assertEqual(BlindTest.objects.count(), 0)

    def test_same_luck_same_rounds(self):
        def made():
            test = begin_test(self.pair, kind="same", rounds=12, zones=[""], author="Rosa", dice=Random(5))
            return list(test.rounds.values_list("left_picture", "right_picture"))

        self.assertEqual(made(), made())


class Together(PreparedTest):
    def prepare(self):
        super().prepare()
        self.study = self.create(kind="range", factors=[factor("samples", 8, 16)])
        finish_all(self.study)
        measure_outstanding(Option.objects.all())

    def sheet(self, **asked):
        return self.call(
            "GET", f"/api/studies/{self.study.pk}/contact-sheet/?" + "&".join(f"{k}={v}" for k, v in asked.items())
        )

    def test_the_sheet_has_each_level_with_its_time_and_noise(self):
        sheet = self.sheet().json()
        self.assertEqual((sheet["rows"]["name"], sheet["columns"]["name"]), ("samples", "zone"))
        self.assertEqual(sheet["rows"]["values"], ["4", "8", "16"])
        cell = sheet["cells"][0][0]
        self.assertEqual((cell["state"], cell["seconds"], cell["noise_method"]), ("there", 10.0, "twin"))
        self.assertAlmostEqual(cell["noise_percent"], 10.0, delta=1.5)
        self.assertEqual(sheet["references"], [])

    def test_a_reference_comes_first_where_a_row_has_one(self):
        from_option(self.study.options.get(side="control"), "Long render")
        sheet = self.sheet().json()
        self.assertEqual([row["title"] for row in sheet["references"]], ["Long render"] * 3)
        add_zone("marble-stall", "counter", {
            "name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.75, 1.0]],
        })  # fmt: skip
        zoned = self.sheet().json()
        self.assertEqual(zoned["references"], [])
        self.assertEqual([row["zone"] for row in zoned["references_above"]], ["whole", "Shelf"])

    def test_cells_of_a_zone_are_cut_out_of_each_picture(self):
        add_zone("marble-stall", "counter", {
            "name": "Shelf", "kind": "measure", "shape": "rectangle", "points": [[0.5, 0.5], [0.75, 1.0]],
        })  # fmt: skip
        sheet = self.sheet(rows="option", columns="samples", zone="Shelf").json()
        there = [cell for row in sheet["cells"] for cell in row if cell["option"]]
        self.assertEqual({tuple(cell["box"]) for cell in there}, {(24, 18, 12, 18)})
        self.assertEqual(len(there), 3, "an option has one level only")

    def test_other_seeds_and_what_is_still_to_come(self):
        other = self.sheet(seed=2).json()
        self.assertEqual({cell["seed"] for row in other["cells"] for cell in row}, {2})
        Run.objects.filter(option=self.study.options.last()).update(state="queued", picture="")
        last = self.sheet().json()["cells"][-1][0]
        self.assertEqual((last["state"], last["picture"]), ("to come", ""))

    def test_axes_that_there_are_not_are_said(self):
        answer = self.problem(400, "GET", f"/api/studies/{self.study.pk}/contact-sheet/?rows=colour")
        self.assertIn("no axis 'colour'", answer["detail"])

    def test_beside_a_pair_stand_other_options_of_its_place_and_references(self):
        first, second = self.study.pairs.all()
        from_option(second.trial, "Long render")
        rows = self.call("GET", f"/api/pairs/{first.pk}/beside/").json()
        self.assertEqual([row["title"] for row in rows], [second.trial.title, "Reference: Long render"])
        self.assertEqual(sorted(rows[0]["pictures"]), ["1", "2"])
        self.assertEqual(rows[0]["seconds"], 10.0)

    def test_what_shows_another_place_does_not_stand_beside(self):
        study = self.create(kind="range", factors=[factor("view", "shelf", "counter")])
        finish_all(study)
        keep(b"x", ".exr")
        pair = study.pairs.first()
        titles = [row["title"] for row in self.call("GET", f"/api/pairs/{pair.pk}/beside/").json()]
        self.assertEqual(titles, [])


class Mending(PreparedTest):
    """The missing partner, at one click."""

    def prepare(self):
        super().prepare()
        self.study = self.create(kind="same-time", factors=[factor("size", "96x72"), factor("samples", 1)])
        finish_all(self.study)
        self.pair = self.study.pairs.get()

    def narrowed(self, *under_test):
        """Only this is under test from now on, so that the rest differs unasked."""
        type(self.pair).objects.filter(pk=self.pair.pk).update(under_test=list(under_test))
        return f"/api/pairs/{self.pair.pk}"

    def mend(self, path, condition):
        answer = self.call("POST", f"{path}/mend/", {"condition": condition})
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def rows(self, path):
        return {row["key"]: row for row in self.call("GET", f"{path}/").json()["match_sheet"]["conditions"]}

    def test_the_control_is_rendered_at_the_trial_s_size_and_makes_a_matched_pair(self):
        path = self.narrowed("samples")
        row = self.rows(path)["size"]
        self.assertEqual((row["state"], row["remedy"]), ("differs", "Render the control at the trial's size"))
        self.assertEqual(row["remains"], "time per pixel, and the look from a distance")
        made = self.mend(path, "size")
        self.assertEqual(made["runs"], 2)
        finish_all(self.study)
        sheet = self.call("GET", f"/api/pairs/{made['pair']}/").json()
        self.assertTrue(sheet["match_sheet"]["fair"])
        self.assertEqual(sheet["match_sheet"]["summary"], "Matched but for samples.")
        partner = Option.objects.get(pk=sheet["control_option"])
        self.assertEqual((partner.setup.width, partner.settings), (96, self.pair.control.settings))
        self.assertEqual(partner.title, "as the control, size 96 × 72")
        self.assertEqual(self.mend(path, "size"), {"pair": made["pair"], "runs": 0}, "asked again, it is there already")

    def test_more_work_on_one_side_is_given_to_the_other(self):
        path = self.narrowed("size")
        made = self.mend(path, "quality")
        sheet = self.call("GET", f"/api/pairs/{made['pair']}/").json()["match_sheet"]
        self.assertTrue(sheet["fair"])

    def test_a_busy_machine_has_both_rendered_again(self):
        finish_all(self.create())  # more runs of the engine, so that its share of a quiet machine is known
        Run.objects.filter(option=self.pair.trial, warm_up=False).update(wall_seconds=30.0)
        forget()
        path = f"/api/pairs/{self.pair.pk}"
        self.assertEqual(self.rows(path)["load"]["state"], "differs")
        self.assertEqual(self.mend(path, "load"), {"pair": self.pair.pk, "runs": 4})
        self.assertEqual(self.study.runs.filter(state="queued").count(), 4)

    def test_what_no_render_mends_is_refused_in_words(self):
        path = f"/api/pairs/{self.pair.pk}/mend/"
        for condition, said in (
            ("exposure", "Exposure: no render"),
            ("size", "Size: no render"),
            ("x", "x: no render"),
        ):
            self.assertIn(said, self.problem(400, "POST", path, {"condition": condition})["detail"])
        self.assertEqual(self.study.options.count(), 2)

    def test_a_scene_that_was_changed_since_cannot_be_rendered_like_before(self):
        path = self.narrowed("samples")
        scene = self.pair.control.setup.scene
        type(scene).objects.filter(pk=scene.pk).update(revision="0" * 64)
        self.assertIn("was changed since", self.problem(400, "POST", f"{path}/mend/", {"condition": "size"})["detail"])
