"""The mist lane: paper lanterns along a lane in evening mist, one carried along, a weathercock far away."""

from __future__ import annotations

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


def houses() -> list[Shape]:
    """Walls along both sides, with lit and unlit windows, and a gable at the end."""
    shapes: list[Shape] = []
    for side in (-1.0, 1.0):
        for k in range(4):
            z = -1.5 - 4.2 * k
            shapes.append(box("plaster" if k % 2 else "brick", [side * 3.2, 1.7, z], [1.6, 3.4 + 0.5 * (k % 3), 3.8]))
            shapes.append(box("shutter", [side * 2.37, 1.7, z + 0.7], [0.06, 0.9, 0.6]))
            shapes.append(box("shutter", [side * 2.37, 1.7, z - 0.7], [0.06, 0.9, 0.6]))
    shapes += [box("brick", [0, 2.2, -24], [9, 4.4, 1.2]), box("roof", [0, 4.7, -24], [9.4, 0.6, 2.0])]
    return shapes


def hung_lanterns() -> list[Shape]:
    """Six lanterns on arms along the lane, alternately left and right."""
    shapes: list[Shape] = []
    for k in range(6):
        x, z = (-1.5 if k % 2 else 1.5), -0.6 - 2.6 * k
        shapes.append(sphere("lantern-warm" if k % 3 else "lantern-rose", [x, 2.05 - 0.06 * (k % 2), z], 0.19))
    return shapes


def poles() -> list[Shape]:
    return [pole("wood", (-1.75 if k % 2 else 1.75), -0.6 - 2.6 * k, 2.5) for k in range(6)]


def weathercock() -> list[Shape]:
    """A small bright figure above the far gable, a few pixels wide in the picture."""
    return [
        box("gilt", [0.9, 5.35, -23.6], [0.05, 0.9, 0.05]), box("gilt", [0.9, 5.82, -23.6], [0.55, 0.07, 0.05]),
        sphere("gilt", [1.12, 5.95, -23.6], 0.13), box("gilt", [0.68, 5.97, -23.6], [0.2, 0.26, 0.04]),
    ]  # fmt: skip


def mist_lane() -> dict[str, Any]:
    return {
        "format": 1,
        "name": "mist-lane",
        "title": "Mist lane",
        "about": "A lane with paper lanterns in evening mist; someone carries a lantern through it.",
        "stresses": ["mist", "glowing-surfaces", "small-distant-object", "moving-light", "bounced-light"],
        "views": {
            "lane": {
                "title": "Down the lane", "position": [0.25, 1.55, 3.6], "look_at": [-0.1, 1.65, -6.0],
                "field_of_view_degrees": 42.0,
            },
            "weathercock": {
                "title": "Weathercock", "position": [0.0, 1.6, 2.0], "look_at": [0.9, 5.2, -23.6],
                "field_of_view_degrees": 13.0,
            },
        },
        "frames": [1, 24],
        "motion": [
            {
                "group": "carried",
                "stops": [
                    {"frame": 1, "offset": [0.0, 0.0, 0.0]}, {"frame": 12, "offset": [0.35, 0.05, -3.2]},
                    {"frame": 24, "offset": [-0.1, 0.0, -6.4]},
                ],
            },
        ],
        "variants": variants({
            "clear-air": {"title": "Mist hidden", "about": "The same lane in clear air.", "hide": ["mist"]},
        }),
        "quantities": {
            "mist_density": {
                "title": "Density of the mist", "unit": "1/m", "minimum": 0.0, "maximum": 0.5, "default": 0.05,
                "sets": [{"mist": True, "key": "density_per_metre"}],
            },
            "lantern_radius": {
                "title": "Radius of the lanterns", "unit": "m", "minimum": 0.03, "maximum": 0.4, "default": 0.19,
                "sets": [{"group": "lanterns", "key": "radius"}],
            },
        },
        "sky": {"horizon": [0.3, 0.27, 0.34], "zenith": [0.1, 0.15, 0.32]},
        "mist": {"density_per_metre": 0.05, "albedo": 0.95, "low": [-7.0, 0.0, -30.0], "high": [7.0, 5.0, 5.0]},
        "materials": {
            "cobbles": matte([0.3, 0.29, 0.28], {"kind": "checks", "width": 0.16, "second": [0.2, 0.195, 0.19]}),
            "brick": matte([0.42, 0.23, 0.16], stripes("y", 0.09, [0.35, 0.19, 0.13])),
            "plaster": matte([0.5, 0.46, 0.38]),
            "shutter": matte([0.08, 0.14, 0.13]),
            "roof": matte([0.12, 0.09, 0.1]),
            "wood": matte([0.16, 0.1, 0.06]),
            "gilt": metal([0.95, 0.75, 0.4], 0.3),
            "lantern-warm": glow([16.0, 8.6, 3.4], stripes("y", 0.04, [13.0, 6.6, 2.5])),
            "lantern-rose": glow([14.5, 6.2, 4.1], stripes("y", 0.04, [11.6, 4.7, 3.0])),
            "lantern-carried": glow([24.0, 13.5, 5.2]),
        },
        "shapes": [
            rectangle("cobbles", [-8, 0, -32], [0, 0, 40], [16, 0, 0]), *houses(), *poles(),
            *grouped("weathercock", weathercock()), *grouped("lanterns", hung_lanterns()),
            *grouped("carried", [sphere("lantern-carried", [-0.55, 1.05, 0.4], 0.12)]),
        ],
    }  # fmt: skip
