"""Pictures with known answers."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from scipy.ndimage import gaussian_filter, shift
from skimage import data


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


def photograph(name: str = "coffee") -> np.ndarray:
    """A photograph that ships with scikit-image, in linear light, nowhere quite black."""
    encoded = getattr(data, name)().astype(np.float64) / 255
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    return (linear + 0.01).astype(np.float32)


def grainy(picture: np.ndarray, relative: float, seed: int) -> np.ndarray:
    """The picture times gamma noise of mean 1: never below 0 and skewed, as light from few paths is."""
    shape = 1 / relative**2
    factor = np.random.default_rng(seed).gamma(shape, 1 / shape, picture.shape[:2])
    return (picture * factor[..., None]).astype(np.float32)


def patchy(picture: np.ndarray, amplitude: float, scale: float, seed: int) -> np.ndarray:
    """The picture with slow patches: white noise under a Gaussian of `scale` pixels, of this relative spread."""
    field = gaussian_filter(np.random.default_rng(seed).standard_normal(picture.shape[:2]), scale, mode="wrap")
    return (picture * (1 + amplitude * field / field.std())[..., None]).astype(np.float32)


def blurred(picture: np.ndarray, sigma: float) -> np.ndarray:
    """Each channel under a Gaussian."""
    return np.stack([gaussian_filter(picture[..., c], sigma) for c in range(3)], axis=-1).astype(np.float32)


def moved(picture: np.ndarray, right: float, down: float) -> np.ndarray:
    """Moved by parts of a pixel."""
    return np.stack([shift(picture[..., c], (down, right), order=3, mode="reflect") for c in range(3)], -1).astype(
        np.float32
    )


def everywhere(picture: np.ndarray) -> np.ndarray:
    """A mask of the picture's size that leaves nothing out."""
    return np.ones(picture.shape[:2], dtype=bool)


def write(
    path: Path, picture: np.ndarray, kind: str = "half", *, at: tuple[int, int] = (0, 0),
    display: tuple[int, int] | None = None, tile: int = 0,
) -> Path:  # fmt: skip
    """Write with any number of channels and any type; `at` is where it begins in a display window of that size."""
    channels = picture.shape[2]
    spec = oiio.ImageSpec(picture.shape[1], picture.shape[0], channels, kind)
    if channels == 4:
        spec.channelnames = ("R", "G", "B", "A")
    spec.x, spec.y = at
    spec.full_width, spec.full_height = display or (picture.shape[1], picture.shape[0])
    spec.tile_width = spec.tile_height = tile
    output = oiio.ImageOutput.create(str(path))
    assert output is not None and output.open(str(path), spec), oiio.geterror()
    output.write_image(np.ascontiguousarray(picture, dtype=np.float32))
    output.close()
    return path


def write_layered(path: Path, layers: dict[str, np.ndarray], kind: str = "half") -> Path:
    """Save pictures as layers of one EXR; empty is its own R, G and B. Channels stand by name, as files have them."""
    named = {
        f"{layer}.{each}" if layer else each: picture[..., index]
        for layer, picture in layers.items()
        for index, each in enumerate("RGB")
    }
    names = sorted(named)
    values = np.ascontiguousarray(np.stack([named[name] for name in names], axis=-1), np.float32)
    spec = oiio.ImageSpec(values.shape[1], values.shape[0], len(names), kind)
    spec.channelnames = names
    spec.attribute("compression", "piz")
    file = oiio.ImageOutput.create(str(path))
    if not (file.open(str(path), spec) and file.write_image(values) and file.close()):
        raise OSError(file.geterror())
    return path


def hollow_png(path: Path, width: int, height: int, rows: int) -> Path:
    """A small file of a very large black picture, of which it holds some rows."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    packer = zlib.compressobj(1)
    line = bytes(1 + 4 * width)
    packed = b"".join(packer.compress(line) for _ in range(rows)) + packer.flush()
    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", packed) + chunk(b"IEND", b"") + bytes(2_000_000)
    )
    return path
