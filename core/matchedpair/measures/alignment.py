"""Whether two pictures show the same thing at the same place and equally sharp; asked before any pixel-by-pixel
comparison.

*Shift*: the cross-spectra of the logarithm of luminance in up to 12 tiles are summed (as in Guizar-Sicairos, Thurman
& Fienup, Optics Letters 2008, without its whitening, which would make noise count as much as picture), and the peak
of their correlation is found to a hundredth of a pixel. A peak is a shift only where it rises from no shift by more
than noise of that power would make it. *Same picture*: the correlation of what both show at a coarse
size, noise apart, also against the other's mirror images. *Sharpness*: the finest octave of both, from products in
which no noise survives.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from matchedpair.measures.figure import MEDIAN_ERROR, Figure
from matchedpair.measures.light import Light
from matchedpair.measures.region import Region, ratio_error
from matchedpair.pictures.filters import gauss, reduced
from matchedpair.pictures.picture import Doubles, Floats, Mask

VERSION = 2
Cut = tuple[slice, slice]
Spectra = list[NDArray[np.complex128]]
Shift = tuple[tuple[float, float], float]  # right and down, and the standard error of either
TILE, MOST_TILES = 256, 12
LOWEST, HIGHEST = 0.03, 0.35  # cycles a pixel that take part
CLEAR_PEAK = (
    10.0  # times the mean spread that chance gives the correlation; near no shift the window doubles that spread
)
LEAST_TILE, SMALLEST_TILE = 24, 48
TOLD, LEAST_TILES = 0.15, 4  # pixels; tiles that tell so much, below which nothing is known of how they disagree
SURE_SHIFT, LEAST_ERROR = 0.04, 0.02  # pixels
MOST_SHIFT = 0.1
MOST_REFINED, STILL, MOST_STEPS = 1.5, 1e-6, 12  # pixels either way, and a step that is none
SURE = 3.5  # standard errors of either axis: chance alone is longer than 2 in one of seven, than 3.5 in one of 450
MOST_SHARPNESS = 0.1
COARSE_WIDTH = 192
STRUCTURE = 4.0  # of the noise's variance, below which there is nothing to recognise a picture by
ALIKE, MIRRORED = 0.3, 0.5
TOLD_SHARPNESS = re.compile(r"their finest detail differs in sharpness \(([0-9.]+) times\)")
UNSURE = 0.15  # half-width of the sharpness interval above which it says nothing


@dataclass(frozen=True)
class Alignment:
    """How two pictures lie over each other.

    Parameters
    ----------
    shift : tuple of float or None
        Pixels to the right and down by which the second lies off the first; None when the pictures do not tell.
    shift_error : float
        Standard error of either.
    mismatch : str
        Empty, or in words why they do not show the same picture.
    sharpness : Figure or None
        The second's finest octave over the first's in amplitude; None when it cannot be told.
    """

    shift: tuple[float, float] | None
    shift_error: float
    mismatch: str
    sharpness: Figure | None

    @property
    def shift_pixels(self) -> float | None:
        """Length of the shift; None when it is not told, or not told from chance."""
        length = None if self.shift is None else math.hypot(*self.shift)
        return None if length is None or MOST_SHIFT < length <= SURE * self.shift_error else length

    @property
    def shifted(self) -> str:
        """Why pixels cannot be compared, or empty."""
        if self.mismatch:
            return self.mismatch
        length = self.shift_pixels
        if length is not None and length > MOST_SHIFT:
            return f"the pictures lie {length:.2g} pixels apart; above {MOST_SHIFT} pixels edges would count as error"
        return ""

    @property
    def filtered(self) -> str:
        """Why their finest grain cannot be compared, or empty."""
        if self.sharpness is None or self.sharpness.interval is None:
            return ""
        low, high = self.sharpness.interval
        if high < 1 - MOST_SHARPNESS or low > 1 + MOST_SHARPNESS:
            return (
                f"their finest detail differs in sharpness ({self.sharpness.value:.2f} times), by the pixel filter, a "
                "denoiser or the focus; noise and error of single pixels would not be of one kind"
            )
        return ""


def other_sharpness(reason: str) -> float | None:
    """The trial's finest detail over the control's from `Alignment.filtered`; None from any other reason."""
    found = TOLD_SHARPNESS.search(reason)
    return None if found is None else float(found[1])


class Landmarks:
    """What a picture is laid over others by, found once for all of them."""

    def __init__(self, light: Light) -> None:
        self.light = light
        self.tiles = _Tiles.of(light.shape)

    @cached_property
    def coarse(self) -> tuple[Floats, float]:
        """Structure at a coarse size, its surroundings taken off, and the variance that noise has in it."""
        return _coarse(self.light)

    @cached_property
    def spectra(self) -> Spectra:
        """Of each tile where it lies; none of a picture that is too small."""
        return [] if self.tiles is None else self.tiles.spectra(self.light, (0, 0))

    @cached_property
    def finest(self) -> list[tuple[Floats, Floats]]:
        """Of each tile, what a blur by 0.7 pixels takes away, of the first and the last seed."""
        return [] if self.tiles is None else [_finest(self.light, cut) for cut in self.tiles.cuts()]


def alignment(first: Landmarks, second: Landmarks) -> Alignment:
    """How the second picture lies over the first. Both are of one size."""
    mismatch, known = _recognised(first, second)
    if mismatch:
        return Alignment(None, math.inf, mismatch, None)
    shift, error = _shift(first, second, recognised=known)
    return Alignment(shift, error, "", _sharpness(first, second))


def _sharpness(one: Landmarks, other: Landmarks) -> Figure | None:
    """Amplitude of the second's finest octave over the first's; None when noise hides it.

    From sums of products of pictures with different seeds, in which no noise survives: Σ S1·S2 / Σ F1·F2 with twins on
    both sides, else Σ S·F over the products of the side that has them. Without any twin there is no telling.
    """
    first, second = one.light, other.light
    if one.tiles is None or (len(first.y) < 2 and len(second.y) < 2):
        return None
    squared = len(first.y) > 1 and len(second.y) > 1
    counted = [(own, others, first.valid[cut] & second.valid[cut])
               for own, others, cut in zip(one.finest, other.finest, one.tiles.cuts(), strict=True)]  # fmt: skip
    told = [_products(own, others, Region(valid)) for own, others, valid in counted if valid.any()]
    if not told:
        return None
    rows = np.concatenate(told, axis=1)
    whole, part = (float(values.sum()) for values in rows)
    if whole <= 0.0 or part <= 0.0:
        return None
    ratio = part / whole
    error = ratio_error(ratio, rows[1], rows[0])
    if error is None:
        return None
    value = math.sqrt(ratio) if squared else ratio
    half = 1.96 * error / (2 * value if squared else 1.0)
    if half > UNSURE:
        return None
    return Figure(value, "×", (value - half, value + half), "twin", VERSION)


def _products(own: tuple[Floats, Floats], other: tuple[Floats, Floats], region: Region) -> Doubles:
    """Sums over blocks of what is below and above in the ratio of sharpness, shape (2, n), of two seeds of either side,
    twice the same where there is one.
    """
    crossed = own[0] * other[1]
    below = crossed if own[0] is own[1] else own[0] * own[1]
    above = crossed if other[0] is other[1] else other[0] * other[1]
    return np.array([region.blocks(plane, 32).ravel() for plane in (below, above)])


def _finest(light: Light, cut: Cut) -> tuple[Floats, Floats]:
    """What a blur by 0.7 pixels takes away, relative to the brightness around, of the first and the last seed."""
    one, other = np.ascontiguousarray(light.y[0][cut]), np.ascontiguousarray(light.y[-1][cut])
    level = gauss((one + other) * np.float32(0.5), 4.0) + np.float32(light.eps)
    finest = (one - gauss(one, 0.7)) / level
    return finest, finest if len(light.y) < 2 else (other - gauss(other, 0.7)) / level


def _shift(first: Landmarks, second: Landmarks, *, recognised: bool) -> tuple[tuple[float, float] | None, float]:
    """Shift and its standard error; of pictures recognised as the same, repeating texture may show a slight one too."""
    tiles = first_tiles = first.tiles
    if tiles is None or first_tiles is None:
        return None, math.inf
    whole = crossed = _crossed(first.spectra, second.spectra)
    rough = tiles.whole_shift(crossed)
    if rough is None and not recognised:
        return None, math.inf
    right, down = rough or (0, 0)
    if (right, down) != (0, 0):
        shape = first.light.shape
        tiles = _Tiles.of((shape[0] - abs(down), shape[1] - abs(right)))
        if tiles is None:
            return None, math.inf
        here, there = (max(-right, 0), max(-down, 0)), (max(right, 0), max(down, 0))
        crossed = _crossed(tiles.spectra(first.light, here), tiles.spectra(second.light, there))
    (across, along), error = _usual([tiles.refined(each) for each in crossed]) or tiles.refined(np.sum(crossed, axis=0))
    shift = (right + across, down + along)
    carried = [first_tiles.carried(first.light.valid[cut] & second.light.valid[cut]) for cut in first_tiles.cuts()]
    risen = _risen(whole, first_tiles, carried, shift)
    if rough is None and error > SURE_SHIFT and risen < SURE:
        return None, math.inf
    return shift, max(error, math.hypot(*shift) / risen)


def _risen(crossed: Spectra, tiles: _Tiles, carried: list[float], shift: tuple[float, float]) -> float:
    """By how many standard errors the correlation slopes at no shift, or stands higher at a shift than at none.

    A slope tells a slight shift, a height one of several pixels. Noise has any phase (Im gives its spread), and its
    highest peak bends as a true one does, so that the bend there says nothing of how sure it is.
    """
    turn = np.exp(1j * (np.array(shift) @ tiles.waves)) - 1.0
    slope, slope_spread, height, height_spread = np.zeros(2), np.zeros(2), 0.0, 0.0
    for each, more in zip(crossed, carried, strict=True):
        values = each[tiles.band]
        slope += tiles.waves @ values.imag
        noise = more * np.square((values * (turn + 1.0)).imag)
        slope_spread += np.square(tiles.waves) @ noise
        height += float((values * turn).real.sum())
        height_spread += float(np.square(np.abs(turn)) @ noise)
    least = np.finfo(np.float64).tiny
    slopes = slope / np.sqrt(np.maximum(slope_spread, least))
    return max(math.hypot(*slopes), height / math.sqrt(max(height_spread, least)), least)


def _crossed(first: Spectra, second: Spectra) -> Spectra:
    return [np.conj(one) * other for one, other in zip(first, second, strict=True)]


def _usual(shifts: list[Shift]) -> Shift | None:
    """The tiles' median shift and its standard error; None when too few tell.

    A camera moves all tiles alike; light that falls otherwise moves edges in some of them, which a median leaves aside.
    """
    told = np.array([shift for shift, error in shifts if error < TOLD])
    if len(told) < LEAST_TILES:
        return None
    middle = np.median(told, axis=0)
    apart = np.median(np.abs(told - middle), axis=0) / 0.6745
    error = float(apart.max()) * MEDIAN_ERROR / math.sqrt(len(told))
    return (float(middle[0]), float(middle[1])), max(error, LEAST_ERROR)


def _log(light: Light, cut: Cut) -> Doubles:
    return np.log(np.maximum(light.mean[cut], 0.0) + np.float32(light.eps)).astype(np.float64)


@dataclass(frozen=True)
class _Tiles:
    """Square tiles of a picture, and the frequencies of one that take part."""

    corners: list[tuple[int, int]]
    side: int
    band: NDArray[np.bool_]
    waves: Doubles  # shape (2, n): of the n frequencies in the band, radians a pixel to the right and down

    @classmethod
    @lru_cache(maxsize=8)
    def of(cls, shape: tuple[int, ...]) -> _Tiles | None:
        """Tiles spread over a picture of this shape; None when it is too small."""
        height, width = shape[:2]
        side = min(TILE, max(min(height, width) // 2, SMALLEST_TILE), height, width)
        if side < LEAST_TILE:
            return None
        frequency = np.fft.fftfreq(side)
        down, right = np.meshgrid(frequency, np.abs(frequency[: side // 2 + 1]), indexing="ij")
        radius = np.hypot(down, right)
        band = (radius >= max(LOWEST, 2 / side)) & (radius <= HIGHEST)
        return cls(_corners(height, width, side), side, band, 2 * np.pi * np.array([right[band], down[band]]))

    def cuts(self, right: int = 0, down: int = 0) -> list[Cut]:
        """The tiles as slices, moved by whole pixels."""
        return [
            (slice(top + down, top + down + self.side), slice(left + right, left + right + self.side))
            for top, left in self.corners
        ]

    @cached_property
    def window(self) -> Doubles:
        """What a tile is multiplied with, so that its ends meet, shape (side, side)."""
        return np.outer(*[np.hanning(self.side + 2)[1:-1]] * 2)

    def carried(self, valid: Mask) -> float:
        """How many times the sum of its parts' variances the variance of a sum over frequencies is: what keeps noise to
        a part of a tile carries each frequency into those beside it, n·Σw⁴ / (Σw²)² for weights w (by Parseval).
        """
        return self._carried_by_window if valid.all() else _carried(np.square(self.window) * valid)

    @cached_property
    def _carried_by_window(self) -> float:
        return _carried(np.square(self.window))

    def spectra(self, light: Light, off: tuple[int, int]) -> Spectra:
        """Of the logarithm of each tile, moved by whole pixels right and down, in the band."""
        found = []
        for cut in self.cuts(*off):
            tile = _log(light, cut)
            found.append(np.where(self.band, np.fft.rfft2(self.window * (tile - tile.mean())), 0.0))
        return found

    def whole_shift(self, spectra: Spectra) -> tuple[int, int] | None:
        """The whole pixels at which the correlation peaks; None when the peak may be chance."""
        whole = np.sum(spectra, axis=0)
        surface = np.fft.irfft2(whole, s=(self.side, self.side))
        row, column = (int(at) for at in np.unravel_index(int(surface.argmax()), surface.shape))
        # what a peak of independent noise would be, from the power of the products themselves
        chance = math.sqrt(sum(float(np.square(np.abs(each)).sum()) for each in spectra) * 2.0) / self.side**2
        if surface[row, column] < CLEAR_PEAK * chance:
            return None
        half = self.side // 2
        return column - self.side * (column > half), row - self.side * (row > half)

    def refined(self, spectrum: NDArray[np.complex128]) -> Shift:
        """The shift near 0 at which the correlation of a cross-spectrum is highest, and its standard error.

        The error is that of an estimate which sets a sum to zero: the spread of the sum over its slope (Huber 1967).
        """
        values = spectrum[self.band]
        values = values / (float(np.abs(values).sum()) or 1.0)
        shift = _climbed(values, self.waves)
        if shift is None:
            shift = _searched(values, self.waves)
        turned = _turned(values, self.waves, shift)
        spread, slope = np.square(turned.imag * self.waves).sum(axis=1), np.square(self.waves) @ turned.real
        error = float((np.sqrt(spread) / np.maximum(slope, 1e-12)).max())
        return (float(shift[0]), float(shift[1])), max(error, LEAST_ERROR)


def _carried(weight: Doubles) -> float:
    total = float(weight.sum())
    return weight.size * float(np.square(weight).sum()) / total**2 if total > 0.0 else 0.0


def _turned(values: NDArray[np.complex128], waves: Doubles, shift: Doubles) -> NDArray[np.complex128]:
    return np.asarray(values * np.exp(1j * (shift @ waves)))


def _climbed(values: NDArray[np.complex128], waves: Doubles) -> Doubles | None:
    """The peak of Σ Re(values · turned) by Newton's steps from no shift; None when these do not lead up to one."""
    shift, height = np.zeros(2), -math.inf
    for _ in range(MOST_STEPS):
        turned = _turned(values, waves, shift)
        before, height = height, float(turned.real.sum())
        bend, slope = (waves * turned.real) @ waves.T, -(waves @ turned.imag)
        if height < before or bend[0, 0] <= 0.0 or np.linalg.det(bend) <= 0.0:
            return None
        step = np.linalg.solve(bend, slope)
        shift = shift + step
        if float(np.abs(shift).max()) > MOST_REFINED:
            return None
        if float(np.abs(step).max()) < STILL:
            return shift
    return None


