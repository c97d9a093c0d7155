"""Image textures: laid where the scene says, in linear light, tilting and roughening, and what is said of bad ones."""

import json
import runpy

import cv2
import numpy as np

from standins.tracing.scene_changes import read_scene
from tests.standins.base import ROOT, StandinTest, scene

WALL = ROOT / "demo" / "scenes" / "shutter-wall.json"
ENGINES = ("alder", "tansy", "sorrel", "sedge")


def linear(byte):
    """Linear value of an sRGB byte, by IEC 61966-2-1."""
    value = byte / 255
    return value / 12.92 if value <= 0.04045 else ((value + 0.055) / 1.055) ** 2.4


class Textures(StandinTest):
    program = "alder"

    def wall(self, maps, textures, kind="matte", sky=(1.0, 1.0, 1.0), **material):
        """A scene of one large wall with maps under an even sky; the arrays (blue first) are written as its files."""
        files = {}
        for name, values in textures.items():
            cv2.imwrite(str(self.folder / f"{name}.png"), values)
            files[name] = {"file": f"{name}.png"}
        surface = {"kind": kind, "reflectance": [0.5] * 3, "maps": {"laid": "xy", "tile_metres": 2.0, **maps}}
        wall = {"kind": "rectangle", "material": "wall", "corner": [-4, -4, 0], "edge_a": [8, 0, 0],
                "edge_b": [0, 8, 0]}  # fmt: skip
        return scene({"wall": surface | material}, [wall], sky) | {"textures": files}

    def test_a_colour_map_lies_where_the_scene_lays_it_in_linear_light(self):
        quarters = np.zeros((64, 64, 3), np.uint8)
        quarters[:32, :32], quarters[:32, 32:] = (0, 0, 200), (0, 150, 0)
        quarters[32:, :32], quarters[32:, 32:] = (100, 0, 0), (60, 60, 60)
        maps = {"colour": "paint", "tile_metres": 2.6, "from_across": -1.3, "from_up": -1.3}
        of = self.wall(maps, {"paint": quarters})
        for engine in ENGINES:
            with self.subTest(engine):
                # Tansy reads a radiance as exitance, so its pictures are pi times darker
                pixels = self.render(of, program=engine) * (np.pi if engine == "tansy" else 1.0)
                high, wide = pixels.shape[0] // 4, pixels.shape[1] // 4
                found = [pixels[:high, :wide], pixels[:high, -wide:], pixels[-high:, :wide], pixels[-high:, -wide:]]
                expected = [[linear(200), 0, 0], [0, linear(150), 0], [0, 0, linear(100)], [linear(60)] * 3]
                for part, colour in zip(found, expected, strict=True):
                    self.assertTrue(np.allclose(part.mean(axis=(0, 1)), colour, rtol=0.05, atol=2e-3))

    def test_a_mask_mixes_two_colours_by_its_own_value_not_as_a_colour(self):
        of = self.wall({"mask": "damp"}, {"damp": np.full((8, 8), 51, np.uint8)}, second=[0.0, 0.0, 0.0])
        self.assertAlmostEqual(self.render(of, samples=64).mean(), 0.5 * 0.8, delta=0.01)

    def test_sixteen_bits_are_read_as_such(self):
        of = self.wall({"mask": "damp"}, {"damp": np.full((8, 8), 13107, np.uint16)}, second=[0.0, 0.0, 0.0])
        self.assertAlmostEqual(self.render(of, samples=64).mean(), 0.5 * 0.8, delta=0.01)

    def test_a_slope_in_a_relief_turns_the_normal_as_a_slope_would(self):
        ramp = np.repeat(np.arange(256, dtype=np.uint16)[None, :] * 200, 256, axis=0)
        maps = {"relief": "ramp", "relief_metres": 1.0, "tile_metres": 8.0, "from_across": -4.0, "from_up": -4.0}
        of = self.wall(maps, {"ramp": ramp})
        self.render(of, passes="normal")
        rise = 200 * 256 / 65535 / 8.0
        self.assertTrue(np.allclose(self.passes["normal"][..., 0], -rise / np.hypot(1, rise), atol=2e-3))

    def test_roughness_comes_from_its_map(self):
        lamp = {"kind": "glow", "radiance": [30.0] * 3}
        halves = np.full((64, 64), 20, np.uint8)
        halves[:, 32:] = 200
        spread = []
        for values in (halves[:, :32], halves[:, 32:]):
            of = self.wall({"roughness": "smudges"}, {"smudges": values}, kind="metal", roughness=0.9)
            of["materials"]["lamp"], of["sky"] = lamp, {"horizon": [0.0] * 3, "zenith": [0.0] * 3}
            ball = {"kind": "sphere", "material": "lamp", "centre": [0, 0, 6.0], "radius": 0.15}
            of["shapes"].append(ball)
            pixels = self.render(of, samples=64)[..., 1]
            spread.append((pixels > 0.5 * pixels.max()).mean())
        self.assertGreater(spread[1], 3 * spread[0])

    def test_a_scene_with_textures_takes_more_memory_by_their_size(self):
        sizes = []
        for side in (8, 512):
            paint = np.full((side, side, 3), 128, np.uint8)
            self.render(self.wall({"colour": "paint"}, {"paint": paint}))
            sizes.append(int(self.said.split("structures ")[1].split()[0]))
        self.assertEqual(sizes[1] - sizes[0], (512 * 512 - 8 * 8) * 3)

    def test_use_is_the_pixels_that_a_tile_spans(self):
        paint = np.full((8, 8, 3), 128, np.uint8)
        of = self.wall({"colour": "paint"}, {"paint": paint, "spare": paint})
        path, out = self.folder / "scene.json", self.folder / "use.json"
        path.write_text(json.dumps(of))
        for engine in ENGINES:
            done = self.call("--scene", path, "--view", "v", "--size", "640x360", "--texture-use", out, program=engine)
            self.assertEqual(done.returncode, 0, done.stderr)
            used, spare = json.loads(out.read_text())
            self.assertEqual((used["texture"], used["shown_percent"]), ("paint", 100.0))
            across = 2.0 / (2 * 4 * np.tan(np.radians(10))) * 360
            self.assertAlmostEqual(used["pixels_across"], across, delta=0.01 * across)
            self.assertEqual((spare["shown_percent"], spare["pixels_across"]), (0.0, 0.0))

    def test_a_bad_texture_is_named(self):
        paint = np.full((8, 8, 3), 128, np.uint8)
        good = self.wall({"colour": "paint"}, {"paint": paint})
        (self.folder / "broken.png").write_bytes((self.folder / "paint.png").read_bytes()[:60])
        cases = [
            ({"paint": {"file": "gone.png"}}, {}, "texture 'paint': gone.png is missing"),
            ({"paint": {"file": "broken.png"}}, {}, "texture 'paint': broken.png"),
            ({"paint": {"file": "../paint.png"}}, {}, "must be a path below the scene's own folder"),
            ({"other": {"file": "paint.png"}}, {}, "there is no texture 'paint'"),
            (good["textures"], {"laid": "xx"}, '"laid" must be two axes'),
            (good["textures"], {"tile_metres": 0}, '"tile_metres" must be above 0'),
        ]
        for textures, maps, words in cases:
            surface = good["materials"]["wall"] | {"maps": good["materials"]["wall"]["maps"] | maps}
            path = self.folder / "scene.json"
            path.write_text(json.dumps(good | {"textures": textures, "materials": {"wall": surface}}))
            done = self.call("--scene", path, "--view", "v", "--size", "8x8", "--output", self.folder / "o.exr")
            with self.subTest(words):
                self.assertEqual(done.returncode, 2)
                self.assertIn(words, done.stderr.strip().splitlines()[-1])
                self.assertNotIn("Traceback", done.stderr)


