"""The shutter wall: a closed stall with a painted shutter, damp flagstones and a brass plate, all with image textures.

A lantern is carried past over 16 frames, and at frame 9 the lamp above the shutter goes out.
"""

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

FOLDER = "textures"


def mapped(material: dict[str, Any], laid: str, tile_metres: float, **maps: Any) -> dict[str, Any]:
    """The material with image textures laid along two axes."""
    return {**material, "maps": {"laid": laid, "tile_metres": tile_metres, **maps}}


def stall() -> list[Shape]:
    """Ground, wall with the shutter in it, two posts, a roof's edge and a bench."""
    return [
        rectangle("flags", [-4, 0, -0.6], [0, 0, 6.6], [8, 0, 0]),
        rectangle("wall", [-4, 0, -0.52], [8, 0, 0], [0, 3.4, 0]),
        box("shutter", [0, 1.12, -0.5], [1.9, 1.9, 0.06]),
        pole("post", -1.05, -0.42, 2.5, 0.1), pole("post", 1.05, -0.42, 2.5, 0.1),
        box("roof", [0, 2.45, 0.0], [2.7, 0.06, 1.2]),
        box("bench", [1.75, 0.42, -0.1], [1.0, 0.06, 0.36]),
        box("bench", [1.35, 0.2, -0.1], [0.07, 0.4, 0.3]), box("bench", [2.15, 0.2, -0.1], [0.07, 0.4, 0.3]),
        rectangle("notice", [-1.9, 1.15, -0.51], [0.6, 0, 0], [0, 0.6, 0]),
        rectangle("plate", [-0.25, 1.72, -0.465], [0.5, 0, 0], [0, 0.28, 0]),
        sphere("clay", [1.5, 0.58, -0.1], 0.13), sphere("glass-green", [1.82, 0.56, -0.06], 0.11),
        sphere("clay", [-1.45, 0.16, -0.2], 0.16), sphere("cream", [-1.75, 0.12, -0.02], 0.12),
    ]  # fmt: skip


def shutter_wall() -> dict[str, Any]:
    return {
        "format": 1,
        "name": "shutter-wall",
        "title": "Shutter wall",
        "about": "A closed stall in the evening; a lantern is carried past, and the lamp above it goes out at frame 9.",
        "stresses": ["fine-texture", "moving-light", "glowing-surfaces", "soft-shadows"],
        "views": {
            "street": {
                "title": "From the street", "position": [-0.4, 1.45, 4.3], "look_at": [0.0, 1.05, -0.5],
                "field_of_view_degrees": 38.0,
            },
            "plate": {
                "title": "Plate and shutter", "position": [0.15, 1.6, 1.35], "look_at": [-0.05, 1.5, -0.5],
                "field_of_view_degrees": 34.0,
            },
        },
        "frames": [1, 16],
        "motion": [
            {
                "group": "carried",
                "stops": [{"frame": 1, "offset": [0.0, 0.0, 0.0]}, {"frame": 16, "offset": [3.6, 0.06, 0.0]}],
            },
        ],
        "light_changes": [{"material": "lamp", "frame": 9, "times": 0.0}],
        "variants": variants({
            "no-jars": {"title": "Jars hidden", "about": "Without the jars on and before it.", "hide": ["jars"]},
        }),
        "quantities": {
            "lamp_height": {
                "title": "Height of the lamp", "unit": "m", "minimum": 1.6, "maximum": 2.35, "default": 2.22,
                "sets": [{"group": "lamp", "key": "centre", "index": 1}],
            },
            "lantern_radius": {
                "title": "Radius of the carried lantern", "unit": "m", "minimum": 0.05, "maximum": 0.3, "default": 0.15,
                "sets": [{"group": "carried", "key": "radius"}],
            },
        },
        "sky": {"horizon": [0.42, 0.4, 0.5], "zenith": [0.16, 0.23, 0.46]},
        "textures": {
            name: {"file": f"{FOLDER}/{name}.png"}
            for name in (
                "shutter_colour", "shutter_relief", "flags_relief", "flags_damp_mask", "plate_roughness",
                "notice_colour", "post_mask",
            )
        },
        "materials": {
            "flags": mapped(
                {**matte([0.36, 0.34, 0.31]), "second": [0.1, 0.1, 0.11]}, "xz", 1.6, mask="flags_damp_mask",
                relief="flags_relief", relief_metres=0.012,
            ),
            "shutter": mapped(
                matte([0.5, 0.5, 0.5]), "xy", 1.9, colour="shutter_colour", relief="shutter_relief",
                relief_metres=0.016, from_across=-0.95, from_up=0.17,
            ),
            "plate": mapped(metal([0.88, 0.7, 0.36], 0.3), "xy", 0.5, roughness="plate_roughness"),
            "notice": mapped(matte([0.7, 0.7, 0.6]), "xy", 0.6, colour="notice_colour", from_across=-1.9, from_up=1.15),
            "post": mapped({**matte([0.2, 0.13, 0.08]), "second": [0.5, 0.4, 0.3]}, "xy", 0.5, mask="post_mask"),
            "wall": matte([0.42, 0.37, 0.32], stripes("y", 0.21, [0.39, 0.34, 0.3])),
            "roof": matte([0.2, 0.12, 0.09]),
            "bench": matte([0.24, 0.16, 0.1], stripes("z", 0.12, [0.2, 0.13, 0.08])),
            "clay": matte([0.45, 0.2, 0.12]),
            "cream": matte([0.66, 0.6, 0.48]),
            "glass-green": glass([14.0, 2.5, 9.0]),
            "lamp": glow([190.0, 150.0, 100.0]),
            "lantern-warm": glow([16.0, 8.4, 3.2], stripes("y", 0.03, [12.8, 6.5, 2.3])),
        },
        "shapes": [
            *stall()[:-4], *grouped("jars", stall()[-4:]),
            *grouped("lamp", [sphere("lamp", [0.1, 2.22, 0.35], 0.045)]),
            *grouped("carried", [sphere("lantern-warm", [-1.8, 1.25, 0.9], 0.15)]),
        ],
    }  # fmt: skip
