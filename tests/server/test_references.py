"""References and light panoramas."""

import json
import os
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
import OpenImageIO as oiio
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from matchedpair.pictures import read_picture

from server.references.models import Panorama, Reference
from server.store import uploads
from server.store.files import keep, path_of
from server.store.pixels import srgb
from tests.core.test_panorama import sky
from tests.core.test_photograph import scene
from tests.pictures import textured, write
from tests.server.base import SIZE, WithEngines, finish_all

PLAIN = "sRGB - Display / Un-tone-mapped"


def file(name, values, kind):
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(values.shape[1], values.shape[0], 3, kind))
        output.write_image(np.ascontiguousarray(values))
        output.close()
        return path.read_bytes()


class References(WithEngines, TestCase):
    def post(self, path, name, contents, twin=None, **values):
        self.call("GET", "/api/session/")
        form = {"file": SimpleUploadedFile(name, contents), **values}
        if twin:
            form["twin"] = SimpleUploadedFile("twin.exr", twin)
        return self.client.post(path, form, headers={"X-CSRFToken": self.token})

    def add(self, name, contents, status=201, **values):
        given = {"kind": "photograph", "scene": "marble-stall", "view": "counter"} | values
        answer = self.post("/api/references/", name, contents, **given)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def coded(self, light):
        return np.round(255 * srgb(light)).astype(np.uint8)

    def test_a_side_with_twins_becomes_a_reference_with_its_twin(self):
        study = self.create()
        self.assertIn("no finished render", self.problem(
            400, "POST", "/api/references/from-option/", {"option": study.options.first().pk})["detail"])  # fmt: skip
        finish_all(study)
        row = self.call("POST", "/api/references/from-option/", {"option": study.options.last().pk}).json()
        runs = study.runs.filter(option=study.options.last(), warm_up=False).order_by("seed")
        self.assertEqual([row["picture"], row["twin"]], [run.picture for run in runs])
        self.assertEqual((row["kind"], row["details"]["settings"]["samples"]), ("render", 16))
        listed = self.call("GET", "/api/references/?scene=marble-stall").json()
        self.assertEqual([each["id"] for each in listed], [row["id"]])
        self.assertEqual(self.call("GET", "/api/references/?scene=mist-lane").json(), [])

    def test_an_upload_is_worked_on_where_what_a_killed_server_leaves_is_swept(self):
        left = settings.HOME / "uploads" / "left"
        worked_in = []
        real = uploads.take

        def taking(path, *given):
            worked_in.append(path.parent)
            return real(path, *given)

        left.mkdir(parents=True, exist_ok=True)
        os.utime(left, (0, 0))
        with mock.patch("server.store.uploads.take", taking):
            self.add("p.png", file("p.png", self.coded(scene()), "uint8"), transform=PLAIN)
        self.assertEqual({folder.parent.parent for folder in worked_in}, {left.parent.parent})
        self.assertEqual(list(left.parent.iterdir()), [left])
        uploads.sweep()
        self.assertEqual(list(left.parent.iterdir()), [])

    def test_a_photograph_keeps_how_it_was_taken_and_is_laid_over_a_render(self):
        study = self.create(width=192, height=128)
        finish_all(study)
        with tempfile.TemporaryDirectory() as folder:
            digest = keep(write(Path(folder) / "r.exr", scene()).read_bytes(), ".exr")
        study.runs.update(picture=digest, state="finished")
        dark = np.roll(0.5 * scene(), 2, axis=1)
        how = {
            "exposure": "1/30 s, f/8",
            "lens": "35 mm",
            "field_of_view_degrees": 40,
            "capture_seconds": 2.5,
            "mood": "x",
        }
        row = self.add("p.png", file("p.png", self.coded(dark), "uint8"), transform=PLAIN, details=json.dumps(how))
        self.assertEqual(row["details"], {key: value for key, value in how.items() if key != "mood"})
        matched = self.call("POST", f"/api/references/{row['id']}/match/").json()
        report = matched["match"]
        self.assertAlmostEqual(report["stops"], 1.0, delta=0.1)
        self.assertAlmostEqual(report["shift_pixels"][0], -2.0, delta=0.3)
        self.assertEqual((report["width"], report["height"]), (192, 128))
        self.assertGreater(report["alike_after"], 0.9)
        self.assertTrue(path_of(matched["matched_picture"], ".exr").is_file())

    def test_without_a_render_of_its_view_there_is_nothing_to_lay_it_over(self):
        row = self.add("p.png", file("p.png", self.coded(textured(SIZE)), "uint8"))
        self.assertEqual(row["encoding"], "display")
        detail = self.problem(400, "POST", f"/api/references/{row['id']}/match/")["detail"]
        self.assertIn("no finished render of this view and variant yet", detail)

    def test_an_analytic_picture_must_be_linear_and_fits_as_it_is(self):
        exr = file("a.exr", textured(SIZE), "float")
        row = self.add("a.exr", exr, kind="analytic", details=json.dumps({"notes": "closed form"}))
        self.assertEqual((row["width"], row["height"], row["details"]["notes"]), (*SIZE, "closed form"))
        np.testing.assert_array_equal(read_picture(path_of(row["picture"], ".exr")).pixels, textured(SIZE))
        self.assertIn("only a photograph is laid over", self.problem(
            400, "POST", f"/api/references/{row['id']}/match/")["detail"])  # fmt: skip
        said = self.add("a.png", file("a.png", self.coded(textured(SIZE)), "uint8"), 400, kind="analytic")
        self.assertIn("is display-encoded; only a photograph may be", said["detail"])

    def test_a_long_render_from_a_file_has_its_twin(self):
        one, two = (file("r.exr", textured(SIZE) + np.float32(step), "half") for step in (0.0, 0.01))
        self.assertTrue(self.add("r.exr", one, kind="render", twin=two)["twin"])
        other = file("r.exr", textured((20, 20)), "half")
        self.assertIn("another size", self.add("r.exr", one, 400, kind="render", twin=other)["detail"])

    def test_bad_references_are_problems_and_nothing_is_kept(self):
        good = file("p.exr", textured(SIZE), "half")
        for contents, values, words in (
            (b"x", {}, "cannot be read"), (good, {"scene": "nowhere"}, "there is no scene"),
            (good, {"view": "roof"}, "has no view 'roof'"), (good, {"details": "{"}, "expected JSON"),
            (good, {"details": "[1]"}, "expected an object"), (good, {"variant": "snow"}, "has no variant"),
        ):  # fmt: skip
            self.assertIn(words, self.add("p.exr", contents, 400, **values)["detail"])
        self.add("p.exr", good, 400, kind="painting")
        self.assertEqual(Reference.objects.count(), 0)

    def test_a_removed_reference_can_be_put_back(self):
        at = f"/api/references/{self.add('p.exr', file('p.exr', textured(SIZE), 'half'))['id']}/"
        self.assertEqual(self.call("DELETE", at).status_code, 204)
        self.assertEqual(self.call("GET", "/api/references/").json(), [])
        self.assertEqual(self.call("POST", f"{at}restore/").status_code, 200)
        self.assertEqual(len(self.call("GET", "/api/references/").json()), 1)

    def test_panoramas_are_measured_and_others_refused(self):
        row = self.post("/api/panoramas/", "sky.exr", file("sky.exr", sky(90), "float"), title="Dusk").json()
        self.assertEqual(row["title"], "Dusk")
        self.assertAlmostEqual(row["figures"]["azimuth_degrees"], 40.0, delta=0.6)
        square = self.post("/api/panoramas/", "s.exr", file("s.exr", sky(90)[:, :90], "float"))
        self.assertEqual(square.status_code, 400)
        self.assertIn("twice as wide as high; this picture has 90 × 90", square.json()["detail"])
        self.assertEqual(Panorama.objects.count(), 1)
        at = f"/api/panoramas/{row['id']}/"
        self.assertEqual(self.call("DELETE", at).status_code, 204)
        self.assertEqual(self.call("POST", f"{at}restore/").json()["id"], row["id"])