def _searched(values: NDArray[np.complex128], waves: Doubles) -> Doubles:
    """The same, where the correlation bends the wrong way at no shift or peaks at the end of what is looked through."""

    def fall(shift: Doubles) -> tuple[float, Doubles]:
        turned = _turned(values, waves, shift)
        return -float(turned.real.sum()), waves @ turned.imag

    found = minimize(fall, np.zeros(2), jac=True, method="L-BFGS-B", bounds=[(-MOST_REFINED, MOST_REFINED)] * 2)
    return np.asarray(found.x, dtype=np.float64)


def _corners(height: int, width: int, side: int) -> list[tuple[int, int]]:
    """Top left corners of tiles, spread over the picture."""
    rows = min(-(-height // side), 3)
    columns = min(-(-width // side), MOST_TILES // rows)
    tops = np.linspace(0, height - side, rows).round().astype(int)
    lefts = np.linspace(0, width - side, columns).round().astype(int)
    return [(int(top), int(left)) for top in tops for left in lefts]


def _recognised(first: Landmarks, second: Landmarks) -> tuple[str, bool]:
    """Why both do not show the same picture, or empty; and whether they were seen to show the same."""
    coarse = first.coarse, second.coarse
    tables, noises = [table for table, _ in coarse], [noise for _, noise in coarse]
    structure = [float(np.square(table).mean()) - noise for table, noise in zip(tables, noises, strict=True)]
    if any(power < STRUCTURE * noise + 1e-5 for power, noise in zip(structure, noises, strict=True)):
        return "", False
    scale = math.sqrt(structure[0] * structure[1])
    alike = _likeness(tables[0], tables[1], scale)
    turned = {
        "mirrored left to right": tables[1][:, ::-1], "upside down and mirrored": tables[1][::-1],
        "turned by half": tables[1][::-1, ::-1],
    }  # fmt: skip
    best = max(turned, key=lambda name: _likeness(tables[0], turned[name], scale))
    if _likeness(tables[0], turned[best], scale) > max(MIRRORED, alike + 0.3):
        return f"it does not show the same picture as it lies: it is {best}", False
    if alike < ALIKE:
        return "it does not show the same picture: what is seen at a coarse size does not agree", False
    return "", True


def _coarse(light: Light) -> tuple[Floats, float]:
    step = max(1, light.shape[1] // COARSE_WIDTH)
    small = reduced(light.mean, step)
    log = np.log(np.maximum(small, 0.0) + np.float32(light.eps))
    structure = log - gauss(log, 8.0)
    finest = (log[:-1:2, :-1:2] - log[1::2, :-1:2] - log[:-1:2, 1::2] + log[1::2, 1::2]) / 2.0
    if not light.all_valid:
        # what stands in for invalid pixels is calmer than any picture
        known = reduced(light.valid.astype(np.float32), step) > 0.5
        finest = finest[known[:-1:2, :-1:2] & known[1::2, :-1:2] & known[:-1:2, 1::2] & known[1::2, 1::2]]
        structure = structure * known / np.float32(math.sqrt(max(float(known.mean()), 1 / known.size)))
    return structure, float(np.median(np.abs(finest)) / 0.6745) ** 2 if finest.size else 0.0


def _likeness(first: Floats, second: Floats, scale: float) -> float:
    """Correlation, the best within one step each way."""
    best = -1.0
    for down in (-1, 0, 1):
        for right in (-1, 0, 1):
            moved = np.roll(second, (down, right), axis=(0, 1))
            best = max(best, float((first * moved).mean(dtype=np.float64)) / scale)
    return best
