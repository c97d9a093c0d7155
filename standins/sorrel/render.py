"""One Sorrel render: photons first when focused light is on, then camera paths that leave that light to them."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

import numpy as np

from standins.command import Pictures
from standins.place import Place
from standins.sorrel.kernels import add_photons, carry_photons
from standins.tracing.geometry import Geometry
from standins.tracing.guides import GUIDE_PASSES, guides
from standins.tracing.path_render import PathRender, PathSettings
from standins.tracing.point_grid import build_grid
from standins.tracing.scene_file import SceneFile

PHOTON_BOUNCES = 12


class SorrelRender:
    """Camera paths never find focused light by themselves; photons bring it when there are any."""

    def __init__(self, scene: tuple[SceneFile, Geometry], place: Place, seed: int, parsed: argparse.Namespace) -> None:
        self.parsed, self.seed = parsed, seed
        self.paths = PathRender(*scene, place, seed, PathSettings(
            samples=parsed.samples, bounces=parsed.bounces, clamp=parsed.brightest, light_picking="estimate",
            focus=True,
        ))  # fmt: skip
        lit = len(scene[1].light_shape) > 0 and scene[1].light_power.sum() > 0.0
        self.photon_count = parsed.photons if parsed.focused_light and lit else 0
        self.photons = np.zeros((self.photon_count, 10))
        self.grid = build_grid(np.zeros((0, 3)), parsed.photon_radius)
        self.focused = np.zeros((*self.paths.sums.shape[:2], 3))

    def prepare(self) -> None:
        """Compile all kernels on tiny pictures."""
        self.paths.prepare()
        if self.photon_count or self.parsed.warm:
            few = np.zeros((64, 10))
            carry_photons(self.paths.geometry, few, self.seed, PHOTON_BOUNCES)
            add_photons(self.grid, few, np.zeros((9, 16, 9)), np.zeros((9, 16, 3)), float(self.parsed.photon_radius))

    def steps(self) -> Iterator[tuple[int, int]]:
        """Photons count as one step, then one a sample."""
        whole = self.parsed.samples + 1
        if self.photon_count:
            carry_photons(self.paths.geometry, self.photons, self.seed, PHOTON_BOUNCES)
            self.photons = self.photons[self.photons[:, 9] > 0.0]
            self.grid = build_grid(self.photons[:, :3], self.parsed.photon_radius)
        yield 1, whole
        for done in self.paths.samples():
            if len(self.photons):
                radius = float(self.parsed.photon_radius)
                add_photons(self.grid, self.photons, self.paths.firsts, self.focused, radius)
            yield done + 1, whole

    def reached(self) -> int:
        """Samples so far."""
        return self.paths.done

    def structure_bytes(self) -> int:
        """Memory of photons, their grid, and the sums."""
        grid = self.grid.starts.nbytes + self.grid.order.nbytes
        return self.photons.nbytes + grid + self.focused.nbytes + self.paths.structure_bytes()

    def pictures(self, passes: tuple[str, ...]) -> Pictures:
        """The picture and the asked passes; ``focused`` is what the photons brought, part of the indirect light."""
        direct, focused = self.paths.direct(), self.focused / max(self.paths.done, 1)
        light = self.paths.light() + focused
        made = {"picture": light, "direct": direct, "indirect": light - direct, "focused": focused}
        if any(name in GUIDE_PASSES for name in passes):
            made |= guides(self.paths.geometry, self.paths.camera, self.paths.frame, self.paths.size, self.seed, 8, 0.0)
        return {name: made[name] for name in ("picture", *passes)}
