"""The marble stall: glass marbles on dark cloth, a brass tray, forty bulbs, lanterns, an awning, a deep shelf."""

from __future__ import annotations

import random
from typing import Any

from demo.lantern_street.shapes import (
    Shape,
    box,
    glass,
    glow,
    grouped,
    matte,
    metal,
    rectangle,
    sphere,
    stripes,
    variants,
)


def stall_frame() -> list[Shape]:
    """Street, counter with its cloth, posts, back wall and the striped awning."""
    return [
        rectangle("street", [-6, 0, -4], [0, 0, 10], [12, 0, 0]),
        box("wood", [0, 0.45, 0], [2.3, 0.86, 0.96]),
        box("cloth", [0, 0.895, 0], [2.36, 0.03, 1.0]),
        rectangle("cloth", [-1.18, 0.5, 0.502], [2.36, 0, 0], [0, 0.41, 0]),
        box("wood", [-1.16, 1.15, -0.72], [0.07, 2.3, 0.07]),
        box("wood", [1.16, 1.15, -0.72], [0.07, 2.3, 0.07]),
        box("wood", [-1.16, 1.05, 0.48], [0.05, 2.1, 0.05]),
        box("wood", [1.16, 1.05, 0.48], [0.05, 2.1, 0.05]),
        rectangle("planks", [-1.2, 0.0, -0.74], [2.4, 0, 0], [0, 2.3, 0]),
        rectangle("awning", [-1.3, 2.3, -0.76], [2.6, 0, 0], [0, -0.28, 1.5]),
        rectangle("awning", [-1.3, 2.02, 0.74], [2.6, 0, 0], [0, -0.16, 0.0]),
    ]


def deep_shelf() -> list[Shape]:
    """An open case at the back of the stall: five boards, a middle board, and jars where little light comes."""
    left, right, low, high, front, back = 0.1, 1.08, 1.1, 1.72, -0.28, -0.72
    wide, deep, tall = right - left, front - back, high - low
    middle_x, middle_z = (left + right) / 2, (front + back) / 2
    return [
        box("shelf", [middle_x, low, middle_z], [wide, 0.024, deep]),
        box("shelf", [middle_x, high, middle_z], [wide, 0.024, deep]),
        box("shelf", [middle_x, (low + high) / 2, middle_z], [wide, 0.02, deep]),
        box("shelf", [left, (low + high) / 2, middle_z], [0.024, tall, deep]),
        box("shelf", [right, (low + high) / 2, middle_z], [0.024, tall, deep]),
        sphere("clay", [0.28, 1.112 + 0.1, -0.5], 0.1),
        sphere("cream", [0.5, 1.112 + 0.08, -0.56], 0.08),
        box("clay", [0.74, 1.112 + 0.09, -0.52], [0.15, 0.18, 0.15], 25.0),
        sphere("polished", [0.95, 1.112 + 0.09, -0.5], 0.09),
        box("cream", [0.28, 1.42 + 0.07, -0.54], [0.2, 0.14, 0.12], -15.0),
        sphere("glass-amber", [0.55, 1.42 + 0.075, -0.46], 0.075),
        sphere("clay", [0.78, 1.42 + 0.09, -0.54], 0.09),
        box("cream", [0.96, 1.42 + 0.1, -0.5], [0.1, 0.2, 0.1], 10.0),
    ]


def brass_tray(x: float, z: float) -> list[Shape]:
    """A shallow rough-metal tray with its rim."""
    wide, deep, top = 0.62, 0.36, 0.91
    return [
        box("brass", [x, top + 0.008, z], [wide, 0.016, deep]),
        box("brass", [x, top + 0.024, z + deep / 2], [wide, 0.048, 0.014]),
        box("brass", [x, top + 0.024, z - deep / 2], [wide, 0.048, 0.014]),
        box("brass", [x - wide / 2, top + 0.024, z], [0.014, 0.048, deep]),
        box("brass", [x + wide / 2, top + 0.024, z], [0.014, 0.048, deep]),
    ]


