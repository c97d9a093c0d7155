"""All measures of a pair: the trial against the control. What would mislead is refused, with the reason."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import TypeVar

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.alignment import Alignment, alignment
from matchedpair.measures.detail import Detail, Octave
from matchedpair.measures.difference import HALF_ROUNDING, DifferenceFigure, difference, z_map
from matchedpair.measures.figure import Ratio
from matchedpair.measures.light import equal
from matchedpair.measures.look import LookFigure, look
from matchedpair.measures.noise import NO_TWIN, NoiseFigure, noise_ratio, total_noise_ratio
from matchedpair.measures.pair_side import PairSide, refuse_other_size
from matchedpair.measures.places import NOTHING, TOO_FEW, ratio_map
from matchedpair.measures.region import Region
from matchedpair.measures.render import Viewing
from matchedpair.measures.visible import VisibleFigure, visible_figure, visible_noise, visible_noise_ratio
from matchedpair.pictures.picture import Floats, Mask

NO_EFFECT = "the pictures are bit-equal: the setting had no effect; is something else switched off?"
PARTS = ("noise_ratio", "total_noise_ratio", "visible_noise_ratio", "difference", "look", "visible")
T = TypeVar("T")


@dataclass(frozen=True)
class PairZone:
    """What a pair says in one zone; what is None has its reason in `refused` under its name."""

    noise_ratio: Ratio | None
    total_noise_ratio: Ratio | None
    visible_noise_ratio: Ratio | None
    difference: DifferenceFigure | None
    look: LookFigure | None
    visible: VisibleFigure | None
    refused: dict[str, str] = field(default_factory=dict)


class PairMeasures:
    """Measures of a trial against its control.

    Parameters
    ----------
    control, trial : PairSide
        Of one size, over the same pixels, seen the same way.
    rounding : float
        Relative step of the coarser side's storage.

    Raises
    ------
    RefusedError
        When sizes differ.
    """

    def __init__(self, control: PairSide, trial: PairSide, *, rounding: float = HALF_ROUNDING) -> None:
        refuse_other_size([*control.pictures, *trial.pictures])
        self._sides = control, trial
        self.control, self.trial = control.light, trial.light
        self.valid = control.valid
        self._rounding = rounding

    @classmethod
    def of(
        cls,
        control: Sequence[Floats],
        trial: Sequence[Floats],
        valid: Mask,
        *,
        viewing: Viewing | None = None,
        rounding: float = HALF_ROUNDING,
    ) -> PairMeasures:
        """Of pictures in linear light, shape (H, W, 3), one a seed, and where all of them count, shape (H, W).

        Raises `RefusedError` when sizes differ, or nothing at all can be measured on a side.
        """
        refuse_other_size([*control, *trial])
        return cls(*(PairSide(pictures, valid, viewing=viewing) for pictures in (control, trial)), rounding=rounding)

    @property
    def no_twins(self) -> dict[str, str]:
        """Why the pictures of ``control`` or ``trial`` are no twins, where they are not."""
        named = zip(("control", "trial"), self._sides, strict=True)
        return {name: side.no_twins for name, side in named if side.no_twins}

    @cached_property
    def identical(self) -> bool:
        """Whether a picture of the trial is bit-equal to one of the control."""
        control, trial = (side.pictures for side in self._sides)
        return any(equal(first, second) for first in control for second in trial)

    @cached_property
    def alignment(self) -> Alignment:
        """How the trial lies over the control."""
        return alignment(*(side.landmarks for side in self._sides))

    def zone(self, mask: Mask, *, ratios: bool = True) -> PairZone:
        """Compare both sides in one zone, a mask of shape (H, W).

        Without `ratios` those of noise are left out, for whoever has both sides' own figures already.
        """
        refused: dict[str, str] = {}
        try:
            region = Region(mask & self.valid)
        except RefusedError as refusal:
            return PairZone(None, None, None, None, None, None, dict.fromkeys(PARTS, refusal.reason))

        def get(name: str, measure: Callable[[], T]) -> T | None:
            try:
                return measure()
            except RefusedError as refusal:
                refused[name] = refusal.reason
                return None

        found: list[Ratio | None] = [None, None, None]
        if ratios:
            noises = cache(lambda: self._noises(region))
            found = [
                get("noise_ratio", lambda: noise_ratio(*noises())),
                get("total_noise_ratio", lambda: total_noise_ratio(*noises())),
                get("visible_noise_ratio", lambda: self._visible_noise_ratio(region)),
            ]
        return PairZone(
            found[0],
            found[1],
            found[2],
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
        return difference(self.control, self.trial, region, blotch_scale=self._blotch_scale, rounding=self._rounding)

    def detail(self, region: Region) -> tuple[Octave, ...]:
        """How much of the control's detail the trial keeps, finest octave first. Raises `RefusedError`."""
        if self.identical:
            raise RefusedError("detail", NO_EFFECT)
        self._refuse("detail")
        return self._detail.octaves(region)

    def layer(self, name: str) -> Floats:
        """The map ``difference`` (z), ``cleaner`` (log2 of the noise ratio) or ``visible`` (ΔE), shape (H, W).

        Raises `RefusedError`.
        """
        if name == "cleaner":
            return self._cleaner()
        if name == "difference":
            shown = z_map(self.difference(Region(self.valid)), self.control.shape)
        else:
            shown = self._visible_map
        return np.where(self.valid, shown, np.float32(np.nan)).astype(np.float32)

    def _refuse(self, measure: str, *, by_pixel: bool = False) -> None:
        reason = self.alignment.shifted or (self.alignment.filtered if by_pixel else "")
        if reason:
            raise RefusedError(measure, reason)

    def _cleaner(self) -> Floats:
        """log2 of the trial's noise over the control's around each pixel, by places."""
        control, trial = (figure.places for figure in self._noises(Region(self.valid)))
        if control is None or trial is None:
            raise RefusedError("noise_ratio", TOO_FEW)
        found = ratio_map(control, trial, NOTHING)
        shown = np.full(self.control.shape, np.nan, dtype=np.float32)
        enlarged = np.repeat(np.repeat(found.logs, found.side, axis=0), found.side, axis=1)
        top, left = found.top * found.side, found.left * found.side
        part = shown[top : top + enlarged.shape[0], left : left + enlarged.shape[1]]
        part[:] = enlarged[: part.shape[0], : part.shape[1]]
        return np.where(self.valid, shown, np.float32(np.nan))

    def _noises(self, region: Region) -> tuple[NoiseFigure, NoiseFigure]:
        """Both sides' noise, when it compares. Raises `RefusedError`."""
        self._refuse_without_twins("noise_ratio")
        self._refuse("noise_ratio", by_pixel=True)
        control, trial = (side.twin_noise.figure(region) for side in self._sides)
        return control, trial

    def _refuse_without_twins(self, measure: str) -> None:
        if self.identical:
            raise RefusedError(measure, NO_EFFECT)
        for name, side in zip(("control", "trial"), self._sides, strict=True):
            if len(side.pictures) < 2:
                raise RefusedError(measure, f"the {name}: {side.no_twins or NO_TWIN}")

    def _visible_noise_ratio(self, region: Region) -> Ratio:
        self._refuse_without_twins("visible_noise_ratio")
        self._refuse("visible_noise_ratio")
        control, trial = (visible_noise(side.own_visible, region, side.light.correlation) for side in self._sides)
        return visible_noise_ratio(control, trial)

    @cached_property
    def _blotch_scale(self) -> float | None:
        """The wider scale of slow patches on either side; None when there are none, or nothing to tell them by."""
        return max((side.blotch_scale for side in self._sides if side.blotch_scale is not None), default=None)

    @cached_property
    def _detail(self) -> Detail:
        return Detail(self.trial, self.control)

    def _look(self, region: Region) -> LookFigure:
        if self.alignment.mismatch:
            raise RefusedError("look", self.alignment.mismatch)
        control, trial = (side.pictures for side in self._sides)
        return look(self.trial, trial, self.control, control, region, method="pair")

    @cached_property
    def _visible_map(self) -> Floats:
        """ΔE of the control against the trial."""
        self._refuse("visible")
        control, trial = self._sides
        return control.seen_beside([trial.pictures[0]])[0]

    def _visible(self, region: Region) -> VisibleFigure:
        control = self._sides[0]
        own = control.own_visible if len(control.pictures) > 1 else None
        return visible_figure(self._visible_map, own, region, control.viewing.pixels_per_degree)
