"""One Alder render: paths, guides where a pass or the denoiser wants them, and the denoiser."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

from standins.command import Pictures
from standins.place import Place
from standins.tracing.denoise import denoised
from standins.tracing.geometry import Geometry
from standins.tracing.guides import GUIDE_PASSES, guides
from standins.tracing.path_render import PathRender, PathSettings
from standins.tracing.scene_file import SceneFile

GUIDE_SAMPLES = 16


class AlderRender:
    """Paths from the camera; `even` spreads the first numbers of each path over the samples, as version 2 does."""

    def __init__(
        self, scene: tuple[SceneFile, Geometry], place: Place, seed: int, parsed: argparse.Namespace, even: bool
    ) -> None:
        self.parsed, self.seed = parsed, seed
        self.paths = PathRender(*scene, place, seed, PathSettings(
            samples=parsed.samples, bounces=parsed.bounces, matte_bounces=parsed.matte_bounces,
            metal_bounces=parsed.metal_bounces, glass_bounces=parsed.glass_bounces, clamp=parsed.indirect_clamp,
            light_picking=parsed.light_picking, even=even, filter_width=parsed.filter_width,
            noise_target_percent=parsed.noise_target, least_samples=parsed.least_samples,
        ))  # fmt: skip

    def prepare(self) -> None:
        """Compile the path kernel."""
        self.paths.prepare()

    def steps(self) -> Iterator[tuple[int, int]]:
        """One a sample."""
        for done in self.paths.samples():
            yield done, self.parsed.samples

    def reached(self) -> int:
        """Samples so far."""
        return self.paths.done

    def structure_bytes(self) -> int:
        """Memory of the sums."""
        return self.paths.structure_bytes()

    def pictures(self, passes: tuple[str, ...]) -> Pictures:
        """The picture and the asked passes; direct and indirect add up to the picture before denoising."""
        light, direct = self.paths.light(), self.paths.direct()
        made = {"picture": light, "direct": direct, "indirect": light - direct}
        if self.parsed.denoise or any(name in GUIDE_PASSES for name in passes):
            reach = self.parsed.occlusion_reach if "occlusion" in passes else 0.0
            samples = max(min(self.paths.done, GUIDE_SAMPLES), 4)
            found = guides(
                self.paths.geometry, self.paths.camera, self.paths.frame, self.paths.size, self.seed, samples, reach
            )
            if self.parsed.denoise:
                made["picture"] = denoised(light, found["normal"], found["albedo"], self.parsed.denoise_strength)
            made |= found
        return {name: made[name] for name in ("picture", *passes)}
