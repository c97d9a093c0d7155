"""A sequence of one still view: flicker, boiling, frame to frame, and the answer to a change of light, in percent.

With M the mean over the frames and w = √(M² + eps²), D_t = (Y_t − M)/w. flicker² is the mean over pixels of the
variance of D over time; boiling² the part of it that is left after a blur by 2 pixels, less what white noise leaves
there: slow patches that change from frame to frame. What a change of light explains is taken out of every pixel first.
Frames that resemble each other show too little of a variance: each part is divided by the share that frames with its
own lag-one correlation r show on average, 1 − 2/(T(T − 1))·Σ(T − k)·r^k. frame to frame² is half the mean square of the
differences of neighbouring frames: as large as flicker² where frames are independent. Lower is better.

A still view says nothing of moving cameras and objects: there the same pixel shows other things, and what a method
drags along or smears is not seen here. That something moves is seen: most of the slow change then lies in few places,
and goes on there from frame to frame, as neither grain nor patches do.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from matchedpair.errors import RefusedError
from matchedpair.measures.error import LOW, NEXT, slow_maps
from matchedpair.measures.region import Region
from matchedpair.measures.response import Response, fit_response
from matchedpair.pictures.filters import OCTAVES, blur_power, finest_bands, white_power
from matchedpair.pictures.picture import Doubles, Floats, Mask

LEAST_FRAMES = 2
EPS_SHARE = 0.01
MOST_CORRELATION = 0.95
BLOCK = 8  # pixels, over which grain is averaged to see what moves
LEAST_BLOCKS, LEAST_TO_MOVE = 40, 6  # blocks, frames
# of made pictures 0.2 to 0.3 and 0 for grain and patches, 0.76 to 0.99 and 0.83 to 0.89 where a ball rolls
FEW_HOLD, GOES_ON = 0.5, 0.6


@dataclass(frozen=True)
class SequenceFigure:
    """What one zone does over time, in percent.

    Parameters
    ----------
    boiling_share : float
        boiling² over flicker²; 0 where nothing varies.
    correlation : float
        Lag-one correlation of the slow part.
    means : tuple of float
        Mean luminance by frame.
    spread : tuple of float
        By frame how far it lies from the others' mean, in percent.
    moves : bool
        Whether things move in the picture, so that the figures hold their movement too.
    refused : dict
        Why a part is 0 or missing, by its name.
    """

    flicker_percent: float
    boiling_percent: float
    frame_to_frame_percent: float
    correlation: float
    response: Response | None
    means: tuple[float, ...]
    spread: tuple[float, ...]
    moves: bool
    refused: dict[str, str]

    @property
    def boiling_share(self) -> float:
        """How much of the flicker is slow patches."""
        return (self.boiling_percent / self.flicker_percent) ** 2 if self.flicker_percent > 0.0 else 0.0


class Frames:
    """Frames of one view, from which each zone's figures are read.

    Parameters
    ----------
    frames : sequence of ndarray, shape (H, W)
        Luminance of linear light.
    valid : ndarray of bool, shape (H, W)
        Where every frame counts.

    Raises
    ------
    RefusedError
        With fewer than two frames.
    """

    def __init__(self, frames: Sequence[Floats], valid: Mask) -> None:
        if len(frames) < LEAST_FRAMES:
            raise RefusedError("sequence", f"{len(frames)} frame is no sequence; give at least {LEAST_FRAMES}")
        self.frames, self.valid = frames, valid
        total = np.zeros(valid.shape, dtype=np.float64)
        for frame in frames:
            total += np.where(valid, frame, np.float32(0.0))
        self._mean = np.asarray(total / len(frames), dtype=np.float32)
        bright = self._mean[valid]
        bright = np.minimum(bright, np.percentile(bright, 99.9)) if bright.size else bright
        eps = EPS_SHARE * float(bright.mean(dtype=np.float64)) if bright.size else 0.0
        weight = 1.0 / np.sqrt(np.square(self._mean) + np.float32(max(eps**2, 1e-30)))
        self._weight = np.asarray(weight * valid, dtype=np.float32)

    def figure(self, region: Region) -> SequenceFigure:
        """What happens in a region."""
        means = tuple(region.mean(frame) for frame in self.frames)
        response = fit_response(means)
        planes = self._relative(response)
        parts = _Parts(planes, region)
        refused: dict[str, str] = {}
        freedom = len(self.frames) - 1 - (response is not None)
        if freedom < 1:
            freedom, refused["flicker"] = 1, "with so few frames the change of light cannot be told from flicker"
        whole, slow, neighbours = (value / freedom for value in (parts.whole, parts.slow, parts.neighbours))
        r_fast, r_slow = parts.correlations()
        fast = max(whole - max(slow, 0.0), 0.0) / shown_share(r_fast, len(self.frames))
        slow /= shown_share(r_slow, len(self.frames))
        if slow <= 0.0:
            slow = 0.0
            refused["boiling"] = "no slow change can be told from noise"
        if response is None:
            refused["response"] = "no single change of light explains the means"
        spread = tuple(100.0 * math.sqrt(max(each, 0.0)) for each in parts.by_frame)
        return SequenceFigure(
            100.0 * math.sqrt(fast + slow), 100.0 * math.sqrt(slow),
            100.0 * math.sqrt(neighbours * freedom / (len(self.frames) - 1) / 2.0), r_slow, response, means, spread,
            _moves(planes, region), refused,
        )  # fmt: skip

    def _relative(self, response: Response | None) -> list[Floats]:
        """D by frame, without what the change of light explains."""
        planes = [np.asarray((frame - self._mean) * self._weight, dtype=np.float32) for frame in self.frames]
        if response is None:
            return planes
        shape = response.shape(len(planes))
        shape = shape - shape.mean()
        power = float(np.sum(np.square(shape)))
        along = sum((plane * np.float32(s) for plane, s in zip(planes, shape, strict=True)), np.float32(0.0))
        along = np.asarray(along, dtype=np.float32) / np.float32(power)
        return [plane - along * np.float32(s) for plane, s in zip(planes, shape, strict=True)]


def _moves(planes: Sequence[Floats], region: Region) -> bool:
    """Whether a tenth of the blocks holds most of the change of all, and goes on there from frame to frame."""
    counts = region.counts(BLOCK)
    inside = counts >= BLOCK**2 / 2
    if len(planes) < LEAST_TO_MOVE or np.count_nonzero(inside) < LEAST_BLOCKS:
        return False
    change = np.stack([(region.blocks(plane, BLOCK) / np.maximum(counts, 1.0))[inside] for plane in planes])
    power = np.square(change).sum(axis=0)
    most = np.argsort(power)[-(power.size // 10) :]
    if float(power[most].sum()) <= FEW_HOLD * float(power.sum()):
        return False
    crossed = float((change[1:, most] * change[:-1, most]).sum()) / (len(planes) - 1)
    return crossed / (float(power[most].sum()) / len(planes)) + 1.0 / len(planes) > GOES_ON


class _Parts:
    """Sums over the frames of means over a region: everything, the finest band, and the slow part less white noise."""

    def __init__(self, planes: Sequence[Floats], region: Region) -> None:
        half = region.at(2)
        if half is None:
            raise RefusedError("sequence", "the zone is too small")
        self.by_frame = [region.mean(np.square(plane)) for plane in planes]
        self.whole = sum(self.by_frame)
        self.neighbours = sum(region.mean(np.square(b - a)) for a, b in pairwise(planes))
        bands = [finest_bands(plane) for plane in planes]
        lows = [slow_maps(halved) for _, _, halved in bands]
        white = sum(half.mean(np.square(band)) for _, band in lows) / white_power(OCTAVES[1], NEXT)
        self._fine = _lagged([fine for fine, _, _ in bands], region)
        slow, crossed = _lagged([low for low, _ in lows], half)
        self.slow = slow - white * blur_power(LOW)
        self._slow_crossed = crossed
        self._count = len(planes)

    def correlations(self) -> tuple[float, float]:
        """Lag-one correlations of the finest band and of the slow part, freed of the bias that the mean brings."""
        return self._correlation(*self._fine), self._correlation(self.slow, self._slow_crossed)

    def _correlation(self, power: float, crossed: float) -> float:
        if power <= 0.0 or self._count < 3:
            return 0.0
        found = (crossed / (self._count - 1)) / (power / self._count) + 1.0 / self._count
        return min(max(found, 0.0), MOST_CORRELATION)


def _lagged(planes: Sequence[Floats], region: Region) -> tuple[float, float]:
    """Sum of squares over the frames, and of products of neighbours."""
    power = sum(region.mean(np.square(plane)) for plane in planes)
    return power, sum(region.mean(a * b) for a, b in pairwise(planes))


def shown_share(correlation: float, frames: int) -> float:
    """What share of a variance so many frames of this lag-one correlation show on average."""
    k: Doubles = np.arange(1, frames, dtype=np.float64)
    hidden = 2.0 / (frames * (frames - 1)) * float(np.sum((frames - k) * correlation**k))
    return max(1.0 - hidden, 0.02)
