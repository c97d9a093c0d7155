"""A layer of files from elsewhere as the pass that a study asks about."""

import numpy as np
from django.test import TestCase

from server.answers.studies import answered_study
from server.imports.growing import join
from server.imports.models import ImportedRender, ImportSet
from server.measuring.measuring import measure_outstanding
from server.studies.models import Option, Study
from tests.pictures import noisy, textured, write, write_layered
from tests.server.test_imports import WithImports

SIZE = (96, 72)
TIMES = {"Glint": 40.0, "Ember": 10.0}


class Passes(WithImports, TestCase):
    def send_render(self, number, engine, seed, *, layered=True):
        """A picture, and beside it an occlusion that is the same in both engines."""
        beauty = noisy(textured(SIZE), 0.2, 10 * seed + (engine == "Ember"))
        if layered:
            grey = np.repeat(textured(SIZE).mean(axis=-1, keepdims=True), 3, axis=-1)
            occlusion = noisy(grey, 0.1, 100 * seed + (engine == "Ember"))
            path = write_layered(self.elsewhere / "made.exr", {"": beauty, "occlusion": occlusion})
        else:
            path = write(self.elsewhere / "made.exr", beauty)
        self.send(number, f"court_main_{engine}_{TIMES[engine]:g}s_{seed}.exr", path.read_bytes())

    def begun(self):
        number = self.begin(pattern="{scene}_{view}_{engine}_{seconds}s_{seed}")
        for engine in TIMES:
            for seed in (1, 2):
                self.send_render(number, engine, seed)
        return number

    def ask(self, number, **changes):
        control = ImportedRender.objects.get(name="court_main_Glint_40s_1.exr").pk
        rows = list(ImportedRender.objects.filter(import_set=number).values_list("pk", flat=True))
        asked = {"question": "Which makes the occlusion?", "asked": "pass", "control": control, "renders": rows,
                 "grows": True, "pass_layer": "occlusion"}  # fmt: skip
        return self.call("POST", "/api/imports/study/", asked | changes)

    def test_its_own_noise_and_its_distance_decide(self):
        number = self.begun()
        answer = self.call("GET", f"/api/imports/{number}/layers/")
        self.assertEqual(answer.json(), {"layers": ["occlusion"]})
        study = Study.objects.get(pk=self.ask(number).json()["study"])
        self.assertEqual(study.passes, ["occlusion"])
        measure_outstanding(Option.objects.filter(study=study))
        told = answered_study(study).answer.sentence
        self.assertRegex(told, r"^Ember.*the same occlusion .* in 0\.2\d × the time at the same grain")

    def test_what_comes_later_joins_with_its_pass_and_one_without_joins_without(self):
        number = self.begun()
        study = self.ask(number).json()["study"]
        self.send_render(number, "Ember", 3)
        self.send_render(number, "Ember", 4, layered=False)
        join(number)
        runs = Study.objects.get(pk=study).runs.filter(option__engine_title="Ember").order_by("seed")
        self.assertEqual([(run.seed, list(run.passes)) for run in runs],
                         [(1, ["occlusion"]), (2, ["occlusion"]), (3, ["occlusion"]), (4, [])])  # fmt: skip

    def test_a_file_without_the_layer_is_told_and_counts_without(self):
        number = self.begun()
        self.send_render(number, "Ember", 3, layered=False)
        left_out = self.ask(number).json()["left_out"]
        self.assertEqual(len(left_out), 1)
        self.assertRegex(left_out[0], r"^court_main_Ember_10s_3\.exr: has no layer 'occlusion'.*without the pass$")

    def test_a_pass_must_be_named_and_be_there(self):
        number = self.begun()
        for layer, reason in (("", "say which layer"), ("depth", "has no layer 'depth'; it has occlusion")):
            answer = self.ask(number, pass_layer=layer)
            self.assertEqual(answer.status_code, 400)
            self.assertIn(reason, answer.json()["detail"])
        self.assertFalse(Study.objects.exists())

    def test_a_set_of_plain_pictures_has_no_layers(self):
        number = self.begin(pattern="{scene}_{view}_{engine}_{seconds}s_{seed}")
        self.assertEqual(self.call("GET", f"/api/imports/{number}/layers/").json(), {"layers": []})
        self.send_render(number, "Glint", 1, layered=False)
        self.assertEqual(self.call("GET", f"/api/imports/{number}/layers/").json(), {"layers": []})
        self.assertEqual(ImportSet.objects.get(pk=number).renders.count(), 1)
