"""Maps, their roles, what they need, and reduced copies: against pictures of which the answer is known."""

import hashlib
import json
import os
import shutil
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import cv2
import numpy as np
import OpenImageIO as oiio
from matchedpair.errors import InputError, PictureError
from matchedpair.textures import (
    MapUse,
    Writing,
    delete_copies,
    discard,
    find_maps,
    guess_role,
    plan_maps,
    read_copies,
    read_map,
    read_maps,
    read_use,
    so_far,
    write_copies,
    write_some,
)

from tests.pictures import hollow_png


class TextureTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def save(self, file, values):
        """Write an array (red first) as a map."""
        path = self.folder / file
        path.parent.mkdir(parents=True, exist_ok=True)
        cv2.imwrite(str(path), values[..., ::-1] if values.ndim == 3 else values)
        return path

    def contents(self):
        return {
            str(path.relative_to(self.folder)): hashlib.sha256(path.read_bytes()).hexdigest()
            for path in self.folder.rglob("*")
            if path.is_file()
        }

    def plan(self, **decided):
        return plan_maps(read_maps(self.folder, find_maps(self.folder))[0], **decided)


def noise(*shape, kind=np.uint8, seed=1):
    return np.random.default_rng(seed).integers(0, np.iinfo(kind).max, shape).astype(kind)


def directions(size):
    """A map of tilted directions of unit length."""
    x, y = np.meshgrid(np.linspace(-0.6, 0.6, size), np.linspace(-0.6, 0.6, size))
    vectors = np.stack([x, y, np.sqrt(1 - x**2 - y**2)], axis=-1)
    return np.rint((vectors * 0.5 + 0.5) * 255).astype(np.uint8)


class Facts(TextureTest):
    def test_size_memory_and_what_the_contents_show(self):
        grey = np.repeat(noise(32, 64, 1), 3, axis=2)
        cases = {
            "colour.png": (noise(32, 64, 3), (3, 8, 6144, False, False, False)),
            "grey.png": (grey, (3, 8, 6144, False, True, False)),
            "deep.png": (noise(32, 64, kind=np.uint16), (1, 16, 4096, False, False, False)),
            "flat.png": (np.full((32, 64), 9, np.uint8), (1, 8, 2048, True, False, False)),
            "directions.png": (directions(64), (3, 8, 12288, False, False, True)),
        }
        for file, (values, expected) in cases.items():
            self.save(file, values)
            found = read_map(self.folder, file)
            with self.subTest(file):
                told = (found.channels, found.bits, found.memory_bytes, found.flat, found.grey, found.normals)
                self.assertEqual(told, expected)
                self.assertEqual(found.with_copies_bytes, round(found.memory_bytes * 4 / 3))

    def test_smaller_copies_add_a_third(self):
        self.save("m.png", noise(256, 256))
        halved = sum((256 >> level) ** 2 for level in range(9))
        self.assertAlmostEqual(read_map(self.folder, "m.png").with_copies_bytes / halved, 1.0, delta=1e-4)

    def test_a_large_map_is_looked_at_in_strips_and_judged_whole(self):
        values = np.full((1000, 40), 7, np.uint8)
        values[-1, -1] = 8
        self.save("m.png", values)
        self.assertFalse(read_map(self.folder, "m.png").flat)

    def test_a_tiled_file_of_half_floats_is_read(self):
        path = str(self.folder / "m.exr")
        spec = oiio.ImageSpec(100, 70, 3, "half")
        spec.tile_width = spec.tile_height = 32
        out = oiio.ImageOutput.create(path)
        self.assertTrue(out.open(path, spec))
        self.assertTrue(
            out.write_image(np.random.default_rng(1).random((70, 100, 3)).astype(np.float32)), out.geterror()
        )
        out.close()
        found = read_map(self.folder, "m.exr")
        self.assertEqual((found.bits, found.floating, found.memory_bytes), (16, True, 42000))

    def test_what_cannot_be_read_is_named_and_the_rest_goes_on(self):
        self.save("good.png", noise(16, 16))
        self.save("short.png", noise(64, 64, 3))
        short = self.folder / "short.png"
        short.write_bytes(short.read_bytes()[:2000])
        (self.folder / "text.png").write_text("no picture")
        hollow_png(self.folder / "huge.png", 16385, 16400, 1)
        maps, problems = read_maps(self.folder, find_maps(self.folder))
        self.assertEqual([each.file for each in maps], ["good.png"])
        self.assertRegex(problems["short.png"], "cannot be decoded")
        self.assertRegex(problems["text.png"], "not a readable picture")
        self.assertRegex(problems["huge.png"], "has 16385×16400 pixels; the most is")

    def test_folders_are_searched_below_but_not_in_copies_or_hidden_ones(self):
        for file in ("a.png", "deep/b.png", "reduced-12345678/a.png", ".cache/c.png"):
            self.save(file, noise(8, 8))
        (self.folder / "notes.txt").write_text("x")
        self.assertEqual(find_maps(self.folder), ["a.png", "deep/b.png"])

    def test_a_folder_without_maps_or_with_far_too_many_is_refused(self):
        with self.assertRaisesRegex(InputError, "holds no pictures"):
            find_maps(self.folder)
        with self.assertRaisesRegex(InputError, "no such folder"):
            find_maps(self.folder / "none")
        self.save("a.png", noise(8, 8))
        with patch("matchedpair.textures.maps.MOST_FILES", 0), self.assertRaisesRegex(InputError, "further down"):
            find_maps(self.folder)


