"""Stored pictures as the browser takes them: tiles, spots, thumbnails, parts through a view transform."""

import os
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

import numpy as np
import OpenImageIO as oiio
from django.conf import settings
from django.test import TestCase, override_settings
from matchedpair.pictures import write_exr

from server.measuring.disk import drop_unused
from server.runs.recording import cut_up_pictures
from server.store import tiles as tiles_module
from server.store.files import keep, path_of
from server.store.tiles import shape_of
from tests.pictures import flat, textured, write
from tests.server.base import SIZE, WithEngines, finish_all


def stored(picture, name="p.exr"):
    return keep(write(Path(settings.HOME) / name, picture).read_bytes(), ".exr")


def tiles():
    return sorted(path.name[:64] for path in (Path(settings.HOME) / "tiles").glob("*/*.tiles"))


def png(answer):
    path = Path(settings.HOME) / "shown.png"
    path.write_bytes(answer.content)
    return np.asarray(oiio.ImageBuf(str(path)).get_pixels(oiio.UINT8))[..., :3]


class Pictures(WithEngines, TestCase):
    def test_tiles_are_half_floats_with_the_share_that_is_valid(self):
        picture = textured((700, 40))
        picture[2, 3] = np.nan
        digest = stored(picture)
        shape = self.call("GET", f"/api/pictures/{digest}/pyramid/").json()
        self.assertEqual(shape, {"width": 700, "height": 40, "tile": 512, "levels": 2})
        answer = self.call("GET", f"/api/pictures/{digest}/tiles/0/0/0/")
        self.assertIn("immutable", answer["Cache-Control"])
        halves = np.frombuffer(answer.content, dtype="<f2").reshape(40, 512, 4)
        np.testing.assert_array_equal(halves[10:, :, :3], picture[10:, :512].astype(np.float16))
        self.assertEqual((halves[2, 3, 3], halves[2, 4, 3]), (0, 1))
        right = self.call("GET", f"/api/pictures/{digest}/tiles/0/1/0/").content
        self.assertEqual(len(right), 40 * 188 * 8)
        for place in ("0/2/0", "2/0/0", "0/0/1"):
            self.problem(404, "GET", f"/api/pictures/{digest}/tiles/{place}/")

    def test_a_broken_tile_file_is_made_again(self):
        digest = stored(textured(SIZE))
        whole = self.call("GET", f"/api/pictures/{digest}/tiles/0/0/0/").content
        path = next((Path(settings.HOME) / "tiles").glob(f"*/{digest}.tiles"))
        path.write_bytes(path.read_bytes()[:50])
        self.assertEqual(self.call("GET", f"/api/pictures/{digest}/tiles/0/0/0/").content, whole)

    def test_tiles_of_a_large_picture_are_given_before_their_file_is_written_and_are_the_same_after(self):
        digest = stored(textured((1700, 1000)))
        with mock.patch("server.store.tiles.WRITTEN_AT_ONCE", 0):
            before = self.call("GET", f"/api/pictures/{digest}/tiles/1/1/0/").content
            for _ in range(200):
                if digest not in tiles_module._fresh:
                    break
                time.sleep(0.05)
        self.assertIn(digest, tiles())
        self.assertEqual(self.call("GET", f"/api/pictures/{digest}/tiles/1/1/0/").content, before)

    def test_many_at_once_cut_a_picture_up_once(self):
        digest = stored(textured((1200, 900)))
        with ThreadPoolExecutor(8) as pool:
            shapes = set(pool.map(lambda _: shape_of(digest), range(16)))
        self.assertEqual(len(shapes), 1)
        self.assertEqual(list((Path(settings.HOME) / "tiles").glob("*/.part-*")), [])

    def test_what_was_looked_at_longest_ago_is_let_go_when_there_is_no_room(self):
        first, second, third = (stored(flat(level, (100, 100))) for level in (0.1, 0.2, 0.3))
        room = 2.5 * shape_of(first).bytes
        for path in (Path(settings.HOME) / "tiles").glob("*/*"):
            if path.name[:64] != first:
                path.unlink()
        shape_of(second)
        for age, digest in ((50, first), (100, second)):
            path = next((Path(settings.HOME) / "tiles").glob(f"*/{digest}.tiles"))
            os.utime(path, (path.stat().st_atime, path.stat().st_mtime - age))
        with override_settings(TILES_BYTES=room):
            shape_of(third)
        self.assertEqual(tiles(), sorted([first, third]))
        path = next((Path(settings.HOME) / "tiles").glob(f"*/{third}.tiles"))
        os.utime(path, (path.stat().st_atime, path.stat().st_mtime - 10))
        tiles_module.tile(first, 0, 0, 0)
        with override_settings(TILES_BYTES=room):
            shape_of(second)
        self.assertEqual(tiles(), sorted([first, second]), "a look at a tile counts as one")
        with override_settings(TILES_BYTES=1):
            digest = stored(flat(0.4, (100, 100)))
            shape_of(digest)
        self.assertEqual(tiles(), [digest], "the newest stays, however little room there is")

    def test_the_runner_leaves_the_tiles_of_what_it_rendered(self):
        study = self.create()
        finish_all(study)
        run = study.runs.filter(warm_up=False).first()
        self.assertNotIn(run.picture, tiles())
        cut_up_pictures(run.pk)
        self.assertIn(run.picture, tiles())
        path_of(run.picture, ".exr").unlink()
        next((Path(settings.HOME) / "tiles").glob(f"*/{run.picture}.tiles")).unlink()
        with self.assertLogs("server.tiles", "WARNING"):
            cut_up_pictures(run.pk)

    def test_a_picture_that_is_let_go_takes_its_tiles_with_it(self):
        digest = stored(flat(0.5, (30, 30)))
        shape_of(digest)
        drop_unused({digest})
        self.assertNotIn(digest, tiles())
        self.assertFalse(path_of(digest, ".exr").exists())

    def test_missing_and_broken_pictures_are_problems_in_words(self):
        self.problem(404, "GET", f"/api/pictures/{'0' * 64}/tiles/0/0/0/")
        digest = keep(b"not a picture", ".exr")
        for what in ("pyramid", "tiles/0/0/0", "thumbnail", "shown", "spots"):
            said = self.problem(400, "GET", f"/api/pictures/{digest}/{what}/")["detail"]
            self.assertEqual(said, "Some fields do not fit.")

    def test_the_file_itself_is_given_out_as_it_lies_in_the_store(self):
        digest = stored(textured((80, 60)))
        answer = self.call("GET", f"/api/pictures/{digest}/file/")
        self.assertEqual(b"".join(answer.streaming_content), path_of(digest, ".exr").read_bytes())
        self.assertEqual(answer["Content-Disposition"], f'attachment; filename="{digest[:8]}.exr"')

    def test_a_thumbnail_is_a_small_png(self):
        answer = self.call("GET", f"/api/pictures/{stored(textured((800, 600)))}/thumbnail/")
        self.assertEqual(answer["Content-Type"], "image/png")
        self.assertEqual(int.from_bytes(answer.content[16:20], "big"), 240)

    def test_spots_are_told_strongest_first(self):
        values = np.zeros((20, 30), dtype=np.float32)
        values[3, 4], values[10, 20], values[5, 5] = 2.0, 8.0, np.nan
        write_exr(Path(settings.HOME) / "map.exr", values)
        digest = keep((Path(settings.HOME) / "map.exr").read_bytes(), ".exr")
        spots = self.call("GET", f"/api/pictures/{digest}/spots/").json()["spots"]
        self.assertEqual(spots, [[20.0, 10.0, 8.0], [4.0, 3.0, 2.0]])

    def test_a_part_is_shown_pixel_by_pixel_under_the_exposure(self):
        picture = flat(0.0, (64, 48))
        picture[10:20, 30:40] = 0.25
        digest = stored(picture)
        part = png(self.client.get(f"/api/pictures/{digest}/shown/?x=30&y=10&width=10&height=10&exposure=1"))
        self.assertEqual(part.shape, (10, 10, 3))
        self.assertEqual(set(part.ravel().tolist()), {188})
        cut = png(self.client.get(f"/api/pictures/{digest}/shown/?x=60&y=40&width=10&height=10"))
        self.assertEqual(cut.shape, (8, 4, 3))
        small = png(self.client.get(f"/api/pictures/{digest}/shown/?most=16"))
        self.assertEqual(small.shape, (12, 16, 3))
        beside = self.problem(400, "GET", f"/api/pictures/{digest}/shown/?x=64&y=0&width=5&height=5")
        self.assertIn("beside the picture", beside["detail"])
        self.problem(400, "GET", f"/api/pictures/{digest}/shown/?width=0&height=5")
