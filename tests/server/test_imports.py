"""Renders from elsewhere: by browser, by folder; what is asked; what is refused; pairs of them."""

import json
import os
import shutil
import tempfile
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings

from server.imports.models import ImportedRender, ImportSet
from server.measuring.measuring import measure_outstanding
from server.motion.measuring import measure_sequences
from server.runs.models import Run
from server.store.pixels import stored_picture
from server.store.uploads import sweep
from server.studies.models import Option, Study
from tests.inner_loop import long
from tests.pictures import hollow_png, noisy, textured, write, write_layered
from tests.server.base import WithEngines

PLAIN = "sRGB - Display / Un-tone-mapped"


class WithImports(WithEngines):
    def setUp(self):
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.elsewhere = Path(folder.name).resolve()

    def begin(self, **changes):
        answer = self.call("POST", "/api/imports/", {"title": "Farm", "source": "browser"} | changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()["id"]

    def exr(self, seed=1, noise=0.2):
        return write(self.elsewhere / "made.exr", noisy(textured((64, 48)), noise, seed)).read_bytes()

    def png(self):
        path = self.elsewhere / "made.png"
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(64, 48, 3, "uint8"))
        output.write_image(np.clip(np.round(255 * textured((64, 48)) ** (1 / 2.4)), 0, 255).astype(np.uint8))
        output.close()
        return path.read_bytes()

    def send(self, number, name, contents, where="files"):
        self.call("GET", "/api/session/")
        upload = SimpleUploadedFile(name, contents)
        path = f"/api/imports/{number}/{where}/"
        return self.client.post(path, {"file": upload}, headers={"X-CSRFToken": self.token})

    def four(self, pattern="{scene}_{view}_{engine}_{samples}spp_s{seed}"):
        number = self.begin(pattern=pattern)
        for samples, noise in ((16, 0.4), (64, 0.2)):
            for seed in (1, 2):
                name = f"stall_top_Glint_{samples}spp_s{seed}.exr"
                answer = self.send(number, name, self.exr(seed + samples, noise))
                self.assertEqual(answer.status_code, 201, answer.content)
        return number

    def rows(self, number):
        return self.call("GET", f"/api/imports/{number}/").json()["renders"]


