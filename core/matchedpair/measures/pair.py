"""All measures of a pair: the trial against the control. What would mislead is refused, with the reason."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.alignment import Alignment, alignment
from matchedpair.measures.blotches import MOST_OF_HEIGHT, Blotches
from matchedpair.measures.detail import Detail, Octave
from matchedpair.measures.difference import DifferenceFigure, difference, z_map
from matchedpair.measures.figure import Ratio
from matchedpair.measures.light import Light, equal
from matchedpair.measures.look import LookFigure, look
from matchedpair.measures.noise import NO_TWIN, TwinNoise, noise_ratio
from matchedpair.measures.region import Region
from matchedpair.measures.render import Viewing
from matchedpair.measures.visible import VisibleFigure, visible_figure, visible_maps
from matchedpair.pictures.display import display_light
from matchedpair.pictures.picture import Floats, Mask

OTHER_SIZE = "the sizes differ: noise of a pixel is not the noise seen; look at both at one apparent size"
NO_EFFECT = "the pictures are bit-equal: the setting had no effect; is something else switched off?"
T = TypeVar("T")


@dataclass(frozen=True)
class PairZone:
    """What a pair says in one zone; what is None has its reason in `refused` under its name."""

    noise_ratio: Ratio | None
    difference: DifferenceFigure | None
    look: LookFigure | None
    visible: VisibleFigure | None
    refused: dict[str, str] = field(default_factory=dict)


class PairMeasures:
    """Measures of a trial against its control.

    Parameters
    ----------
    control, trial : sequence of ndarray, shape (H, W, 3)
        Linear light, one a seed; both sides of one size.
    valid : ndarray of bool, shape (H, W)
        Where all pictures count.
    viewing : Viewing

    Raises
    ------
    RefusedError
        When sizes differ, or nothing at all can be measured on a side.
    """

    def __init__(
        self, control: Sequence[Floats], trial: Sequence[Floats], valid: Mask, *, viewing: Viewing | None = None
    ) -> None:
        if any(picture.shape != control[0].shape for picture in [*control, *trial]):
            raise RefusedError("pair", OTHER_SIZE)
        self.viewing = viewing or Viewing()
        self.valid = valid
        self._pictures = list(control), list(trial)
        self.control, self.trial = Light(control, valid), Light(trial, valid)

    @cached_property
    def identical(self) -> bool:
        """Whether a picture of the trial is bit-equal to one of the control."""
        return any(equal(first, second) for first in self._pictures[0] for second in self._pictures[1])

    @cached_property
    def alignment(self) -> Alignment:
        """How the trial lies over the control."""
        return alignment(self.control, self.trial)

    def zone(self, mask: Mask) -> PairZone:
        """Compare both sides in one zone, a mask of shape (H, W)."""
        refused: dict[str, str] = {}
        try:
            region = Region(mask & self.valid)
        except RefusedError as refusal:
            names = ("noise_ratio", "difference", "look", "visible")
            return PairZone(None, None, None, None, dict.fromkeys(names, refusal.reason))

        def get(name: str, measure: Callable[[], T]) -> T | None:
            try:
                return measure()
            except RefusedError as refusal:
                refused[name] = refusal.reason
                return None

        return PairZone(
            get("noise_ratio", lambda: self._noise_ratio(region)),
            get("difference", lambda: self.difference(region)),
            get("look", lambda: self._look(region)),
            get("visible", lambda: self._visible(region)),
            refused,
        )

    def difference(self, region: Region) -> DifferenceFigure:
        """Whether there is a difference at all. Raises `RefusedError`."""
        if self.identical:
            raise RefusedError("difference", NO_EFFECT)
        self._refuse("difference")
        return difference(self.control, self.trial, region, blotch_scale=self._blotch_scale)

    def detail(self, region: Region) -> tuple[Octave, ...]:
        """How much of the control's detail the trial keeps, finest octave first. Raises `RefusedError`."""
        if self.identical:
            raise RefusedError("detail", NO_EFFECT)
        self._refuse("detail")
        return self._detail.octaves(region)

    def layer(self, name: str) -> Floats:
        """The map ``difference`` (z) or ``visible`` (ΔE), shape (H, W). Raises `RefusedError`."""
        if name == "difference":
            shown = z_map(self.difference(Region(self.valid)), self.control.shape)
        else:
            shown = self._visible_maps[0]
        return np.where(self.valid, shown, np.float32(np.nan)).astype(np.float32)

    def _refuse(self, measure: str, *, by_pixel: bool = False) -> None:
        reason = self.alignment.shifted or (self.alignment.filtered if by_pixel else "")
        if reason:
            raise RefusedError(measure, reason)

    def _noise_ratio(self, region: Region) -> Ratio:
        if self.identical:
            raise RefusedError("noise_ratio", NO_EFFECT)
        self._refuse("noise_ratio", by_pixel=True)
        for name, pictures in zip(("control", "trial"), self._pictures, strict=True):
            if len(pictures) < 2:
                raise RefusedError("noise_ratio", f"the {name}: {NO_TWIN}")
        control, trial = (noise.figure(region) for noise in self._twin_noises)
        return noise_ratio(control, trial)

    @cached_property
    def _twin_noises(self) -> tuple[TwinNoise, TwinNoise]:
        return TwinNoise(self.control), TwinNoise(self.trial)

    @cached_property
    def _blotch_scale(self) -> float | None:
        """The wider scale of slow patches on either side; None when there are none, or nothing to tell them by."""
        scales = []
        region = Region(self.valid)
        for light in (self.control, self.trial):
            if len(light.y) < 2:
                continue
            try:
                found = Blotches(light.differences, region, share=0.5, method="twin").figure(region)
            except RefusedError:
                continue
            if found.found:
                scales.append(found.scale.value if found.scale else light.shape[0] / MOST_OF_HEIGHT)
        return max(scales, default=None)

    @cached_property
    def _detail(self) -> Detail:
        return Detail(self.trial, self.control)

    def _look(self, region: Region) -> LookFigure:
        if self.alignment.mismatch:
            raise RefusedError("look", self.alignment.mismatch)
        control, trial = self._pictures
        return look(self.trial, trial, self.control, control, region, method="pair")

    @cached_property
    def _visible_maps(self) -> list[Floats]:
        """ΔE of the control against the trial, and against its own twin."""
        self._refuse("visible")
        control, trial = self._pictures
        holes = None if self.valid.all() else ~self.valid
        pictures = []
        for picture in [control[0], trial[0], *control[1:2]]:
            pictures.append(picture if holes is None else np.where(holes[..., None], np.float32(0.0), picture))
        return visible_maps(pictures, self._display, self.viewing.pixels_per_degree)

    def _display(self, pixels: Floats) -> Floats:
        return display_light(pixels, self.viewing.transform, self.viewing.exposure)

    def _visible(self, region: Region) -> VisibleFigure:
        maps = self._visible_maps
        own = maps[1] if len(maps) > 1 else None
        return visible_figure(maps[0], own, region, self.viewing.pixels_per_degree)
