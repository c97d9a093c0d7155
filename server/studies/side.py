"""An option before it is a row: its scene, setup, engine, build, settings and brightness, all resolved."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass, replace
from typing import Any

from matchedpair.engines import EngineDefinition, RenderJob, unsupported
from matchedpair.engines.definition import Build
from matchedpair.engines.setting import Value
from matchedpair.scenes import DEPTHS, Scene, Setup

from server.catalogue.engines import factor_of, pixel_settings

LEAST_SIDE = 16


@dataclass(frozen=True)
class SideDraft:
    """An option, resolved."""

    scene: Scene
    setup: Setup
    engine: EngineDefinition
    build: Build
    settings: dict[str, Value]
    brightness: dict[str, Any] | None

    @property
    def knob(self) -> str:
        """The name of the quality knob; empty when there is none."""
        return self.engine.quality_knob.name if self.engine.quality_knob else ""

    def conditions(self) -> dict[str, Any]:
        """What is known of this side before anything has run."""
        return self.setup.conditions() | {
            "engine": self.engine.title,
            "version": self.build.title or (self.build.name if len(self.engine.builds) > 1 else None),
            "device": self.build.device,
            "settings": self.settings,
            "quality_knob": self.knob or None,
            "brightness": self.brightness,
            "denoisers": self.engine.denoisers,
            "titles": {setting.name: setting.title for setting in self.engine.settings},
            "pixel_settings": pixel_settings(self.engine.name, self.settings),
        }

    def key(self, *, but_for: str = "") -> str:
        """Hash of all that makes the picture; a setting may be left out to find sides that differ in it alone."""
        settings = {name: value for name, value in self.settings.items() if name != but_for}
        factor = self.brightness["factor"] if self.brightness else 1.0
        made_of = [asdict(self.setup) | {"view_transform": ""}, self.engine.name, self.build.name, settings, factor]
        return hashlib.sha256(json.dumps(made_of, sort_keys=True, default=str).encode()).hexdigest()

    def unsupported(self, passes: tuple[str, ...]) -> dict[str, str]:
        """What the engine's definition gives no way to ask for, by part."""
        setup = self.setup
        job = RenderJob(
            scene=None, view=setup.view, frame=setup.frame, width=setup.width, height=setup.height, seed=0, threads=1,  # type: ignore[arg-type]  # never called
            settings=self.settings, time_limit_seconds=1, build=self.build.name, crop=setup.crop,
            variant=self.scene.drawn_as(setup.variant), quantities=setup.quantities, passes=passes,
            depth=DEPTHS[setup.output_format],
        )  # fmt: skip
        problems = unsupported(self.engine, job)
        own = self.scene.problem_for(self.engine.name, setup.variant)
        return problems | ({"scene": own} if own else {})

    def smaller(self, scale: float) -> SideDraft:
        """At a share of its width and height; its part of the picture shrinks with it."""
        width, height = (max(LEAST_SIDE, round(side * scale)) for side in (self.setup.width, self.setup.height))
        crop = self.setup.crop
        if crop:
            across, down = width / self.setup.width, height / self.setup.height
            x, y = int(crop[0] * across), int(crop[1] * down)
            wide, high = max(1, round(crop[2] * across)), max(1, round(crop[3] * down))
            crop = (x, y, min(wide, width - x), min(high, height - y))
        return replace(self, setup=replace(self.setup, width=width, height=height, crop=crop))


def make_side(scene: Scene, setup: Setup, engine: EngineDefinition, build: str, settings: dict[str, Any]) -> SideDraft:
    """With defaults for what is not set. Raises `SettingsError`."""
    factor = factor_of(engine.name)
    brightness = {"factor": factor.factor, "evidence": factor.evidence()} if factor else None
    return SideDraft(scene, setup, engine, engine.build(build), engine.complete(settings), brightness)
