"""A renderer unlike the stand-ins, for tests: a scene format of its own, its settings from a file, layers in one
picture, samples until a threshold of noise is reached, a licence to wait for, and progress in percent.

    pebble.sh SCENE.peb --job JOB.ini --camera NAME --frame N [--frames FIRST LAST] --size W H --out FOLDER [--twin N]
              [--part X Y W H]

A scene is lines of ``camera NAME SHIFT``, ``ground LEVEL``, ``wave FILE`` (numbers, one a line) and ``sky LEVEL``.
"""

import argparse
import configparser
import os
import sys
import time
from pathlib import Path

import numpy as np
import OpenImageIO as oiio


def say(text: str) -> None:
    print(text, flush=True)


def read_scene(path: Path) -> dict[str, object]:
    scene: dict[str, object] = {"camera": {}, "ground": 0.3, "sky": 0.6, "wave": [0.0]}
    for line in path.read_text().splitlines():
        kind, *rest = line.split()
        if kind == "camera":
            scene["camera"][rest[0]] = float(rest[1])
        elif kind == "wave":
            scene["wave"] = [float(row) for row in (path.parent / rest[0]).read_text().split()]
        else:
            scene[kind] = float(rest[0])
    return scene


def draw(asked: argparse.Namespace, settings: configparser.SectionProxy, scene: dict[str, object], frame: int) -> None:
    width, height = asked.size
    dice = np.random.default_rng(1000 * asked.twin + frame)
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    wave = np.interp(x / width, np.linspace(0, 1, len(scene["wave"])), scene["wave"])
    light = np.where(y < height / 2, scene["sky"], scene["ground"] + 0.1 * np.sin(y / 3 + wave))
    light = light * (1.0 + 0.3 * np.sin(x / 9 + scene["camera"][asked.camera] + 0.2 * frame))
    tint = [float(part) for part in settings.get("tint", "1 1 1").split()]
    threshold, most = float(settings["threshold"]), int(settings["most_samples"])
    total, count = np.zeros((height, width)), 0
    while count < most:
        total += light * (1.0 + 0.5 * dice.standard_normal((height, width)))
        count += 1
        if count % 4 == 0:
            say(f"{100 * min(count / most, 1):.0f} % of the samples")
        if count >= 2 and 0.5 / count**0.5 <= threshold:
            break
        time.sleep(0.001)
    noisy = total / count
    if settings.getboolean("smooth", fallback=False):
        padded = np.pad(noisy, int(settings.get("reach", "1")), mode="edge")
        reach = int(settings.get("reach", "1"))
        noisy = np.mean(
            [padded[dy : dy + height, dx : dx + width] for dy in range(2 * reach + 1) for dx in range(2 * reach + 1)], 0
        )
    planes = [*(noisy * part for part in tint), height - y, np.zeros_like(y), np.ones_like(y), 0.2 * np.ones_like(y)]
    names = ("beauty.R", "beauty.G", "beauty.B", "depth.Z", "normal.X", "normal.Y", "normal.Z")
    picture = np.stack(planes, -1).astype(np.float32)
    if asked.part:
        left, top, wide, high = asked.part
        picture = picture[top : top + high, left : left + wide]
    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], len(names), "float")
    spec.channelnames = names
    target = asked.out / "frames" / f"still.{frame:04d}.exr"
    target.parent.mkdir(parents=True, exist_ok=True)
    output = oiio.ImageOutput.create(str(target))
    output.open(str(target), spec)
    output.write_image(np.ascontiguousarray(picture))
    output.close()
    say(f"stopped after {count} samples")


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("scene", type=Path)
    parser.add_argument("--job", type=Path, required=True)
    parser.add_argument("--camera", required=True)
    parser.add_argument("--frame", type=int, default=1)
    parser.add_argument("--frames", type=int, nargs=2)
    parser.add_argument("--size", type=int, nargs=2, required=True)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--twin", type=int, default=0)
    parser.add_argument("--part", type=int, nargs=4)
    parser.add_argument("--version", action="version", version="pebble 3.1 (spring)")
    asked = parser.parse_args()
    job = configparser.ConfigParser()
    job.read(asked.job)
    settings = job["pebble"]
    scene = read_scene(asked.scene)
    if asked.camera not in scene["camera"]:
        say(f"ERROR no camera {asked.camera}")
        return 0  # as some do
    if os.environ.get("PEBBLE_BUSY"):
        say("licence: none free, waiting")
        time.sleep(float(os.environ["PEBBLE_BUSY"]))
        say("licence: got one")
    say("scene read")
    first, last = asked.frames or (asked.frame, asked.frame)
    for frame in range(first, last + 1):
        draw(asked, settings, scene, frame)
        say(f"frame {frame} written")
    say("all done")
    return int(os.environ.get("PEBBLE_CODE", "0"))


sys.exit(main())
