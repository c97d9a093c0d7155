"""Pictures are decoded by a process of their own: alike, within limits, and whatever becomes of it."""

import os
import signal
import tempfile
import threading
import unittest
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from matchedpair.errors import PictureError
from matchedpair.pictures import apart, read_picture
from matchedpair.pictures.apart import Limits, decode_apart
from matchedpair.pictures.picture_file import MAX_PIXELS, open_with, opened, opened_here, refuse_too_large

from tests.inner_loop import long
from tests.pictures import hollow_png

RNG = np.random.default_rng(5)


def save(path: Path, values: np.ndarray, kind: str, names: tuple[str, ...] = (), **attributes: object) -> Path:
    spec = oiio.ImageSpec(values.shape[1], values.shape[0], values.shape[2], kind)
    if names:
        spec.channelnames = names
    tile = int(attributes.pop("tile", 0))
    if tile:
        spec.tile_width = spec.tile_height = tile
    for name, value in attributes.items():
        spec.attribute(name.replace("_", ":"), value)
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec), out.geterror()
    assert out.write_image(values), out.geterror()
    out.close()
    return path


class Apart(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        decode_apart()
        self.addCleanup(open_with, lambda path, _name: opened_here(path))

    def both(self, path: Path) -> None:
        """It reads alike here and there."""
        there = read_picture(path)
        open_with(lambda path, _name: opened_here(path))
        here = read_picture(path)
        decode_apart()
        np.testing.assert_array_equal(there.pixels, here.pixels)
        np.testing.assert_array_equal(there.valid, here.valid)
        self.assertEqual(
            (there.channels, there.bits, there.floating, there.colour_space),
            (here.channels, here.bits, here.floating, here.colour_space),
        )

    def test_every_kind_reads_alike(self) -> None:
        light = RNG.random((700, 90, 4)).astype(np.float32)
        light[5:9, 5:9, 3] = 0.0
        names = ("R", "G", "B", "A")
        for name, kind in (("a.exr", "half"), ("b.exr", "float"), ("c.png", "uint8"), ("d.png", "uint16")):
            self.both(save(self.folder / name, light, kind, names))
        self.both(save(self.folder / "e.tif", light[..., :3], "float"))
        self.both(save(self.folder / "f.exr", light[..., :3], "half", tile=64))
        self.both(save(self.folder / "g.exr", light[..., :1], "half", ("Y",)))
        self.assertAlmostEqual(float(read_picture(self.folder / "b.exr").pixels[600, 40, 1]), float(light[600, 40, 1]))
        self.assertEqual(int((~read_picture(self.folder / "a.exr").valid).sum()), 16)

    def test_any_rows_and_channels(self) -> None:
        light = RNG.random((300, 50, 5)).astype(np.float32)
        for tile in (0, 64):
            path = save(self.folder / f"{tile}.exr", light, "float", tuple("RGBZN"), tile=tile)
            file = opened(path)
            self.addCleanup(file.close)
            self.assertEqual(file.header.channels, ("R", "G", "B", "Z", "N"))
            np.testing.assert_array_equal(file.rows(100, 277, (1, 4), "float"), light[100:277, :, 1:4])

    def test_only_the_picture_of_a_file_of_many_passes_is_read(self) -> None:
        names = (*(f"pass{k:03}.X" for k in range(397)), "R", "G", "B")
        path = save(self.folder / "many.exr", RNG.random((40, 30, 400)).astype(np.float32), "float", names)
        file = opened(path)
        file.close()
        self.assertEqual(len(file.header.channels), 400)
        self.both(path)

    def test_what_is_wrong_is_said_as_it_is_here(self) -> None:
        (self.folder / "text.exr").write_text("nothing")
        (self.folder / "bytes.exr").write_bytes(b"v/1\x01\x02\0\0\0ca\xe9\0int\0\xff\xff\xff\xff")
        whole = save(self.folder / "whole.exr", RNG.random((400, 300, 3)).astype(np.float32), "half")
        (self.folder / "short.exr").write_bytes(whole.read_bytes()[:-5000])
        for name in ("text.exr", "bytes.exr", "short.exr", "none.exr"):
            with self.assertRaises(PictureError) as there:
                read_picture(self.folder / name)
            with self.assertRaises(PictureError) as here:
                file = opened_here(self.folder / name)
                try:
                    file.rows(0, file.header.height, (0, 3), "half")
                finally:
                    file.close()
            self.assertEqual(str(there.exception), str(here.exception), name)
            self.assertTrue(str(there.exception).startswith(str(self.folder / name)))
        self.both(whole)

    @long
    def test_a_small_file_of_a_huge_picture_is_refused_before_it_is_decoded(self) -> None:
        with self.assertRaisesRegex(PictureError, "has 16385×16400 pixels; the most is"):
            read_picture(hollow_png(self.folder / "bomb.png", 16385, 16400, 1))
        self.assertGreater(16385 * 16400, MAX_PIXELS)
        with self.assertRaisesRegex(PictureError, "would take .* GB of memory to look at"):
            refuse_too_large(1 << 50, "bomb.png")

    @long
    def test_a_reader_that_would_take_too_much_memory_ends_or_refuses_alone(self) -> None:
        # one tile as large as the picture, which no reader can take in pieces
        path = save(self.folder / "tile.tif", np.zeros((4096, 4096, 3), np.float32), "float", tile=4096)
        decode_apart(Limits(memory=350_000_000))
        with self.assertRaisesRegex(PictureError, "memory to decode|ended the program that decodes|cannot be decoded"):
            read_picture(path)
        decode_apart()
        self.assertEqual(read_picture(path).size, (4096, 4096))

    def test_one_that_takes_too_long_is_ended(self) -> None:
        path = hollow_png(self.folder / "slow.png", 3000, 3000, 3000)
        decode_apart(Limits(seconds=0.02))
        with self.assertRaisesRegex(PictureError, "takes longer than 0.02 s to decode"):
            read_picture(path)

    def test_a_killed_reader_is_one_picture_s_matter(self) -> None:
        path = save(self.folder / "a.exr", RNG.random((40, 30, 3)).astype(np.float32), "half")
        file = opened(path)
        os.kill(file._reader.process.pid, signal.SIGKILL)
        with self.assertRaisesRegex(PictureError, r"a.exr: ended the program that decodes pictures \(signal 9\)"):
            file.rows(0, 40, (0, 3), "half")
        file.close()
        self.both(path)

    def test_an_idle_one_is_asked_again_and_all_end_with_their_owner(self) -> None:
        path = save(self.folder / "a.exr", RNG.random((40, 30, 3)).astype(np.float32), "half")
        read_picture(path)
        first = apart._idle[0].process
        read_picture(path)
        self.assertIs(apart._idle[0].process, first)
        decode_apart()
        self.assertIsNotNone(first.poll())

    def test_many_at_once(self) -> None:
        paths = [save(self.folder / f"{k}.exr", np.full((60, 50, 3), k / 8, np.float32), "float") for k in range(8)]
        found: dict[int, float] = {}
        threads = [
            threading.Thread(target=lambda k=k: found.update({k: float(read_picture(paths[k]).pixels.mean())}))
            for k in range(8)
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(found, {k: k / 8 for k in range(8)})
        self.assertLessEqual(len(apart._idle), apart.MOST_IDLE)


if __name__ == "__main__":
    unittest.main()