class Roles(TextureTest):
    def role(self, file, values):
        self.save(file, values)
        return guess_role(read_map(self.folder, file))

    def test_the_last_telling_word_of_a_name_decides(self):
        for file, role in (
            ("stall_albedo.png", "colour"),
            ("clothDiffuse.png", "colour"),
            ("brass-roughness-2k.png", "roughness"),
            ("colour_mask.png", "mask"),
            ("brick_normal.png", "relief"),
            ("wall.height.png", "relief"),
        ):
            with self.subTest(file):
                values = noise(16, 16, 3) if role in ("colour", "relief") else noise(16, 16)
                self.assertEqual(self.role(file, values).role, role)

    def test_a_word_within_another_word_tells_nothing(self):
        self.assertEqual(self.role("heightened.png", noise(16, 16, 3)).reason, "its channels differ")

    def test_contents_decide_where_the_name_is_silent(self):
        edges = np.where(noise(32, 32) > 127, 255, 0).astype(np.uint8)
        for values, role, reason in (
            (noise(32, 32, 3), "colour", "its channels differ"),
            (directions(32), "relief", "directions of a surface"),
            (edges, "mask", "lowest and highest"),
            (np.full((32, 32), 3, np.uint8), "mask", "one value"),
            (noise(32, 32, kind=np.uint16), "relief", "16 bits"),
            (np.clip(noise(32, 32), 40, 200), "roughness", "in between"),
        ):
            guess = self.role("m.png", values)
            with self.subTest(reason):
                self.assertEqual(guess.role, role)
                self.assertIn(reason, guess.reason)

    def test_a_mask_of_differing_channels_is_taken_for_a_colour(self):
        guess = self.role("paint_mask.png", noise(16, 16, 3))
        self.assertEqual(guess.role, "colour")
        self.assertIn("but its channels differ", guess.reason)


