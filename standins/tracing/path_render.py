"""A picture made of camera paths, a sample of every pixel at a time, evenly or until each pixel is clean enough."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from standins.place import Place
from standins.tracing.geometry import Geometry, camera_rays
from standins.tracing.guides import frame_of
from standins.tracing.light_kernels import PICK_ESTIMATE, PICK_POWER, PICK_UNIFORM
from standins.tracing.path_kernels import add_paths
from standins.tracing.scene_file import SceneFile

LIGHT_PICKING = {"uniform": PICK_UNIFORM, "power": PICK_POWER, "estimate": PICK_ESTIMATE}
NO_LIMIT = 64
LOOK_EVERY = 4


@dataclass(frozen=True)
class PathSettings:
    """How paths are followed; a noise target of 0 gives every pixel the same number of samples."""

    samples: int
    bounces: int
    matte_bounces: int = NO_LIMIT
    metal_bounces: int = NO_LIMIT
    glass_bounces: int = NO_LIMIT
    clamp: float = 0.0
    light_picking: str = "power"
    focus: bool = False
    even: bool = False
    filter_width: float = 0.0
    noise_target_percent: float = 0.0
    least_samples: int = 8


class PathRender:
    """Sums over the samples so far."""

    def __init__(self, scene: SceneFile, geometry: Geometry, place: Place, seed: int, settings: PathSettings) -> None:
        self.settings, self.seed, self.geometry = settings, seed, geometry
        self.camera = camera_rays(scene.view(place.view), *place.size)
        self.frame = frame_of(place.size, place.crop)
        self.size = (place.crop[2], place.crop[3])
        shape = (self.size[1], self.size[0])
        self.sums: NDArray[np.float64] = np.zeros((*shape, 7))
        self.counts: NDArray[np.int64] = np.zeros(shape, np.int64)
        self.active: NDArray[np.bool_] = np.ones(shape, np.bool_)
        self.done = 0
        self.firsts = np.zeros((*shape, 9) if settings.focus else (1, 1, 9))

    def prepare(self) -> None:
        """Compile by rendering a tiny picture with exactly the argument types of the real one."""
        firsts = np.zeros((9, 16, 9) if self.settings.focus else (1, 1, 9))
        self._add(np.zeros((9, 16, 7)), np.zeros((9, 16), np.int64), np.ones((9, 16), np.bool_), firsts, 0)

    def samples(self) -> Iterator[int]:
        """Yield the number of finished samples after each; ends early when every pixel is clean enough."""
        for sample in range(self.settings.samples):
            self._add(self.sums, self.counts, self.active, self.firsts, sample)
            if self.settings.noise_target_percent > 0.0:
                self._settle(sample + 1)
            self.done = sample + 1
            yield self.done
            if not self.active.any():
                return

    def light(self) -> NDArray[np.float64]:
        """Mean light, (H, W, 3)."""
        return self.sums[..., :3] / self.counts[..., None]

    def direct(self) -> NDArray[np.float64]:
        """Of it, what was scattered at most once, (H, W, 3)."""
        return self.sums[..., 3:6] / self.counts[..., None]

    def structure_bytes(self) -> int:
        """Memory of the sums."""
        return self.sums.nbytes + self.counts.nbytes + self.active.nbytes + self.firsts.nbytes

    def _settle(self, done: int) -> None:
        """Let pixels rest whose neighbourhood is below the noise target."""
        from scipy.ndimage import uniform_filter  # noqa: PLC0415 - half a second that only this setting should cost

        s = self.settings
        if done < s.least_samples or done % LOOK_EVERY:
            return
        mean = (self.sums[..., :3] @ np.array([0.2126, 0.7152, 0.0722])) / self.counts
        variance = np.maximum(self.sums[..., 6] / self.counts - mean * mean, 0.0) / self.counts
        floor = 0.01 * mean.mean() + 1e-12
        noise = 100.0 * np.sqrt(uniform_filter(variance, 3)) / (uniform_filter(mean, 3) + floor)
        self.active &= noise > s.noise_target_percent

    def _add(
        self, sums: NDArray[np.float64], counts: NDArray[np.int64], active: NDArray[np.bool_],
        firsts: NDArray[np.float64], sample: int,
    ) -> None:  # fmt: skip
        s = self.settings
        limits = np.array([s.bounces, s.matte_bounces, s.metal_bounces, s.glass_bounces], dtype=np.int64)
        add_paths(
            self.geometry, self.camera, self.frame, sums, counts, active, firsts, self.seed, sample, limits,
            float(s.clamp), LIGHT_PICKING[s.light_picking], s.focus, s.even, float(s.filter_width),
        )  # fmt: skip
