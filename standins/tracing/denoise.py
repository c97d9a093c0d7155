"""An edge-stopping wavelet filter guided by albedo and normal (Dammertz et al. 2010). Smears what no guide shows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
TAPS = (1 / 16, 1 / 4, 3 / 8, 1 / 4, 1 / 16)
LEVELS = 5
NORMAL_SPREAD, ALBEDO_SPREAD = 0.1, 0.02


def denoised(picture: Floats, normal: Floats, albedo: Floats, strength: float) -> Floats:
    """The picture, smoothed where normal and albedo are even; all (H, W, 3). Strength 1 is usual."""
    floor = 0.02
    light = picture / (albedo + floor)
    spread = 4.0 * strength
    for level in range(LEVELS):
        light = _level(light, normal, albedo, 2**level, spread * 2.0**-level)
    return light * (albedo + floor)


def _level(light: Floats, normal: Floats, albedo: Floats, step: int, spread: float) -> Floats:
    height, width = light.shape[:2]
    sums, weights = np.zeros_like(light), np.zeros((height, width, 1))
    rows, columns = np.arange(height), np.arange(width)
    brightness = np.log1p(light.mean(-1, keepdims=True))
    for i, tap_y in enumerate(TAPS):
        y = np.clip(rows + (i - 2) * step, 0, height - 1)
        for j, tap_x in enumerate(TAPS):
            x = np.clip(columns + (j - 2) * step, 0, width - 1)
            at = np.ix_(y, x)
            away = ((normal[at] - normal) ** 2).sum(-1, keepdims=True) / NORMAL_SPREAD
            away += ((albedo[at] - albedo) ** 2).sum(-1, keepdims=True) / ALBEDO_SPREAD
            away += (brightness[at] - brightness) ** 2 / max(spread, 1e-6)
            weight = tap_y * tap_x * np.exp(-away)
            sums += weight * light[at]
            weights += weight
    return np.asarray(sums / weights)
