"""Guides of one picture: the passes that need no light."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from standins.tracing.geometry import Geometry
from standins.tracing.guide_kernels import add_guides

Floats = NDArray[np.float64]
GUIDE_PASSES = ("depth", "normal", "albedo", "occlusion")


def guides(
    geometry: Geometry, camera: Floats, frame: NDArray[np.int64], size: tuple[int, int], seed: int, samples: int,
    occlusion_reach: float,
) -> dict[str, Floats]:  # fmt: skip
    """Depth (H, W, 1) in metres, normal and albedo (H, W, 3), occlusion (H, W, 1) with 1 for open."""
    sums = np.zeros((size[1], size[0], 8))
    for sample in range(samples):
        add_guides(geometry, camera, frame, sums, seed, sample, occlusion_reach)
    mean = sums / samples
    return {"depth": mean[..., :1], "normal": mean[..., 1:4], "albedo": mean[..., 4:7], "occlusion": mean[..., 7:]}


def frame_of(size: tuple[int, int], crop: tuple[int, int, int, int]) -> NDArray[np.int64]:
    """Full width and height, and the crop's corner, as the kernels take them."""
    return np.array([size[0], size[1], crop[0], crop[1]], dtype=np.int64)
