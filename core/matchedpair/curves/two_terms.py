"""The least-squares fit that all laws here share: y = p·u + q with p and q not negative, by relative residuals."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.floating[Any]]


def fit_two_terms(u: Numbers, y: Numbers, sigma: Numbers | float = 1.0) -> Numbers:
    """Fit y = p·u + q, p ≥ 0 and q ≥ 0, to many data sets at once; the sum of ((p·u + q − y) / (sigma·y))² is least.

    Parameters
    ----------
    u : ndarray, shape (n,)
    y : ndarray, shape (..., n), above 0
    sigma : ndarray, shape (n,), or float
        Relative standard error of each y, up to a common factor.

    Returns
    -------
    ndarray, shape (..., 2)
        p and q. With a single u, q is 0.
    """
    first, second, target = u / (y * sigma), 1.0 / (y * sigma), np.ones_like(y) / sigma
    aa, ab, bb = (np.sum(left * right, axis=-1) for left, right in ((first, first), (first, second), (second, second)))
    ta, tb = np.sum(first * target, axis=-1), np.sum(second * target, axis=-1)
    determinant = aa * bb - ab * ab
    alone = np.stack([ta / aa, np.zeros_like(ta)], axis=-1)
    if np.ptp(u) <= 1e-12 * np.max(np.abs(u)):
        return alone
    both = np.stack([(ta * bb - tb * ab) / determinant, (aa * tb - ab * ta) / determinant], axis=-1)
    level = np.stack([np.zeros_like(tb), tb / bb], axis=-1)
    no_rest = (both[..., 1] < 0.0)[..., None]
    no_slope = (both[..., 0] < 0.0)[..., None]
    return np.asarray(np.where(no_slope, level, np.where(no_rest, alone, both)))


def relative_residuals(parameters: Numbers, u: Numbers, y: Numbers) -> Numbers:
    """(y − p·u − q) / (p·u + q), shape (n,)."""
    fitted = parameters[0] * u + parameters[1]
    return np.asarray(y / fitted - 1.0)
