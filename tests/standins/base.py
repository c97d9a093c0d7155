"""What the tests of all stand-ins share: small scenes with known answers, and the programs called as an engine is.

A render runs in this process where numba is set up here as the programs set it up, so that its kernels are loaded once
and not by every test; else, and for calls that end badly, the program is started.
"""

import io
import json
import os
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from importlib.metadata import entry_points
from pathlib import Path

from standins.kernel_cache import use_kernel_cache

if "numba" not in sys.modules:
    os.environ |= {"NUMBA_NUM_THREADS": "1", "NUMBA_THREADING_LAYER": "workqueue"}
    use_kernel_cache()
HERE = os.environ.get("NUMBA_NUM_THREADS") == "1"

from matchedpair.pictures import read_picture  # noqa: E402 - may load numba, which reads the above once

ROOT = Path(__file__).parents[2]
STALL = ROOT / "demo" / "scenes" / "marble-stall.json"
BIN = Path(sys.executable).parent


def scene(materials, shapes, sky=(0.0, 0.0, 0.0), position=(0, 0, 4)):
    return {
        "format": 1, "name": "t", "sky": {"horizon": list(sky), "zenith": list(sky)}, "materials": materials,
        "views": {"v": {"position": list(position), "look_at": [0, 0, 0], "field_of_view_degrees": 20}},
        "shapes": shapes,
    }  # fmt: skip


def floor_lit_by(radiance, centre, radius, reflectance=0.8):
    """A matte floor at z = 0 seen from above, under a glowing ball."""
    materials = {
        "floor": {"kind": "matte", "reflectance": [reflectance] * 3},
        "lamp": {"kind": "glow", "radiance": [radiance] * 3},
    }  # fmt: skip
    shapes = [
        {"kind": "rectangle", "material": "floor", "corner": [-2, -2, 0], "edge_a": [4, 0, 0], "edge_b": [0, 4, 0]},
        {"kind": "sphere", "material": "lamp", "centre": centre, "radius": radius},
    ]
    return scene(materials, shapes)


class StandinTest(unittest.TestCase):
    program = ""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def call(self, *words, program=""):
        command = [str(BIN / (program or self.program)), *map(str, words)]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    def outside(self, program, words):
        """Exit code, what it said, and what went wrong, of the program."""
        done = self.call(*words, program=program)
        return done.returncode, done.stdout, done.stderr

    def inside(self, program, words):
        """The same of its entry point, called in this process."""
        (entry,) = entry_points(group="console_scripts", name=program)
        with redirect_stdout(io.StringIO()) as said, redirect_stderr(io.StringIO()) as wrong:
            code = entry.load()([str(word) for word in words])
        return code, said.getvalue(), wrong.getvalue()

    def render(self, of=STALL, view="counter", size="64x36", program="", passes="", **settings):
        """The picture as linear light; a switch is given as True, and passes then lie in `self.passes`."""
        if isinstance(of, dict):
            path = self.folder / "scene.json"
            path.write_text(json.dumps(of))
            of, view = path, "v"
        output = self.folder / "out.exr"
        words = ["--scene", of, "--view", view, "--size", size, "--output", output, "--depth", "float"]
        for name, value in settings.items():
            words += [f"--{name.replace('_', '-')}", *([] if value is True else [value])]
        words += ["--passes", passes] if passes else []
        inside = HERE and settings.get("threads", 1) == 1
        code, self.said, wrong = (self.inside if inside else self.outside)(program or self.program, words)
        self.assertEqual(code, 0, wrong)
        names = passes.split(",") if passes else []
        self.passes = {name: read_picture(self.folder / f"{name}.exr").pixels for name in names}
        return read_picture(output).pixels
