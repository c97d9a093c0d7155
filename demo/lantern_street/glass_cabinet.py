"""The glass cabinet: bottles behind glass panes, a mirror, a hard lamp and a large soft lantern."""

from __future__ import annotations

from typing import Any

from demo.lantern_street.shapes import (
    Shape,
    box,
    glass,
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


def room() -> list[Shape]:
    """A booth of three walls, open to the street, with a boarded floor."""
    return [
        rectangle("boards", [-2.4, 0, -1.6], [0, 0, 4.6], [4.8, 0, 0]),
        rectangle("paper", [-2.4, 0, -1.6], [4.8, 0, 0], [0, 2.7, 0]),
        rectangle("panel", [-2.4, 0, -1.6], [0, 2.7, 0], [0, 0, 3.0]),
        rectangle("panel", [2.4, 0, -1.6], [0, 0, 3.0], [0, 2.7, 0]),
    ]


def cabinet() -> list[Shape]:
    """Top, bottom, sides and two boards; the panes in front are apart."""
    return [
        box("walnut", [0.75, 0.3, -1.2], [1.5, 0.6, 0.6]), box("walnut", [0.75, 2.05, -1.2], [1.5, 0.06, 0.6]),
        box("walnut", [0.03, 1.33, -1.2], [0.06, 1.46, 0.6]), box("walnut", [1.47, 1.33, -1.2], [0.06, 1.46, 0.6]),
        box("walnut", [0.75, 1.02, -1.22], [1.4, 0.03, 0.5]), box("walnut", [0.75, 1.5, -1.22], [1.4, 0.03, 0.5]),
        box("velvet", [0.75, 1.33, -1.47], [1.4, 1.4, 0.02]),
    ]  # fmt: skip


def panes() -> list[Shape]:
    """Two sliding panes of 6 mm that overlap in the middle: there one looks through both."""
    return [
        box("pane", [0.52, 1.32, -0.93], [0.96, 1.4, 0.006]), box("pane", [1.0, 1.32, -0.905], [0.94, 1.4, 0.006]),
    ]  # fmt: skip


def bottles() -> list[Shape]:
    """Balls and stoppers of coloured glass on three levels, a few of clay between them."""
    shapes: list[Shape] = []
    kinds = ["glass-clear", "clay", "glass-green", "glass-amber", "cream", "glass-blue"]
    for level, bottom in enumerate((0.6, 1.035, 1.515)):
        for k in range(5):
            kind = kinds[(k + 2 * level) % 6]
            x, radius = 0.2 + 0.27 * k, 0.085 + 0.012 * ((k + level) % 3)
            shapes.append(sphere(kind, [x, bottom + radius, -1.2 + 0.05 * (k % 2)], radius))
            if kind.startswith("glass"):
                shapes.append(sphere(kind, [x, bottom + 2 * radius + 0.028, -1.2 + 0.05 * (k % 2)], 0.028))
    return shapes


def posts() -> list[Shape]:
    """Thin rails close to the floor and high above it: their shadows are sharp near and soft far away."""
    return [
        *(pole("rail", -1.9 + 0.32 * k, 0.9 - 0.22 * k, 0.5 + 0.12 * k, 0.035) for k in range(5)),
        box("rail", [-1.15, 1.9, 0.35], [1.5, 0.035, 0.035]), box("rail", [-1.15, 0.55, 1.0], [1.5, 0.025, 0.025]),
        box("rail", [-1.9, 0.95, 0.35], [0.03, 1.9, 0.03]), box("rail", [-0.4, 0.95, 0.35], [0.03, 1.9, 0.03]),
    ]  # fmt: skip


def glass_cabinet() -> dict[str, Any]:
    return {
        "format": 1,
        "name": "glass-cabinet",
        "title": "Glass cabinet",
        "about": "A booth with bottles behind sliding panes, a wall mirror, one hard lamp and one soft lantern.",
        "stresses": [
            "mirror", "glass-behind-glass", "sharp-shadows", "soft-shadows", "focused-by-glass", "bounced-light",
        ],
        "views": {
            "cabinet": {
                "title": "Cabinet and mirror", "position": [-0.35, 1.5, 2.1], "look_at": [0.1, 1.25, -1.2],
                "field_of_view_degrees": 44.0,
            },
            "floor": {
                "title": "Shadows on the floor", "position": [-0.5, 1.75, 2.6], "look_at": [-1.15, 0.25, 0.2],
                "field_of_view_degrees": 36.0,
            },
        },
        "frames": [1, 1],
        "variants": variants({
            "no-panes": {"title": "Panes hidden", "about": "The bottles without glass before them.", "hide": ["panes"]},
        }),
        "quantities": {
            "lantern_radius": {
                "title": "Radius of the lantern", "unit": "m", "minimum": 0.02, "maximum": 0.5, "default": 0.28,
                "sets": [{"group": "lanterns", "key": "radius"}],
            },
            "lamp_height": {
                "title": "Height of the hard lamp", "unit": "m", "minimum": 1.2, "maximum": 3.2, "default": 2.5,
                "sets": [{"group": "lamp", "key": "centre", "index": 1}],
            },
        },
        "sky": {"horizon": [0.34, 0.33, 0.42], "zenith": [0.13, 0.19, 0.4]},
        "materials": {
            "boards": matte([0.32, 0.22, 0.14], stripes("x", 0.14, [0.27, 0.18, 0.11])),
            "paper": matte([0.4, 0.42, 0.36], stripes("x", 0.06, [0.34, 0.37, 0.32])),
            "panel": matte([0.45, 0.38, 0.3]),
            "walnut": matte([0.3, 0.19, 0.12]),
            "velvet": matte([0.55, 0.2, 0.24]),
            "rail": matte([0.1, 0.1, 0.11]),
            "clay": matte([0.45, 0.2, 0.12]),
            "cream": matte([0.66, 0.6, 0.48]),
            "frame": metal([0.89, 0.69, 0.33], 0.35),
            "mirror": metal([0.92, 0.92, 0.93], 0.02),
            "pane": glass([0.3, 0.12, 0.2]),
            "glass-clear": glass([0.6, 0.3, 0.4]),
            "glass-green": glass([14.0, 2.5, 9.0]),
            "glass-amber": glass([2.0, 7.0, 22.0]),
            "glass-blue": glass([20.0, 8.0, 1.5]),
            "lamp": glow([5200.0, 4400.0, 3240.0]),
            "lantern-warm": glow([11.0, 5.7, 2.15], stripes("y", 0.04, [8.8, 4.4, 1.56])),
        },
        "shapes": [
            *room(), *cabinet(), *grouped("panes", panes()), *grouped("bottles", bottles()), *posts(),
            box("frame", [-0.85, 1.45, -1.57], [1.06, 1.36, 0.04]),
            rectangle("mirror", [-1.33, 0.82, -1.54], [0.96, 0, 0], [0, 1.26, 0]),
            *grouped("lamp", [sphere("lamp", [-0.2, 2.5, 1.2], 0.03)]),
            *grouped("lanterns", [sphere("lantern-warm", [1.5, 2.15, 0.55], 0.28)]),
        ],
    }  # fmt: skip