class Plan(TextureTest):
    def setUp(self):
        super().setUp()
        for name, channels in (("colour", 3), ("relief", 1), ("roughness", 1), ("mask", 1)):
            self.save(f"a_{name}.png", noise(1024, 1024, channels))

    def divisors(self, plan):
        return {row.role: row.divisor for row in plan.maps}

    def test_without_use_colour_stays_relief_is_halved_the_rest_quartered(self):
        self.assertEqual(self.divisors(self.plan()), {"colour": 1, "relief": 2, "roughness": 4, "mask": 4})

    def test_use_on_screen_decides_by_role(self):
        use = {f"a_{role}.png": MapUse(10.0, 128.0) for role in ("colour", "relief", "roughness", "mask")}
        self.assertEqual(self.divisors(self.plan(use=use)), {"colour": 2, "relief": 4, "roughness": 8, "mask": 8})

    def test_a_map_seen_large_keeps_its_size(self):
        use = {f"a_{role}.png": MapUse(90.0, 4000.0) for role in ("colour", "relief", "roughness", "mask")}
        plan = self.plan(use=use)
        self.assertEqual(set(self.divisors(plan).values()), {1})
        self.assertEqual(plan.before_bytes, plan.after_bytes)

    def test_a_map_that_no_view_shows_directly_goes_by_its_role(self):
        row = next(row for row in self.plan(use={"a_mask.png": MapUse(0.0, 0.0)}).maps if row.role == "mask")
        self.assertEqual(row.divisor, 4)
        self.assertIn("no view shows it directly", row.reason)

    def test_of_two_views_the_nearer_counts(self):
        self.assertEqual(MapUse(5.0, 90.0).joined(MapUse(9.0, 40.0)), MapUse(9.0, 90.0))

    def test_what_people_decide_is_kept_and_the_proposal_stays_known(self):
        plan = self.plan(roles={"a_mask.png": "relief"}, divisors={"a_colour.png": 8})
        rows = {row.texture.file: row for row in plan.maps}
        self.assertEqual((rows["a_mask.png"].divisor, rows["a_mask.png"].role_reason), (2, "stated"))
        self.assertEqual((rows["a_colour.png"].divisor, rows["a_colour.png"].proposed), (8, 1))

    def test_grey_in_three_channels_is_one_and_a_flat_map_shrinks_far(self):
        self.save("b_mask.png", np.repeat(noise(512, 512, 1), 3, axis=2))
        self.save("c_mask.png", np.zeros((4096, 4096), np.uint8))
        rows = {row.texture.file: row for row in self.plan().maps}
        self.assertEqual(rows["b_mask.png"].channels, 1)
        self.assertEqual(rows["c_mask.png"].size, (64, 64))

    def test_small_maps_are_let_be(self):
        self.save("b_mask.png", noise(100, 100))
        self.assertEqual({r.texture.file: r.divisor for r in self.plan().maps}["b_mask.png"], 1)

    def test_unknown_files_and_divisors_are_refused(self):
        with self.assertRaisesRegex(InputError, "no map 'x.png' here"):
            self.plan(roles={"x.png": "mask"})
        with self.assertRaisesRegex(InputError, "divided by 1, 2, 4, 8, 16, 32, 64, got 3"):
            self.plan(divisors={"a_mask.png": 3})

    def test_odd_use_is_refused(self):
        path = self.folder / "use.json"
        for text, words in (
            ("[", "is not JSON"),
            ("{}x", "is not JSON"),
            ('[{"texture": "a"}]', "expected a list"),
            ('[{"texture": "a", "shown_percent": -1, "pixels_across": 2}]', "must be numbers of at least 0"),
            ('[{"texture": "a", "shown_percent": 1, "pixels_across": NaN}]', "NaN is no number"),
        ):
            path.write_text(text)
            with self.subTest(text), self.assertRaisesRegex(InputError, words):
                read_use(path)


