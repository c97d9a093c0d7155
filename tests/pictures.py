"""Pictures with known answers."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio


def flat(level: float = 0.5, size: tuple[int, int] = (160, 120)) -> np.ndarray:
    """A grey picture of one level; size is width and height."""
    return np.full((size[1], size[0], 3), level, dtype=np.float32)


def textured(size: tuple[int, int] = (320, 240)) -> np.ndarray:
    """Fine stripes, a gradient and hard edges: much that is not noise."""
    width, height = size
    y, x = np.mgrid[0:height, 0:width]
    stripes = 0.25 + 0.2 * np.sin(x / 2.5)
    blocks = np.where((x // 40 + y // 40) % 2 == 0, 1.0, 0.3)
    picture = stripes * blocks * (0.4 + 0.6 * y / height)
    return np.repeat(picture[..., None], 3, axis=2).astype(np.float32)


def noisy(picture: np.ndarray, relative: float, seed: int) -> np.ndarray:
    """The picture with grey Gaussian noise of a known share of each pixel's brightness."""
    dice = np.random.default_rng(seed)
    factor = 1 + relative * dice.standard_normal(picture.shape[:2])
    return (picture * factor[..., None]).astype(np.float32)


def everywhere(picture: np.ndarray) -> np.ndarray:
    """A mask of the picture's size that leaves nothing out."""
    return np.ones(picture.shape[:2], dtype=bool)


def write(path: Path, picture: np.ndarray, kind: str = "half") -> Path:
    """Write with any number of channels and any type."""
    channels = picture.shape[2]
    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], channels, kind)
    if channels == 4:
        spec.channelnames = ("R", "G", "B", "A")
    output = oiio.ImageOutput.create(str(path))
    assert output is not None and output.open(str(path), spec), oiio.geterror()
    output.write_image(np.ascontiguousarray(picture, dtype=np.float32))
    output.close()
    return path
