"""One Sedge render: for each frame of its history, shadow maps, then looks at the screen with shifted pixels."""

from __future__ import annotations

import argparse
from collections.abc import Iterator

import numpy as np

from standins.command import Pictures
from standins.place import Place
from standins.sedge.kernels import BUFFER, add_screen, fill_buffer, fill_shadow_maps
from standins.tracing.geometry import Geometry, build_geometry, camera_rays
from standins.tracing.guides import frame_of, guides
from standins.tracing.scene_changes import read_scene
from standins.tracing.scene_file import SceneFile, View

MOST_SHADOWED = 8
KEPT_SHARE = 0.6  # what of the picture before goes into the next, when history is on
MARGIN = 24  # pixels around a crop that may still occlude


class SedgeRender:
    """`history` frames before this one are blended in, so that what moves lags behind."""

    def __init__(self, scene: tuple[SceneFile, Geometry], place: Place, seed: int, parsed: argparse.Namespace) -> None:
        file, self.geometry = scene
        self.parsed, self.seed = parsed, seed
        self.view: View = file.view(place.view)
        self.camera = camera_rays(self.view, *place.size)
        x, y, width, height = place.crop
        left, top = min(x, MARGIN), min(y, MARGIN)
        right, bottom = min(place.size[0] - x - width, MARGIN), min(place.size[1] - y - height, MARGIN)
        self.corner = np.array([top, left], dtype=np.int64)
        self.wide_frame = frame_of(place.size, (x - left, y - top, 0, 0))
        self.frame = frame_of(place.size, place.crop)
        self.buffer = np.zeros((height + top + bottom, width + left + right, BUFFER))
        self.size = (width, height)
        self.maps = np.zeros((0, 1, 1))
        self.mean = np.zeros((height, width, 7))

    def prepare(self) -> None:
        """Compile all kernels on a tiny picture."""
        self._look(self.geometry, self._shadows(self.geometry, 4), np.zeros((9, 16, BUFFER)), np.zeros((1, 1, 7)), 0, 0)

    def steps(self) -> Iterator[tuple[int, int]]:
        """One a look at one frame."""
        frames = list(range(self.parsed.frame - self.parsed.history, self.parsed.frame + 1))
        looks = self.parsed.looks
        for index, frame in enumerate(frames):
            geometry = self.geometry if frame == self.parsed.frame else self._at(frame)
            shadowed = self._shadows(geometry, self.parsed.shadow_resolution)
            sums = np.zeros_like(self.mean)
            for look in range(looks):
                self._look(geometry, shadowed, self.buffer, sums, frame, look)
                yield index * looks + look + 1, len(frames) * looks
            kept = KEPT_SHARE if index else 0.0
            self.mean = kept * self.mean + (1.0 - kept) * sums / looks

    def frames(self) -> int:
        """This one and those of its history."""
        return int(self.parsed.history) + 1

    def structure_bytes(self) -> int:
        """Memory of shadow maps and the screen's buffer."""
        return self.maps.nbytes + self.buffer.nbytes + self.mean.nbytes

    def pictures(self, passes: tuple[str, ...]) -> Pictures:
        """The picture and the asked passes; occlusion is what the screen knows of it."""
        made = {
            "picture": self.mean[..., :3] + self.mean[..., 3:6], "direct": self.mean[..., :3],
            "indirect": self.mean[..., 3:6],
        }  # fmt: skip
        if any(name in ("depth", "normal", "albedo") for name in passes):
            made |= guides(self.geometry, self.camera, self.frame, self.size, self.seed, 4, 0.0)
        made["occlusion"] = self.mean[..., 6:]
        return {name: made[name] for name in ("picture", *passes)}

    def _at(self, frame: int) -> Geometry:
        p = self.parsed
        return build_geometry(read_scene(p.scene, p.variant, frame, dict(p.quantity)), p.light_scale)

    def _shadows(self, geometry: Geometry, resolution: int) -> np.ndarray:
        """Shadow maps of the lights that matter most where the camera looks; index of each light's map, or -1."""
        target = np.array(self.view.look_at)
        away = ((geometry.light_place[:, :3] - target) ** 2).sum(1) + 0.01
        order = np.argsort(-geometry.light_power / away, kind="stable")[:MOST_SHADOWED].astype(np.int64)
        self.maps = np.zeros((max(len(order), 1), resolution, resolution))
        if len(order):
            fill_shadow_maps(geometry, order, self.maps)
        shadowed = np.full(len(geometry.light_power), -1, dtype=np.int64)
        shadowed[order] = np.arange(len(order))
        return shadowed

    def _look(
        self, geometry: Geometry, shadowed: np.ndarray, buffer: np.ndarray, sums: np.ndarray, frame: int, look: int
    ) -> None:
        p = self.parsed
        side = max(1, round(p.looks**0.5))
        shift_x, shift_y = (look % side + 0.5) / side, (look // side % side + 0.5) / side
        if p.looks == 1:
            shift_x = shift_y = 0.5
        fill_buffer(
            geometry, self.camera, self.wide_frame, shadowed, self.maps, p.shadow_blur, shift_x, shift_y, buffer
        )
        bounce = p.screen_bounce and p.occlusion_rays > 0
        add_screen(
            geometry, self.camera, self.frame, buffer, self.corner, sums, self.seed + 1009 * (frame + 1000), look,
            float(p.occlusion_reach), p.occlusion_rays, bounce,
        )  # fmt: skip
