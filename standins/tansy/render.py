"""One Tansy render: gather points first, then samples of direct light."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

import numpy as np

from standins.command import Pictures
from standins.place import Place
from standins.tansy.kernels import add_direct, gather
from standins.tracing.geometry import Geometry, camera_rays
from standins.tracing.guides import frame_of, guides
from standins.tracing.scene_file import SceneFile


class TansyRender:
    """Direct light by samples; indirect light from gather points on a lattice over the whole picture."""

    def __init__(self, scene: tuple[SceneFile, Geometry], place: Place, seed: int, parsed: argparse.Namespace) -> None:
        file, self.geometry = scene
        if not (parsed.air and parsed.air_steps):
            # off means off: no light is lost in mist that is not drawn
            self.geometry = self.geometry._replace(mist=np.zeros_like(self.geometry.mist))
        self.parsed, self.seed = parsed, seed
        self.camera = camera_rays(file.view(place.view), *place.size)
        self.frame = frame_of(place.size, place.crop)
        x, y, width, height = place.crop
        step = parsed.gather_spacing
        first = np.array([x // step - 1, y // step - 1], dtype=np.int64)
        last = np.array([(x + width) // step + 2, (y + height) // step + 2], dtype=np.int64)
        self.corner = first
        self.points = np.zeros((int(last[1] - first[1]) + 1, int(last[0] - first[0]) + 1, 12))
        self.sums = np.zeros((height, width, 7))

    def prepare(self) -> None:
        """Compile both kernels on tiny pictures."""
        self._gather(np.zeros((2, 2, 12)), 1)
        self._sample(np.zeros((9, 16, 7)), 0)

    def steps(self) -> Iterator[tuple[int, int]]:
        """Gathering counts as one step, then one a sample."""
        whole = self.parsed.direct_samples + 1
        self._gather(self.points, self.parsed.gather_rays)
        yield 1, whole
        for sample in range(self.parsed.direct_samples):
            self._sample(self.sums, sample)
            yield sample + 2, whole

    def structure_bytes(self) -> int:
        """Memory of the gather points and sums."""
        return self.points.nbytes + self.sums.nbytes

    def pictures(self, passes: tuple[str, ...]) -> Pictures:
        """The picture and the asked passes; occlusion is interpolated between the gather points like the light."""
        mean = self.sums / self.parsed.direct_samples
        made = {
            "picture": mean[..., :3] + mean[..., 3:6], "direct": mean[..., :3], "indirect": mean[..., 3:6],
        }  # fmt: skip
        if any(name in ("depth", "normal", "albedo") for name in passes):
            size = (self.sums.shape[1], self.sums.shape[0])
            made |= guides(self.geometry, self.camera, self.frame, size, self.seed, 8, 0.0)
        made["occlusion"] = mean[..., 6:]
        return {name: made[name] for name in ("picture", *passes)}

    def _gather(self, points: np.ndarray, rays: int) -> None:
        p = self.parsed
        gather(
            self.geometry, self.camera, self.frame, p.gather_spacing, self.corner, points, self.seed, rays, p.bounces,
            float(p.occlusion_reach),
        )  # fmt: skip

    def _sample(self, sums: np.ndarray, sample: int) -> None:
        p = self.parsed
        add_direct(
            self.geometry, self.camera, self.frame, sums, self.points, self.corner, p.gather_spacing, self.seed, sample,
            float(p.smoothing), p.air_steps if p.air else 0,
        )  # fmt: skip
