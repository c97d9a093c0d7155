"""Writes the scenes of *Lantern Street* into demo/scenes; the layout is seeded, so the files stay the same.

python demo/make_scenes.py
"""

from __future__ import annotations

import sys
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))

from demo.lantern_street.cloth_corner import cloth_corner  # noqa: E402 - found once this checkout is on the path
from demo.lantern_street.glass_cabinet import glass_cabinet  # noqa: E402
from demo.lantern_street.grey_ball import grey_ball  # noqa: E402
from demo.lantern_street.marble_stall import marble_stall  # noqa: E402
from demo.lantern_street.mist_lane import mist_lane  # noqa: E402
from demo.lantern_street.shapes import as_json  # noqa: E402
from demo.lantern_street.shutter_wall import shutter_wall  # noqa: E402

SCENES = (marble_stall, mist_lane, glass_cabinet, cloth_corner, shutter_wall, grey_ball)

if __name__ == "__main__":
    folder = HERE / "scenes"
    folder.mkdir(exist_ok=True)
    for make in SCENES:
        scene = make()
        (folder / f"{scene['name']}.json").write_text(as_json(scene), encoding="utf-8")
