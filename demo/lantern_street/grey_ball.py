"""The test ball: a grey ball in even light, of which the true picture is known in closed form."""

from __future__ import annotations

from typing import Any

import numpy as np

from demo.lantern_street.shapes import matte, sphere

REFLECTANCE, RADIUS, DISTANCE, FIELD_OF_VIEW = 0.5, 1.0, 6.0, 24.0
PARTS = 16


def grey_ball() -> dict[str, Any]:
    return {
        "format": 1,
        "name": "test-ball",
        "title": "Test ball",
        "about": "A grey ball in even light; its true picture is known, so it checks an engine's brightness and edges.",
        "stresses": [],
        "views": {
            "front": {
                "title": "Front", "position": [0.0, 0.0, DISTANCE], "look_at": [0.0, 0.0, 0.0],
                "field_of_view_degrees": FIELD_OF_VIEW,
            },
            "edge": {
                "title": "Edge", "position": [0.0, 0.0, DISTANCE], "look_at": [0.9, 0.0, 0.0],
                "field_of_view_degrees": 6.0,
            },
        },
        "frames": [1, 1],
        "quantities": {
            "ball_radius": {
                "title": "Radius of the ball", "unit": "m", "minimum": 0.1, "maximum": 2.0, "default": RADIUS,
                "sets": [{"group": "ball", "key": "radius"}],
            },
        },
        "sky": {"horizon": [1.0, 1.0, 1.0], "zenith": [1.0, 1.0, 1.0]},
        "materials": {"grey": matte([REFLECTANCE] * 3)},
        "shapes": [{**sphere("grey", [0, 0, 0], RADIUS), "group": "ball"}],
    }  # fmt: skip


def true_picture(width: int, height: int) -> np.ndarray:
    """The front view in closed form, shape (H, W, 3): a convex matte surface in even light of 1 sends its reflectance.

    A pixel at the edge is the share of it that the ball covers, over 16×16 places in it.
    """
    half = np.tan(np.radians(FIELD_OF_VIEW) / 2)
    x = (2 * (np.arange(width * PARTS) + 0.5) / (width * PARTS) - 1) * half * width / height
    y = (1 - 2 * (np.arange(height * PARTS) + 0.5) / (height * PARTS)) * half
    # the ball is seen where the ray's angle from the axis is below that of its edge
    edge = RADIUS**2 / (DISTANCE**2 - RADIUS**2)
    inside = x[None, :] ** 2 + y[:, None] ** 2 < edge
    share = inside.reshape(height, PARTS, width, PARTS).mean(axis=(1, 3))
    grey = 1.0 - (1.0 - REFLECTANCE) * share
    return np.repeat(grey[..., None], 3, axis=2).astype(np.float32)
