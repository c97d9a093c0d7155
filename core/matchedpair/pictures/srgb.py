"""The curve between light and sRGB code values (IEC 61966-2-1), both 0 to 1."""

from __future__ import annotations

import cv2
import numpy as np

from matchedpair.pictures.picture import Floats


def code_values(light: Floats) -> Floats:
    """Code values of linear light, shape (H, W) or (H, W, C)."""
    raised = np.asarray(cv2.pow(np.maximum(light, np.float32(0.0031308)), 1 / 2.4), dtype=np.float32)
    raised *= np.float32(1.055)
    raised -= np.float32(0.055)
    return np.where(light <= np.float32(0.0031308), np.float32(12.92) * light, raised.reshape(light.shape))


def light_of_codes(codes: Floats) -> Floats:
    """Linear light of code values, any shape."""
    return np.asarray(np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4), dtype=np.float32)
