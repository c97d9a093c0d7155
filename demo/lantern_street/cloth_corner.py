"""The cloth corner: striped bolts under an awning lit by what bounces, and a polished basin that focuses light."""

from __future__ import annotations

import math
from typing import Any

from demo.lantern_street.shapes import (
    Shape,
    box,
    glow,
    grouped,
    matte,
    metal,
    pole,
    rectangle,
    sphere,
    stripes,
    variants,
)

FACETS = 28


def corner() -> list[Shape]:
    """Two walls, a counter, and an awning that keeps the sky away."""
    return [
        rectangle("paving", [-3, 0, -2], [0, 0, 6], [6, 0, 0]),
        rectangle("lime", [-1.8, 0, -1.2], [3.6, 0, 0], [0, 2.6, 0]),
        rectangle("ochre", [-1.8, 0, -1.2], [0, 2.6, 0], [0, 0, 2.6]),
        box("counter", [0.35, 0.42, -0.1], [2.3, 0.84, 0.9]),
        rectangle("awning", [-1.9, 2.45, -1.25], [3.9, 0, 0], [0, -0.35, 2.0]),
        pole("wood", -1.75, 0.7, 2.1), pole("wood", 1.9, 0.7, 2.1),
    ]  # fmt: skip


def bolts() -> list[Shape]:
    """Folded cloth in stacks at the back, each of another fine stripe or check."""
    cloths = ["stripe-red", "check-blue", "stripe-green", "check-plum", "stripe-red", "check-blue"]
    shapes: list[Shape] = []
    for stack in range(4):
        for k in range(3 + stack % 2):
            x, y = -0.5 + 0.52 * stack, 0.84 + 0.055 + 0.11 * k
            shapes.append(box(cloths[(stack + k) % 6], [x, y, -0.33], [0.46, 0.1, 0.3], 4.0 * ((k + stack) % 3 - 1)))
    return shapes


def shelf() -> list[Shape]:
    """A dark shelf under the counter's edge of the back wall."""
    return [
        box("wood", [-1.2, 1.2, -1.0], [0.9, 0.03, 0.36]), box("wood", [-1.2, 1.75, -1.0], [0.9, 0.03, 0.36]),
        box("wood", [-0.75, 1.48, -1.0], [0.03, 0.55, 0.36]), sphere("lime", [-1.4, 1.3, -1.02], 0.085),
        box("ochre", [-1.1, 1.3, -1.05], [0.16, 0.17, 0.13], 20.0), sphere("ochre", [-0.92, 1.28, -0.98], 0.065),
    ]  # fmt: skip


def basin(x: float, z: float, top: float, radius: float) -> list[Shape]:
    """A ring of polished facets standing on the counter, open above: light off its inside meets in bright curves."""
    shapes: list[Shape] = []
    for k in range(FACETS):
        first, second = (2 * math.pi * (k + step) / FACETS for step in (0, 1))
        a = [x + radius * math.cos(first), top, z + radius * math.sin(first)]
        b = [x + radius * math.cos(second), top, z + radius * math.sin(second)]
        shapes.append(rectangle("polished", a, [b[0] - a[0], 0.0, b[2] - a[2]], [0.0, 0.085, 0.0]))
    return shapes


def cloth_corner() -> dict[str, Any]:
    return {
        "format": 1,
        "name": "cloth-corner",
        "title": "Cloth corner",
        "about": "Bolts of striped cloth under an awning, lit by one lamp, a lantern and what the walls send back.",
        "stresses": ["focused-by-metal", "fine-texture", "bounced-light", "dark-place", "glowing-surfaces"],
        "views": {
            "counter": {
                "title": "Counter", "position": [0.75, 1.75, 1.75], "look_at": [0.2, 0.95, -0.25],
                "field_of_view_degrees": 42.0,
            },
            "basin": {
                "title": "Basin", "position": [0.9, 1.5, 0.85], "look_at": [0.85, 0.84, 0.06],
                "field_of_view_degrees": 34.0,
            },
        },
        "frames": [1, 1],
        "variants": variants({
            "no-cloth": {"title": "Cloth hidden", "about": "Without the fine stripes.", "hide": ["cloth"]},
        }),
        "quantities": {
            "lamp_height": {
                "title": "Height of the lamp", "unit": "m", "minimum": 1.1, "maximum": 2.1, "default": 1.6,
                "sets": [{"group": "lamp", "key": "centre", "index": 1}],
            },
            "basin_roughness": {
                "title": "Roughness of the basin", "unit": "", "minimum": 0.02, "maximum": 0.6, "default": 0.05,
                "sets": [{"material": "polished", "key": "roughness"}],
            },
        },
        "sky": {"horizon": [0.5, 0.46, 0.56], "zenith": [0.18, 0.26, 0.52]},
        "materials": {
            "paving": matte([0.24, 0.22, 0.2], {"kind": "checks", "width": 0.4, "second": [0.2, 0.19, 0.18]}),
            "lime": matte([0.72, 0.7, 0.64]),
            "ochre": matte([0.6, 0.4, 0.16]),
            "counter": matte([0.28, 0.18, 0.11], stripes("x", 0.17, [0.25, 0.16, 0.1])),
            "wood": matte([0.17, 0.11, 0.07]),
            "awning": matte([0.6, 0.55, 0.45], stripes("x", 0.13, [0.1, 0.24, 0.22])),
            "stripe-red": matte([0.5, 0.1, 0.09], stripes("x", 0.007, [0.62, 0.55, 0.44])),
            "stripe-green": matte([0.1, 0.28, 0.16], stripes("x", 0.005, [0.5, 0.5, 0.38])),
            "check-blue": matte([0.1, 0.16, 0.36], {"kind": "checks", "width": 0.009, "second": [0.42, 0.46, 0.52]}),
            "check-plum": matte([0.24, 0.08, 0.2], {"kind": "checks", "width": 0.012, "second": [0.4, 0.3, 0.36]}),
            "polished": metal([0.93, 0.8, 0.62], 0.05),
            "lamp": glow([640.0, 480.0, 300.0]),
            "lantern-warm": glow([9.2, 4.8, 1.8], stripes("y", 0.03, [7.4, 3.7, 1.32])),
        },
        "shapes": [
            *corner(), *grouped("cloth", bolts()), *shelf(), *grouped("basin", basin(0.85, 0.08, 0.8401, 0.17)),
            *grouped("lamp", [sphere("lamp", [1.22, 1.6, 0.42], 0.035)]),
            *grouped("lanterns", [sphere("lantern-warm", [-1.15, 1.98, 0.15], 0.16)]),
        ],
    }  # fmt: skip
