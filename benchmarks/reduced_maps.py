"""Reduces large maps as the product does, in strips, against reading each whole: time in turn, memory apart."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path
from statistics import median

import cv2
import numpy as np
from matchedpair.textures import TexturePlan, plan_maps, read_map
from matchedpair.textures.reducing import reduce_map

from benchmarks.figures import Measured, peak_bytes, seconds_of, show

SIDE = 8192
DIVISOR = 4
REPEATS = 3
AS_FLOATS = SIDE * SIDE * 3 * 4


def run() -> bool:
    """A colour map of 8192 × 8192 pixels."""
    with tempfile.TemporaryDirectory() as name:
        file = _map(Path(name))
        plan = _plan(file)
        ours, theirs = [], []
        for _ in range(REPEATS):
            ours.append(seconds_of(lambda: reduce_map(file, plan.maps[0])))
            theirs.append(seconds_of(lambda: _whole(file)))
        nothing, strips, whole = (_peak(file, way) for way in ("nothing", "strips", "whole"))
    ratios = [mine / other for mine, other in zip(ours, theirs, strict=True)]
    return show(f"A colour map of {SIDE} × {SIDE} to a {DIVISOR}th of its side, median of {REPEATS}", [
        Measured("time over reading it whole and averaging by OpenCV", median(ratios), "×", 1.5),
        Measured("memory taken over that of the map as floats", (strips - nothing) / AS_FLOATS, "×", 0.5),
        Measured("the same, read whole", (whole - nothing) / AS_FLOATS, "×"),
    ])  # fmt: skip


def _map(folder: Path) -> Path:
    file = folder / "wall_colour.png"
    small = np.random.default_rng(1).integers(0, 255, (SIDE // 16, SIDE // 16, 3)).astype(np.uint8)
    cv2.imwrite(str(file), cv2.resize(small, (SIDE, SIDE), interpolation=cv2.INTER_LINEAR))
    return file


def _plan(file: Path) -> TexturePlan:
    return plan_maps([read_map(file.parent, file.name)], divisors={file.name: DIVISOR})


def _whole(file: Path) -> None:
    """As light by a table, which is the quickest whole way there is."""
    table = (np.arange(256) / 255.0).astype(np.float32) ** np.float32(2.2)
    light = table[cv2.imread(str(file), cv2.IMREAD_UNCHANGED)]
    small = cv2.resize(light, (SIDE // DIVISOR, SIDE // DIVISOR), interpolation=cv2.INTER_AREA)
    np.rint(255 * small ** (1 / 2.2)).astype(np.uint8)


def _peak(file: Path, way: str) -> float:
    """Peak memory in bytes of a process that does it one way."""
    called = subprocess.run(
        [sys.executable, "-m", "benchmarks.reduced_maps", str(file), way], capture_output=True, check=True, text=True
    )
    return float(called.stdout)


if __name__ == "__main__":
    given, chosen = Path(sys.argv[1]), sys.argv[2]
    if chosen == "whole":
        _whole(given)
    else:
        read = _plan(given)
        if chosen == "strips":
            reduce_map(given, read.maps[0])
    print(peak_bytes())
