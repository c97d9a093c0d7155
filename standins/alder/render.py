"""One Alder render: get ready, then one pass a sample."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from standins.alder.kernels import PICK_ESTIMATE, PICK_POWER, PICK_UNIFORM, add_sample
from standins.tracing.geometry import Geometry, build_geometry, camera_rays
from standins.tracing.scene_file import SceneFile, View

LIGHT_PICKING = {"uniform": PICK_UNIFORM, "power": PICK_POWER, "estimate": PICK_ESTIMATE}


@dataclass(frozen=True)
class Settings:
    """Alder's settings; see its engine definition for ranges and meaning."""

    samples: int
    bounces: int
    clamp: float
    light_picking: str


def warm_up() -> None:
    """Compile every kernel into the cache by rendering a scene of one sphere and one light."""
    glow = {"kind": "glow", "radiance": [1.0, 1.0, 1.0]}
    grey = {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]}
    scene = SceneFile(
        name="warm-up",
        views={"front": View((0.0, 0.0, 3.0), (0.0, 0.0, 0.0), 40.0)},
        sky_horizon=(0.1, 0.1, 0.1),
        sky_zenith=(0.1, 0.1, 0.1),
        materials={"glow": glow, "grey": grey},
        shapes=[
            {"kind": "sphere", "material": "grey", "centre": [0, 0, 0], "radius": 1},
            {"kind": "sphere", "material": "glow", "centre": [0, 3, 0], "radius": 1},
        ],
    )
    Render(scene, "front", (16, 9), 0, Settings(1, 8, 0.0, "power")).prepare()


class Render:
    """A picture in the making. `prepare` loads and compiles; `passes` yields after each sample of every pixel."""

    def __init__(self, scene: SceneFile, view: str, size: tuple[int, int], seed: int, settings: Settings) -> None:
        self.settings = settings
        self.seed = seed
        self.geometry: Geometry = build_geometry(scene)
        self.camera = camera_rays(scene.view(view), *size)
        self.sums: NDArray[np.float64] = np.zeros((size[1], size[0], 3))

    def prepare(self) -> None:
        """Compile by rendering a tiny picture with exactly the argument types of the real one."""
        self._sample(np.zeros((9, 16, 3)), 0)

    def passes(self) -> Iterator[int]:
        """Yield the number of finished samples after each."""
        for sample in range(self.settings.samples):
            self._sample(self.sums, sample)
            yield sample + 1

    def picture(self) -> NDArray[np.float32]:
        """The mean over all samples, float32, shape (H, W, 3), linear Rec.709."""
        return np.asarray(self.sums / self.settings.samples, dtype=np.float32)

    def _sample(self, sums: NDArray[np.float64], sample: int) -> None:
        s = self.settings
        add_sample(
            self.geometry, self.camera, sums, self.seed, sample, s.bounces, float(s.clamp),
            LIGHT_PICKING[s.light_picking],
        )  # fmt: skip