class Written(TextureTest):
    def stored(self, copies, file):
        return cv2.imread(str(copies.folder / file), cv2.IMREAD_UNCHANGED)

    def test_originals_stay_untouched_and_deleting_undoes_all(self):
        self.save("a_mask.png", noise(256, 256))
        self.save("deep/b_relief.png", noise(256, 256, kind=np.uint16))
        before = self.contents()
        copies = write_copies(self.folder, self.plan())
        after = self.contents()
        self.assertEqual({file: after[file] for file in before}, before)
        self.assertEqual(
            {file for file in after if file not in before},
            {f"{copies.name}/{file}" for file in ("a_mask.png", "deep/b_relief.png", "manifest.json")},
        )
        delete_copies(self.folder, copies.name)
        self.assertEqual(self.contents(), before)
        self.assertEqual(sorted(path.name for path in self.folder.iterdir()), ["a_mask.png", "deep"])

    def test_the_manifest_tells_what_was_made_of_what(self):
        self.save("a_mask.png", noise(256, 256))
        copies = write_copies(self.folder, self.plan())
        (row,) = copies.maps
        self.assertEqual((row.width, row.height, row.bytes, row.divisor), (64, 64, 4096, 4))
        self.assertEqual(row.original_digest, self.contents()["a_mask.png"])
        self.assertEqual(row.digest, self.contents()[f"{copies.name}/a_mask.png"])
        self.assertEqual(read_copies(self.folder), ([copies], []))
        self.assertAlmostEqual(copies.after_bytes / copies.before_bytes, 1 / 16, delta=1e-5)

    def test_the_same_plan_gives_the_same_copies_once(self):
        self.save("a_mask.png", noise(256, 256))
        first = write_copies(self.folder, self.plan())
        self.assertTrue(first.made_by(self.plan()))
        self.assertFalse(first.made_by(self.plan(divisors={"a_mask.png": 2})))
        self.assertEqual(write_copies(self.folder, self.plan()), first)
        other = write_copies(self.folder, self.plan(divisors={"a_mask.png": 2}))
        self.assertNotEqual(other.name, first.name)
        self.assertEqual(len(read_copies(self.folder)[0]), 2)

    def test_colours_are_averaged_as_light_and_masks_as_they_are(self):
        checks = np.where(np.indices((256, 256)).sum(axis=0) % 2, 230, 30).astype(np.uint8)
        self.save("a_colour.png", np.repeat(checks[..., None], 3, axis=2))
        self.save("b_mask.png", checks)
        plan = self.plan(divisors={"a_colour.png": 2, "b_mask.png": 2})
        copies = write_copies(self.folder, plan)
        light = np.mean([((code / 255 + 0.055) / 1.055) ** 2.4 for code in (30, 230)])
        lit = round((1.055 * light ** (1 / 2.4) - 0.055) * 255)
        self.assertGreater(lit, 160)
        self.assertTrue((self.stored(copies, "a_colour.png") == lit).all())
        self.assertTrue((self.stored(copies, "b_mask.png") == 130).all())

    def test_sixteen_bits_stay_sixteen_and_three_grey_channels_become_one(self):
        self.save("a_relief.png", noise(256, 256, kind=np.uint16))
        self.save("b_mask.png", np.repeat(noise(256, 256, 1), 3, axis=2))
        copies = write_copies(self.folder, self.plan())
        relief, mask = self.stored(copies, "a_relief.png"), self.stored(copies, "b_mask.png")
        self.assertEqual((relief.dtype, relief.shape, mask.shape), (np.uint16, (128, 128), (64, 64)))
        self.assertAlmostEqual(relief.mean() / noise(256, 256, kind=np.uint16).mean(), 1.0, delta=1e-3)

    def test_directions_keep_unit_length(self):
        values = directions(256)
        values[::2] = np.rint((np.array([0.6, 0.0, 0.8]) * 0.5 + 0.5) * 255)
        values[1::2] = np.rint((np.array([-0.6, 0.0, 0.8]) * 0.5 + 0.5) * 255)
        self.save("a_normal.png", values)
        copies = write_copies(self.folder, self.plan())
        vectors = self.stored(copies, "a_normal.png")[..., ::-1] / 255 * 2 - 1
        self.assertTrue(np.allclose(vectors, [0, 0, 1], atol=0.01))

    def test_floats_stay_floats(self):
        path = str(self.folder / "a_relief.exr")
        out = oiio.ImageOutput.create(path)
        out.open(path, oiio.ImageSpec(256, 256, 1, "half"))
        out.write_image(np.full((256, 256, 1), 3.5, np.float32))
        out.close()
        copies = write_copies(self.folder, self.plan(divisors={"a_relief.exr": 2}))
        found = read_map(self.folder, f"{copies.name}/a_relief.exr")
        self.assertEqual((found.width, found.bits, found.floating), (128, 16, True))
        self.assertEqual(oiio.ImageBuf(str(copies.folder / "a_relief.exr")).get_pixels()[5, 5, 0], 3.5)

    def test_a_map_read_in_strips_is_the_mean_of_areas_that_no_strip_ends_with(self):
        values = noise(700, 1003)  # neither the strips' 256 rows nor the rows of a pixel of the copy divide it
        self.save("a_mask.png", values)
        copies = write_copies(self.folder, self.plan(divisors={"a_mask.png": 8}))
        whole = cv2.resize(values.astype(np.float32), (1003 // 8, 700 // 8), interpolation=cv2.INTER_AREA)
        stored = self.stored(copies, "a_mask.png").astype(np.float32)
        self.assertEqual(stored.shape, whole.shape)
        self.assertLessEqual(abs(stored - whole).max(), 0.51)

    def test_writing_goes_on_where_it_was_ended(self):
        for letter in "abc":
            self.save(f"{letter}_mask.png", noise(256, 256, seed=ord(letter)))
        plan = self.plan()
        self.assertEqual(so_far(self.folder, plan), Writing(0, 3, None))
        self.assertEqual(write_some(self.folder, plan, 0.0), Writing(1, 3, None))
        (part,) = [path for path in self.folder.iterdir() if path.is_dir()]
        first = part / "a_mask.png"
        written = first.stat()
        (part / ".in-hand-ended").mkdir()
        (part / ".in-hand-ended" / "b_mask.png").write_bytes(b"half of it")
        self.assertEqual(read_copies(self.folder), ([], []))
        self.assertEqual(find_maps(self.folder), [f"{letter}_mask.png" for letter in "abc"])
        told = []
        copies = write_copies(self.folder, plan, told.append)
        self.assertEqual(told[-1], Writing(3, 3, copies))
        self.assertEqual((copies.folder / "a_mask.png").stat().st_mtime_ns, written.st_mtime_ns)
        self.assertFalse(part.exists())
        delete_copies(self.folder, copies.name)
        self.assertEqual(len(list(self.folder.iterdir())), 3)

    def test_what_another_plan_left_is_not_gone_on_with_and_can_be_discarded(self):
        for letter in "ab":
            self.save(f"{letter}_mask.png", noise(256, 256, seed=ord(letter)))
        plan, other = self.plan(), self.plan(divisors={"a_mask.png": 2})
        write_some(self.folder, plan, 0.0)
        self.assertEqual(so_far(self.folder, other).done, 0)
        write_some(self.folder, other, 0.0)
        self.assertEqual((so_far(self.folder, plan).done, so_far(self.folder, other).done), (1, 1))
        discard(self.folder, plan)
        self.assertEqual((so_far(self.folder, plan).done, so_far(self.folder, other).done), (0, 1))
        (left,) = [path for path in self.folder.iterdir() if path.is_dir()]
        os.utime(left, (0, 0))
        write_some(self.folder, plan, 0.0)
        self.assertFalse(left.exists())

    def test_an_original_that_changed_since_it_was_looked_at_stops_it_with_nothing_left(self):
        self.save("a_mask.png", noise(256, 256))
        plan = self.plan()
        self.save("a_mask.png", noise(256, 256, seed=2))
        with self.assertRaisesRegex(PictureError, "was changed since it was looked at"):
            write_copies(self.folder, plan)
        self.assertEqual([path.name for path in self.folder.iterdir()], ["a_mask.png"])

    def test_a_full_disk_leaves_nothing_half_written(self):
        self.save("a_mask.png", noise(256, 256))
        with (
            patch("matchedpair.textures.writing.write_map", side_effect=OSError(28, "No space left on device")),
            self.assertRaisesRegex(InputError, "cannot be written beside the originals: No space left"),
        ):
            write_copies(self.folder, self.plan())
        self.assertEqual([path.name for path in self.folder.iterdir()], ["a_mask.png"])

    def test_a_plan_that_changes_nothing_is_refused(self):
        self.save("a_colour.png", noise(256, 256, 3))
        with self.assertRaisesRegex(InputError, "nothing is to be reduced"):
            write_copies(self.folder, self.plan())

    def test_folders_that_are_not_ours_are_neither_read_nor_deleted(self):
        self.save("a_mask.png", noise(256, 256))
        copies = write_copies(self.folder, self.plan())
        document = json.loads((copies.folder / "manifest.json").read_text())
        strange = self.folder / "reduced-strange"
        shutil.copytree(copies.folder, strange)
        for change, words in (
            ({"kind": "else"}, "manifest cannot be used"),
            ({"maps": [document["maps"][0] | {"file": "../a_mask.png"}]}, "not below it"),
            ({"maps": [document["maps"][0] | {"file": "gone.png"}]}, "gone.png is missing"),
            ({"maps": [{}]}, "manifest cannot be used"),
        ):
            (strange / "manifest.json").write_text(json.dumps(document | change))
            found, problems = read_copies(self.folder)
            with self.subTest(words):
                self.assertEqual([each.name for each in found], [copies.name])
                self.assertRegex(problems[0], words)
                with self.assertRaisesRegex(InputError, "no reduced copies 'reduced-strange'"):
                    delete_copies(self.folder, "reduced-strange")
        (copies.folder / "notes.txt").write_text("of somebody")
        before = self.contents()
        with self.assertRaisesRegex(InputError, "holds notes.txt, which is none of its copies"):
            delete_copies(self.folder, copies.name)
        self.assertEqual(self.contents(), before)