def marbles(dice: random.Random) -> list[Shape]:
    """Three rows on the cloth and a handful in the tray."""
    glasses = ["glass-clear", "glass-green", "glass-amber", "glass-blue", "glass-rose"]
    shapes = []
    for row in range(3):
        for place in range(9):
            radius = 0.036 + 0.014 * dice.random()
            x = 0.16 + place * 0.115 + 0.014 * dice.random()
            z = 0.1 + row * 0.14 + 0.02 * dice.random()
            shapes.append(sphere(glasses[(place * 2 + row) % 5], [x, 0.911 + radius, z], radius))
    for place in range(6):
        radius = 0.038 + 0.01 * dice.random()
        x, z = -0.78 + 0.18 * (place % 3) + 0.03 * dice.random(), 0.12 + 0.16 * (place // 3)
        shapes.append(sphere(glasses[place % 5], [x, 0.927 + radius, z], radius))
    return shapes


def bulbs(count: int) -> list[Shape]:
    """A string of small bulbs hanging in four swags under the awning's front edge."""
    shapes = []
    for k in range(count):
        along = (k + 0.5) / count
        swag = along * 4 % 1
        sag = 0.11 * (1 - (2 * swag - 1) ** 2)
        shapes.append(sphere("bulb", [-1.22 + 2.44 * along, 1.96 - sag, 0.62], 0.016))
    return shapes


def lanterns() -> list[Shape]:
    return [
        sphere("lantern-warm", [-0.82, 1.58, 0.05], 0.15),
        sphere("lantern-rose", [-0.36, 1.68, -0.25], 0.115),
        sphere("lantern-warm", [-1.75, 1.5, 0.9], 0.17),
    ]


def marble_stall() -> dict[str, Any]:
    dice = random.Random(20)
    return {
        "format": 1,
        "name": "marble-stall",
        "title": "Marble stall",
        "about": "A night-market stall selling glass marbles, at dusk.",
        "stresses": [
            "focused-by-glass", "many-small-lights", "glowing-surfaces", "rough-metal", "bounced-light", "dark-place",
            "fine-texture",
        ],
        "views": {
            "counter": {
                "title": "Counter", "position": [-0.25, 1.62, 2.75], "look_at": [0.0, 1.24, -0.1],
                "field_of_view_degrees": 38.0,
            },
            "shelf": {
                "title": "Deep shelf", "position": [0.2, 1.4, 0.98], "look_at": [0.6, 1.36, -0.5],
                "field_of_view_degrees": 38.0,
            },
        },
        "frames": [1, 1],
        "variants": variants({
            "no-marbles": {"title": "Marbles hidden", "about": "Without glass on the cloth.", "hide": ["marbles"]},
        }),
        "quantities": {
            "tray_roughness": {
                "title": "Roughness of the brass", "unit": "", "minimum": 0.02, "maximum": 1.0, "default": 0.38,
                "sets": [{"material": "brass", "key": "roughness"}],
            },
            "bulb_radius": {
                "title": "Radius of the bulbs", "unit": "m", "minimum": 0.004, "maximum": 0.05, "default": 0.016,
                "sets": [{"group": "bulbs", "key": "radius"}],
            },
        },
        "sky": {"horizon": [0.3, 0.26, 0.34], "zenith": [0.11, 0.17, 0.38]},
        "materials": {
            "street": matte([0.26, 0.25, 0.25]),
            "wood": matte([0.36, 0.22, 0.13]),
            "planks": matte([0.42, 0.28, 0.17], stripes("x", 0.12, [0.35, 0.23, 0.14])),
            "cloth": matte([0.1, 0.17, 0.3], {"kind": "checks", "width": 0.021, "second": [0.07, 0.12, 0.22]}),
            "awning": matte([0.62, 0.56, 0.44], stripes("x", 0.1, [0.42, 0.09, 0.07])),
            "shelf": matte([0.32, 0.21, 0.14]),
            "clay": matte([0.45, 0.2, 0.12]),
            "cream": matte([0.66, 0.6, 0.48]),
            "brass": metal([0.89, 0.69, 0.33], 0.38),
            "polished": metal([0.86, 0.86, 0.88], 0.12),
            "glass-clear": glass([0.6, 0.3, 0.4]),
            "glass-green": glass([14.0, 2.5, 9.0]),
            "glass-amber": glass([2.0, 7.0, 22.0]),
            "glass-blue": glass([20.0, 8.0, 1.5]),
            "glass-rose": glass([2.0, 15.0, 7.0]),
            "bulb": glow([130.0, 91.0, 48.0]),
            "lantern-warm": glow([6.0, 3.3, 1.3], stripes("y", 0.03, [4.9, 2.5, 0.95])),
            "lantern-rose": glow([5.3, 2.3, 1.5], stripes("y", 0.03, [4.3, 1.75, 1.1])),
        },
        "shapes": [
            *stall_frame(), *deep_shelf(), *grouped("tray", brass_tray(-0.62, 0.2)),
            *grouped("marbles", marbles(dice)), *grouped("bulbs", bulbs(40)), *grouped("lanterns", lanterns()),
        ],
    }  # fmt: skip