class ShutterWall(StandinTest):
    program = "alder"

    def test_the_maps_are_what_their_script_makes(self):
        made = runpy.run_path(str(ROOT / "demo" / "make_textures.py"))
        for name, make in made["MAPS"].items():
            stored = cv2.imread(str(made["FOLDER"] / name), cv2.IMREAD_UNCHANGED)
            values = make()
            with self.subTest(name):
                self.assertTrue(np.array_equal(stored, values[..., ::-1] if values.ndim == 3 else values))

    def test_a_light_goes_out_at_its_frame_and_another_is_carried_past(self):
        before, after = read_scene(WALL, frame=8), read_scene(WALL, frame=9)
        self.assertGreater(before.materials["lamp"]["radiance"][0], 0)
        self.assertEqual(after.materials["lamp"]["radiance"], [0, 0, 0])
        places = [next(s["centre"][0] for s in of.shapes if s.get("group") == "carried") for of in (before, after)]
        self.assertAlmostEqual(places[1] - places[0], 3.6 / 15)

    def test_every_engine_draws_it(self):
        means = {engine: self.render(WALL, "street", program=engine, frame=4).mean() for engine in ENGINES}
        self.assertLess(abs(np.log2(means["sorrel"] / means["alder"])), 0.2, means)
        self.assertGreater(min(means.values()), 0.01)
