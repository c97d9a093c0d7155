"""Writes the image textures of *Lantern Street* into demo/scenes/textures; seeded, so the pixels stay the same.

python demo/make_textures.py
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
FOLDER = Path(__file__).parent / "scenes" / "textures"


def smooth(dice: np.random.Generator, size: int, cells: int) -> Floats:
    """Even random hills, 0 to 1, that go on at the opposite edge; (size, size)."""
    small = dice.random((cells, cells))
    wrapped = np.pad(small, 2, mode="wrap")
    step = size // cells
    large = cv2.resize(wrapped, None, fx=step, fy=step, interpolation=cv2.INTER_CUBIC)
    return np.clip(large[2 * step : -2 * step, 2 * step : -2 * step], 0.0, 1.0)


def boards(size: int, count: int) -> tuple[Floats, NDArray[np.int64]]:
    """Height of upright boards with rounded edges, 0 to 1, and the number of each column's board; (size,) both."""
    place = np.arange(size) / size * count
    within = place % 1.0
    edge = np.minimum(within, 1.0 - within)
    return np.clip(edge / 0.06, 0.0, 1.0) ** 0.5, place.astype(np.int64)


def shutter_colour() -> NDArray[np.uint8]:
    """Painted boards: a band of diamonds across, worn where hands and weather reach."""
    dice, size = np.random.default_rng(11), 2048
    height, number = boards(size, 12)
    tint = 0.92 + 0.16 * dice.random(12)
    row, column = np.mgrid[0:size, 0:size] / size
    paint = np.empty((size, size, 3))
    paint[:] = np.array([0.16, 0.36, 0.38])
    band = (row > 0.38) & (row < 0.62)
    diamond = np.abs((column * 12) % 1.0 - 0.5) + np.abs((row - 0.5) * 6.0) < 0.5
    paint[band] = [0.78, 0.62, 0.3]
    paint[band & diamond] = [0.5, 0.14, 0.13]
    fine = ((column * 96) % 1.0 < 0.5) & (np.abs(row - 0.34) < 0.012)
    paint[fine] = [0.86, 0.8, 0.66]
    worn = smooth(dice, size, 32) * smooth(dice, size, 8) > 0.52
    paint[worn] = [0.42, 0.31, 0.22]
    grain = np.round(4 * smooth(dice, size, 16)) / 4
    paint *= (tint[number] * (0.75 + 0.25 * height))[None, :, None] * (0.92 + 0.08 * grain)[..., None]
    return to_bytes(paint)


def shutter_relief() -> NDArray[np.uint16]:
    """Height of the boards and a few nails."""
    size = 1024
    height, _ = boards(size, 12)
    relief = np.repeat(height[None, :], size, axis=0) * 0.8
    row, column = np.mgrid[0:size, 0:size] / size
    for level in (0.1, 0.5, 0.9):
        away = np.hypot((column * 12) % 1.0 - 0.5, (row - level) * 12)
        relief = np.maximum(relief, np.where(away < 0.09, 1.0, 0.0))
    return np.round(cv2.GaussianBlur(relief, (0, 0), 2.0) * 65535 / 64).astype(np.uint16) * 64


def flags(size: int) -> Floats:
    """Height of square flagstones in a running bond with worn corners, 0 to 1."""
    row, column = np.mgrid[0:size, 0:size] / size * 4
    column = column + 0.5 * (np.floor(row) % 2)
    edge = np.minimum(np.minimum(row % 1, 1 - row % 1), np.minimum(column % 1, 1 - column % 1))
    return np.asarray(np.clip(edge / 0.05, 0.0, 1.0) ** 0.5)


def flags_relief() -> NDArray[np.uint16]:
    """Height of the flagstones."""
    dice, size = np.random.default_rng(12), 2048
    height = flags(size) * (0.85 + 0.15 * np.round(6 * smooth(dice, size, 32)) / 6)
    return np.round(cv2.GaussianBlur(height, (0, 0), 3.0) * 65535 / 256).astype(np.uint16) * 256


def flags_damp() -> NDArray[np.uint8]:
    """Share of damp: in the joints and in puddles with soft edges."""
    dice, size = np.random.default_rng(13), 2048
    puddle = smooth(dice, size, 8) * 0.7 + smooth(dice, size, 32) * 0.3
    damp = np.maximum(np.clip((puddle - 0.55) * 8, 0, 1), np.clip(1.0 - flags(size) * 2, 0, 1))
    return to_bytes(np.round(damp * 24) / 24)


def plate_roughness() -> NDArray[np.uint8]:
    """Smudges on a brass plate; three equal channels, as painting programs often save them."""
    dice, size = np.random.default_rng(14), 2048
    smudge = smooth(dice, size, 16) * 0.6 + smooth(dice, size, 64) * 0.4
    return to_bytes(np.repeat((0.12 + 0.5 * np.round(smudge * 20) / 20)[..., None], 3, axis=2))


def notice_colour() -> NDArray[np.uint8]:
    """A printed notice: rows of small blocks like writing, and a lantern."""
    dice, size = np.random.default_rng(15), 1024
    paper = np.full((size, size, 3), [0.86, 0.8, 0.64])
    for line in range(90, 960, 34):
        column = 80
        while column < 900 and not (line > 500 and column > 560):
            width = int(dice.integers(14, 80))
            paper[line : line + 14, column : column + width] = [0.16, 0.14, 0.16]
            column += width + 14
    row, column_ = np.mgrid[0:size, 0:size]
    paper[np.hypot(row - 730, (column_ - 750) * 1.2) < 160] = [0.75, 0.3, 0.16]
    return to_bytes(paper)


def post_mask() -> NDArray[np.uint8]:
    """Nothing at all: a map that somebody exported and nobody painted."""
    return np.zeros((1024, 1024), np.uint8)


def to_bytes(values: Floats) -> NDArray[np.uint8]:
    return np.round(np.clip(values, 0.0, 1.0) * 255).astype(np.uint8)


MAPS = {
    "shutter_colour.png": shutter_colour, "shutter_relief.png": shutter_relief, "flags_relief.png": flags_relief,
    "flags_damp_mask.png": flags_damp, "plate_roughness.png": plate_roughness, "notice_colour.png": notice_colour,
    "post_mask.png": post_mask,
}  # fmt: skip

if __name__ == "__main__":
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, make in MAPS.items():
        values = make()
        ordered = values[..., ::-1] if values.ndim == 3 else values
        cv2.imwrite(str(FOLDER / name), ordered, [cv2.IMWRITE_PNG_COMPRESSION, 9])
