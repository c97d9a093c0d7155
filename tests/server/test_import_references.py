"""References among renders made elsewhere: what is called one judges the others."""

from django.test import TestCase

from server.imports.growing import join
from server.imports.models import ImportSet
from server.measuring.models import Measure
from server.processes.measurer import Measurer
from server.references.models import Reference
from server.studies.models import Study
from tests.pictures import noisy, textured, write
from tests.server.test_imports import WithImports


class CalledReferences(WithImports, TestCase):
    def setUp(self):
        super().setUp()
        self.number = self.begin(pattern="{scene}_{view}_{samples}_s{seed}")

    def land(self, name, noise=0.002, seed=90, size=(96, 72)):
        path = write(self.elsewhere / "made.exr", noisy(textured(size), noise, seed))
        answer = self.send(self.number, name, path.read_bytes())
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()["id"]

    def ladder(self, view="top"):
        for samples, noise in ((16, 0.4), (64, 0.2)):
            for seed in (1, 2):
                self.land(f"stall_{view}_{samples}_s{seed}.exr", noise, samples + seed)

    def made(self, **changes):
        detail = self.call("GET", f"/api/imports/{self.number}/").json()
        options = [row["id"] for row in detail["renders"] if row["id"] not in detail["references"]]
        self.call("POST", "/api/imports/fill-in/", {"renders": options, "values": {"engine": "Glint"}})
        asked = {"question": "Enough?", "asked": "samples", "knobs": ["samples"], "grows": True,
                 "renders": options, "references": detail["references"]}  # fmt: skip
        answer = self.call("POST", "/api/imports/study/", asked | changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        return Study.objects.get(pk=answer.json()["study"]), answer.json()["left_out"]

    def join(self):
        join(ImportSet.objects.get().pk)

    def test_it_judges_the_options_and_is_none(self):
        self.ladder()
        reference = self.land("stall_reference.exr")
        detail = self.call("GET", f"/api/imports/{self.number}/").json()
        self.assertEqual((detail["references"], detail["incomplete"]), ([reference], 4))
        study, left_out = self.made()
        self.assertEqual((study.options.count(), left_out), (2, []))
        row = Reference.objects.get()
        self.assertEqual((row.title, row.setup.scene.name, row.setup.view), ("stall_reference.exr", "stall", "top"))
        Measurer().work()
        judged = Measure.objects.filter(option__study=study, name="visible", zone="whole", refused="")
        self.assertEqual(judged.values("option").distinct().count(), 2)

    def test_what_comes_later_is_no_option_either_and_judges_too(self):
        self.ladder()
        self.land("stall_reference.exr")
        study, _ = self.made()
        self.land("stall_ref_longer.exr", 0.001, 91)
        self.join()
        self.join()
        self.assertEqual((study.options.count(), Reference.objects.count()), (2, 2))
        self.assertEqual(Reference.objects.order_by("pk").last().title, "stall_ref_longer.exr")

    def test_each_view_has_its_own_and_what_fits_none_or_several_is_told(self):
        self.ladder("top")
        self.ladder("side")
        self.land("stall_top_4096_s9 ref.exr")
        unplaced, small = "reference.exr", "stall small reference.exr"
        self.land(unplaced)
        self.land(small, size=(64, 48))
        rows = self.call("GET", f"/api/imports/{self.number}/").json()["renders"]
        own = next(row["id"] for row in rows if "4096" in row["name"])
        self.call("POST", "/api/imports/fill-in/", {"renders": [own], "values": {"scene": "stall", "view": "top"}})
        study, left_out = self.made()
        self.assertEqual(study.options.count(), 4)
        self.assertEqual(Reference.objects.get().setup.view, "top")
        self.assertEqual(len(left_out), 2)
        self.assertIn(f"{unplaced}: which place it shows is not known", " ".join(left_out))
        self.assertIn(f"{small}: it shows no place of this study", " ".join(left_out))

    def test_another_scene_s_judges_nothing_and_a_word_for_it_is_no_engine(self):
        self.ladder()
        other = self.land("shelf_top_reference.exr")
        own = self.land("reference_top_1_s1.exr", seed=93)
        self.call("POST", "/api/imports/fill-in/", {"renders": [other], "values": {"scene": "shelf", "view": "top"}})
        self.call("POST", "/api/imports/fill-in/", {"renders": [own], "values": {"engine": "Reference"}})
        _, left_out = self.made()
        self.assertIn("shelf_top_reference.exr: it shows no place of this study", " ".join(left_out))
        row = Reference.objects.get()
        self.assertEqual((row.title, row.details["engine"]), ("reference_top_1_s1.exr", ""))

    def test_two_of_one_place_are_twins_and_a_third_is_told(self):
        self.ladder()
        for number in (1, 2, 3):
            self.land(f"stall_gt{number}.exr", 0.003, 90 + number)
        _, left_out = self.made()
        row = Reference.objects.get()
        self.assertTrue(row.picture and row.twin and row.picture != row.twin)
        self.assertEqual(left_out, ["stall_gt3.exr: a reference has one twin at most"])

    def test_one_for_the_screen_judges_nothing(self):
        self.ladder()
        self.send(self.number, "stall_reference.png", self.png())
        _, left_out = self.made()
        self.assertEqual(Reference.objects.count(), 0)
        self.assertIn("stall_reference.png: a reference must be in linear light", left_out[0])

    def test_frames_are_judged_by_their_own_and_what_judges_none_is_told(self):
        for frame in (1, 2, 3):
            for engine, noise in (("Glint", 0.1), ("reference", 0.002)):
                self.land(f"stall_{engine}_{frame:04d}.exr", noise, frame)
        self.land("stall_reference_0009.exr")
        self.land("stall_reference_0003b.exr", seed=99)
        self.land("stall_reference_0002 small.exr", size=(64, 48))
        detail = self.call("GET", f"/api/imports/{self.number}/").json()
        ids = {row["name"]: row["id"] for row in detail["renders"]}
        frames = [ids[f"stall_Glint_{frame:04d}.exr"] for frame in (1, 2, 3)]
        values = {"engine": "Glint", "scene": "stall", "view": "top"}
        self.call("POST", "/api/imports/fill-in/", {"renders": frames, "values": values})
        judges = [number for name, number in ids.items() if "reference" in name]
        asked = {"question": "Calm?", "control": frames, "reference": judges}
        answer = self.call("POST", "/api/imports/sequence/", asked)
        self.assertEqual(answer.status_code, 201, answer.content)
        kept = {row.setup.frame: row for row in Reference.objects.select_related("setup")}
        self.assertEqual({frame: bool(row.twin) for frame, row in kept.items()}, {1: False, 2: False, 3: True})
        left_out = " ".join(answer.json()["left_out"])
        self.assertIn("stall_reference_0009.exr: there is no frame 9 to be judged", left_out)
        self.assertIn("small.exr: a reference is as large as its frame", left_out)