class Elsewhere(WithImports, TestCase):
    def test_names_headers_and_tables_fill_in_and_the_table_wins(self):
        number = self.four()
        row = self.rows(number)[0]
        self.assertEqual(
            (row["fields_known"]["scene"], row["fields_known"]["seed"], row["settings"]), ("stall", 1, {"samples": 16})
        )
        self.assertEqual(row["sources"]["seed"], "file name")
        table = b"file,engine,seconds\nstall_top_Glint_16spp_s1.exr,Other,12.5\n"
        answer = self.send(number, "times.csv", table, "table")
        self.assertEqual(answer.status_code, 200, answer.content)
        row = self.rows(number)[0]
        self.assertEqual((row["fields_known"]["engine"], row["fields_known"]["seconds"]), ("Other", 12.5))

    def test_what_is_missing_is_asked_and_filled_in_for_many_at_once(self):
        number = self.begin()
        for seed in (1, 2):
            self.send(number, f"a{seed}.exr", self.exr(seed))
        rows = self.rows(number)
        self.assertEqual(rows[0]["missing"], ["engine", "scene", "view"])
        ids = [row["id"] for row in rows]
        values = {"engine": "Glint", "scene": "stall", "view": "top"}
        answer = self.call(
            "POST", "/api/imports/fill-in/", {"renders": ids, "values": values, "settings": {"mode": "fast"}}
        )
        self.assertEqual([row["missing"] for row in answer.json()], [[], []])
        self.assertEqual(answer.json()[0]["settings"], {"mode": "fast"})
        cleared = self.call("POST", "/api/imports/fill-in/", {"renders": ids[:1], "values": {"engine": ""}}).json()
        self.assertEqual(cleared[0]["missing"], ["engine"])
        self.assertIn("is no field", self.problem(
            400, "POST", "/api/imports/fill-in/", {"renders": ids, "values": {"mood": "x"}})["detail"])  # fmt: skip
        self.assertIn("whole number", self.problem(
            400, "POST", "/api/imports/fill-in/", {"renders": ids, "values": {"seed": "1.5"}})["detail"])  # fmt: skip

    def test_another_pattern_is_read_again_over_what_came_in(self):
        number = self.begin()
        self.send(number, "stall_top_7.exr", self.exr())
        self.call("PATCH", f"/api/imports/{number}/", {"pattern": "{scene}_{view}_{seed}"})
        self.assertEqual(self.rows(number)[0]["fields_known"], {"scene": "stall", "view": "top", "seed": 7})
        self.problem(400, "PATCH", f"/api/imports/{number}/", {"pattern": "{seed}{seed}"})
        self.assertEqual(self.rows(number)[0]["fields_known"]["seed"], 7)

    def test_the_pattern_preview_says_what_each_name_gives(self):
        body = {"pattern": "{view}_s{seed}", "names": ["top_s3.exr", "odd.exr", "../../x_s1.exr"]}
        rows = self.call("POST", "/api/imports/pattern/", body).json()["rows"]
        self.assertEqual([row["follows"] for row in rows], [True, False, True])
        self.assertEqual(rows[0]["fields_known"], {"view": "top", "seed": 3})
        self.assertEqual(rows[2]["name"], "x_s1.exr")
        self.assertIn(
            "no place", self.call("POST", "/api/imports/pattern/", {"pattern": "x", "names": []}).json()["problem"]
        )

    def test_a_pattern_is_proposed_with_the_engines_that_are_known_here(self):
        names = [f"{engine}_hall_top_{seed}.exr" for engine in ("flat", "glint") for seed in (1, 2)]
        body = self.call("POST", "/api/imports/pattern/", {"pattern": "", "names": names}).json()
        self.assertEqual((body["proposed"], body["rows"]), ("{engine}_{scene}_{view}_{seed}", []))
        self.assertTrue(body["problem"])
        table = {"pattern": "{seed}", "names": ["7.exr", "eight.exr"]}
        self.assertEqual(self.call("POST", "/api/imports/pattern/", table).json()["proposed"], "")

    def test_of_files_with_layers_the_picture_is_chosen_and_can_be_changed(self):
        number = self.begin(pattern="{scene}_{view}_{engine}_{samples}spp_s{seed}")
        for samples, seed in ((16, 1), (16, 2), (64, 1), (64, 2)):
            light = noisy(textured((48, 36)), 0.1, samples + seed)
            made = write_layered(self.elsewhere / "made.exr", {"key": light, "rim": 2 * light})
            self.send(number, f"stall_top_Glint_{samples}spp_s{seed}.exr", made.read_bytes())
        shown = self.call("GET", f"/api/imports/{number}/").json()
        self.assertEqual((shown["layers"], shown["layer"], shown["taken"]), (["key", "rim"], "", 0))
        self.assertIn("say which layer is the picture: key, rim", shown["renders"][0]["problem"])
        self.assertEqual(self.call("PATCH", f"/api/imports/{number}/", {"layer": "rim"}).json()["taken"], 4)
        row = ImportedRender.objects.get(name="stall_top_Glint_64spp_s2.exr")
        np.testing.assert_allclose(stored_picture(row.picture).pixels, 2 * light, rtol=2e-3)
        renders = {row["name"]: row["id"] for row in shown["renders"]}
        control, trial = ([pk for name, pk in renders.items() if f"_{samples}spp" in name] for samples in (16, 64))
        made = self.call("POST", "/api/imports/pair/", {"question": "More?", "control": control, "trial": trial}).json()
        conditions = self.call("GET", f"/api/pairs/{made['pair']}/").json()["match_sheet"]["conditions"]
        self.assertIn("EXR, half float, piz", json.dumps(conditions))
        self.call("PATCH", f"/api/imports/{number}/", {"layer": "fill"})
        problems = set(ImportedRender.objects.values_list("problem", flat=True))
        self.assertEqual({problem.rpartition("has")[2] for problem in problems}, {" no layer 'fill' in colour."})

    def test_bad_files_are_rows_with_reasons_and_the_good_ones_stay(self):
        number = self.begin()
        whole = self.exr()
        bad = {
            "cut.exr": (whole[: len(whole) // 2], "cannot be read"), "text.png": (b"hello", "cannot be read"),
            "notes.txt": (b"hello", "is no picture; expected a name that ends in .exr"),
            "empty.exr": (b"", "cannot be read"),
        }  # fmt: skip
        self.send(number, "good.exr", whole)
        for name, (contents, _) in bad.items():
            self.assertEqual(self.send(number, name, contents).status_code, 201, name)
        rows = {row["name"]: row for row in self.rows(number)}
        self.assertEqual(rows["good.exr"]["problem"], "")
        for name, (_, words) in bad.items():
            self.assertIn(words, rows[name]["problem"])
            self.assertEqual(rows[name]["picture"], "")
        self.assertEqual(list((Path(settings.HOME) / "uploads").iterdir()), [])

    def test_a_picture_with_too_many_pixels_is_refused_before_it_is_decoded(self):
        number = self.begin()
        huge = hollow_png(self.elsewhere / "huge.png", 16385, 16400, 1)
        row = self.send(number, "huge.png", huge.read_bytes()).json()
        self.assertIn("has 16385×16400 pixels", row["problem"])

    def test_hostile_names_are_only_text(self):
        number = self.begin()
        self.send(number, "..\\..\\evil\x1b[2J.exr", self.exr())
        self.assertEqual(self.rows(number)[0]["name"], "evil[2J.exr")
        self.assertFalse((Path(settings.HOME).parent / "evil[2J.exr").exists())

    def test_display_values_can_be_looked_at_but_not_measured_until_stated(self):
        number = self.begin(pattern="{view}_s{seed}")
        for seed in (1, 2):
            self.send(number, f"png_s{seed}.png", self.png())
            self.send(number, f"exr_s{seed}.exr", self.exr(seed))
        rows = self.rows(number)
        known = {"engine": "Glint", "scene": "stall", "view": "top"}
        self.call("POST", "/api/imports/fill-in/", {"renders": [row["id"] for row in rows], "values": known})
        sides = {kind: [row["id"] for row in rows if row["name"].startswith(kind)] for kind in ("exr", "png")}
        self.call("POST", "/api/imports/fill-in/", {"renders": sides["png"], "values": {"version": "2"}})
        body = {"question": "Png?", "control": sides["exr"], "trial": sides["png"]}
        made = self.call("POST", "/api/imports/pair/", body)
        self.assertEqual(made.status_code, 201, made.content)
        measure_outstanding(Option.objects.all())
        pair = self.call("GET", f"/api/pairs/{made.json()['pair']}/").json()
        self.assertIn("display-encoded; state their view transform", pair["trial"]["noise"]["refused"])
        self.assertEqual(self.client.get(f"/api/pictures/{rows[-1]['picture']}/pyramid/").status_code, 200)
        stated = self.call("POST", "/api/imports/fill-in/", {"renders": sides["png"], "transform": PLAIN}).json()
        self.assertEqual([(row["encoding"], row["transform"]) for row in stated], [("linear", PLAIN)] * 2)

    def test_a_pair_of_them_is_measured_like_any_other(self):
        rows = self.rows(self.four())
        control = [row["id"] for row in rows if row["settings"]["samples"] == 16]
        trial = [row["id"] for row in rows if row["settings"]["samples"] == 64]
        made = self.call("POST", "/api/imports/pair/", {"question": "More?", "control": control, "trial": trial}).json()
        measure_outstanding(Option.objects.all())
        pair = self.call("GET", f"/api/pairs/{made['pair']}/").json()
        self.assertAlmostEqual(pair["noise_ratio"]["value"], 0.5, delta=0.08)
        self.assertTrue(pair["sentence"].startswith("Samples 64: "), pair["sentence"])
        states = {row["key"]: row["state"] for row in pair["match_sheet"]["conditions"]}
        self.assertEqual((states["scene"], states["machine"], states["seeds"]), ("held", "unknown", "held"))
        self.assertIsNone(pair["time_ratio"])
        self.assertIn("made elsewhere", self.problem(400, "POST", f"/api/studies/{made['study']}/start/")["detail"])

    def test_what_is_no_pair_is_refused_with_the_reason_and_nothing_is_written(self):
        number = self.four()
        rows = self.rows(number)
        low, high = rows[0], rows[2]
        unknown = self.send(self.begin(), "x.exr", self.exr(9)).json()
        broken = self.send(number, "x.png", b"no").json()
        cases = [
            ([low["id"]], [], "the trial has no render"),
            ([low["id"]], [unknown["id"]], "engine, scene, view not known"),
            ([low["id"]], [broken["id"]], "cannot be read"),
            ([low["id"], high["id"]], [high["id"]], "differ in their settings: they are no twins"),
        ]
        for control, trial, words in cases:
            body = {"question": "q", "control": control, "trial": trial}
            self.assertIn(words, self.problem(400, "POST", "/api/imports/pair/", body)["detail"])
        self.assertEqual((Study.objects.count(), Run.objects.count()), (0, 0))

    def test_the_same_name_again_replaces_and_keeps_what_was_said_by_hand(self):
        number = self.begin()
        first = self.send(number, "a.exr", b"broken").json()
        self.call("POST", "/api/imports/fill-in/", {"renders": [first["id"]], "values": {"engine": "Glint"}})
        self.send(number, "a.exr", self.exr())
        (row,) = self.rows(number)
        self.assertEqual((row["problem"], row["fields_known"]["engine"]), ("", "Glint"))

    def test_a_removed_set_can_be_put_back(self):
        number = self.four()
        self.assertEqual(self.call("DELETE", f"/api/imports/{number}/").status_code, 204)
        self.assertEqual(self.call("GET", "/api/imports/").json(), [])
        self.call("POST", f"/api/imports/{number}/restore/")
        self.assertEqual(self.call("GET", "/api/imports/").json()[0]["taken"], 4)

    def test_what_a_killed_server_left_of_an_upload_is_swept_away(self):
        uploads = Path(settings.HOME) / "uploads"
        for name, age in (("old", 7200), ("new", 0)):
            (uploads / name).mkdir(parents=True)
            os.utime(uploads / name, (time.time() - age,) * 2)
        sweep()
        self.assertEqual([path.name for path in uploads.iterdir()], ["new"])
        shutil.rmtree(uploads)

    def test_a_form_without_a_file_is_said(self):
        number = self.begin()
        self.call("GET", "/api/session/")
        answer = self.client.post(f"/api/imports/{number}/files/", {"x": "y"}, headers={"X-CSRFToken": self.token})
        self.assertEqual((answer.status_code, "must carry a file" in answer.json()["detail"]), (400, True))

    @long
    def test_five_hundred_files_of_which_three_are_bad(self):
        for seed in range(497):
            shutil.copyfile(write(self.elsewhere / "one.exr", textured((8, 8))), self.elsewhere / f"f_s{seed}.exr")
        (self.elsewhere / "one.exr").unlink()
        for name, contents in (("bad1.exr", b"x"), ("bad2.png", b""), ("bad3.tif", b"II*\x00")):
            (self.elsewhere / name).write_bytes(contents)
        with override_settings(IMPORT_ROOT=self.elsewhere):
            listed = self.call("POST", "/api/imports/folder/", {"folder": ""}).json()
            self.assertEqual(len(listed["names"]), 500)
            number = self.begin(source="folder", pattern="f_s{seed}")
            for at in range(0, 500, 50):
                body = {"folder": "", "names": listed["names"][at : at + 50]}
                answer = self.call("POST", f"/api/imports/{number}/from-folder/", body)
                self.assertEqual(answer.status_code, 201, answer.content)
        row = self.call("GET", "/api/imports/").json()[0]
        self.assertEqual((row["taken"], row["refused"]), (497, 3))
        bad = ImportedRender.objects.exclude(problem="").values_list("name", "problem")
        self.assertEqual({name for name, _ in bad}, {"bad1.exr", "bad2.png", "bad3.tif"})
        self.assertTrue(all(reason for _, reason in bad))

    def test_a_table_in_the_folder_is_read_beside_its_pictures(self):
        for name in ("a", "b"):
            write(self.elsewhere / f"{name}.exr", noisy(textured((64, 48)), 0.1, ord(name)))
        (self.elsewhere / "jobs.csv").write_text("File Name,AA,Seed\na.exr,16,1\nb.exr,16,2\n")
        (self.elsewhere / "more.json").write_text("[]")
        outside = self.enterContext(tempfile.NamedTemporaryFile(suffix=".csv"))
        (self.elsewhere / "out.csv").symlink_to(outside.name)
        with self.settings(IMPORT_ROOT=self.elsewhere):
            listed = self.call("POST", "/api/imports/folder/", {"folder": ""}).json()
            self.assertEqual(listed["tables"], ["jobs.csv", "out.csv", "more.json"])
            number = self.begin(source="folder", pattern="")
            body = {"folder": "", "names": listed["names"], "table": "jobs.csv"}
            rows = self.call("POST", f"/api/imports/{number}/from-folder/", body).json()
            self.assertEqual({row["fields_known"]["seed"] for row in rows}, {1, 2})
            for name in ("../jobs.csv", "out.csv", "a.exr"):
                detail = self.problem(400, "POST", f"/api/imports/{number}/from-folder/", body | {"table": name})[
                    "detail"
                ]
                self.assertIn("there is no table", detail, name)

    def test_only_the_allowed_folder_is_read(self):
        (self.elsewhere / "in").mkdir()
        write(self.elsewhere / "out.exr", textured((8, 8)))
        (self.elsewhere / "in" / "link").symlink_to(self.elsewhere)
        with override_settings(IMPORT_ROOT=self.elsewhere / "in"):
            for folder in ("..", str(self.elsewhere), "/etc", "link"):
                detail = self.problem(400, "POST", "/api/imports/folder/", {"folder": folder})["detail"]
                self.assertIn("only folders within", detail, folder)
            self.assertIn(
                "no such folder", self.problem(400, "POST", "/api/imports/folder/", {"folder": "no"})["detail"]
            )
            number = self.begin()
            body = {"folder": "", "names": ["../out.exr"]}
            self.assertIn(
                "there is no picture", self.problem(400, "POST", f"/api/imports/{number}/from-folder/", body)["detail"]
            )
        with override_settings(IMPORT_ROOT=None):
            self.assertIn(
                "MATCHEDPAIR_IMPORTS", self.problem(400, "POST", "/api/imports/folder/", {"folder": ""})["detail"]
            )


class Sequences(WithImports, TestCase):
    """Frames of a farm, told by the last number in their names."""

    def frames(self, numbers, noise=0.05, engine="Farm renderer", sized=None):
        made = self.begin(pattern="")
        for number in numbers:
            size = (sized or {}).get(number, (64, 48))
            picture = noisy(textured(size), noise, int(number) + 1000 * int(100 * noise))
            self.send(made, f"lane.{number:04d}.exr", write(self.elsewhere / "made.exr", picture).read_bytes())
        rows = ImportedRender.objects.filter(import_set=made)
        values = {"engine": engine, "scene": "Lane", "view": "main"}
        self.call("POST", "/api/imports/fill-in/", {"renders": [row.pk for row in rows], "values": values})
        return [row.pk for row in rows.order_by("name")]

    def sequence(self, control, trial=()):
        body = {"question": "Does it flicker?", "control": control, "trial": list(trial)}
        return self.call("POST", "/api/imports/sequence/", body)

    def test_two_sequences_play_in_step_with_their_gaps_told(self):
        answer = self.sequence(self.frames([1, 2, 3, 5]), self.frames([1, 2, 3, 4, 5], noise=0.02, engine="Other"))
        self.assertEqual(answer.status_code, 201, answer.content)
        study = Study.objects.get(pk=answer.json()["study"])
        measure_sequences([study.pk])
        body = self.call("GET", f"/api/studies/{study.pk}/motion/").json()
        control, trial = body["sequences"]
        self.assertEqual((control["gaps"], trial["gaps"], trial["title"]), ([4], [], "engine Other"))
        self.assertAlmostEqual(control["flicker_percent"], 5.0, delta=0.8)
        self.assertAlmostEqual(trial["flicker_percent"], 2.0, delta=0.4)
        self.assertEqual(study.pairs.count(), 4)

    def test_one_alone_is_measured_too(self):
        study = Study.objects.get(pk=self.sequence(self.frames([7, 8, 9])).json()["study"])
        measure_sequences([study.pk])
        (only,) = self.call("GET", f"/api/studies/{study.pk}/motion/").json()["sequences"]
        self.assertIsNotNone(only["flicker_percent"])

    def test_a_broken_file_is_left_out_and_told(self):
        rows = self.frames([1, 2, 3])
        made = ImportSet.objects.get()
        self.send(made.pk, "lane.0004.exr", b"cut short")
        broken = ImportedRender.objects.get(name="lane.0004.exr").pk
        answer = self.sequence([*rows, broken])
        self.assertEqual(answer.status_code, 201, answer.content)
        self.assertIn("lane.0004.exr", answer.json()["left_out"][0])

    def test_what_is_no_sequence_is_refused_and_nothing_is_made(self):
        several = self.frames([1, 2, 3], sized={3: (48, 36)})
        again = self.frames([2, 3], noise=0.1)
        other = self.frames([4, 5], engine="Other")
        for rows, words in (
            (several[:1], "1 frame; a sequence needs two"),
            ([], "0 frames"),
            (several, "lane.0003.exr is 48 × 36 pixels and lane.0001.exr 64 × 48; a sequence has one size"),
            ([*several[:2], again[0]], "frame 2 twice with the same seed"),
            ([*several[:2], *other], "frames differ in engine"),
        ):
            answer = self.sequence(rows)
            with self.subTest(words):
                self.assertEqual(answer.status_code, 400)
                self.assertIn(words, answer.json()["detail"])
        self.assertEqual(Study.objects.count(), 0)

    def test_a_name_without_a_number_needs_its_frame_said(self):
        rows = self.frames([1, 2])
        made = ImportSet.objects.get()
        self.send(made.pk, "last.exr", self.exr())
        last = ImportedRender.objects.get(name="last.exr")
        values = {"engine": "Farm renderer", "scene": "Lane", "view": "main"}
        self.call("POST", "/api/imports/fill-in/", {"renders": [last.pk], "values": values})
        self.assertIn("last.exr: its frame is not known", self.sequence([*rows, last.pk]).json()["detail"])
        self.call("POST", "/api/imports/fill-in/", {"renders": [last.pk], "values": {"frame": 3}})
        self.assertEqual(self.sequence([*rows, last.pk]).status_code, 201)
