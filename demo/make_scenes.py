"""Writes the scenes of *Lantern Street* into demo/scenes; the layout is seeded, so the files stay the same.

python demo/make_scenes.py
"""

from __future__ import annotations

import json
import math
import random
from pathlib import Path
from typing import Any

SCENES = Path(__file__).parent / "scenes"
Shape = dict[str, Any]


def sphere(material: str, centre: list[float], radius: float) -> Shape:
    return {"kind": "sphere", "material": material, "centre": rounded(centre), "radius": round(radius, 4)}


def box(material: str, centre: list[float], size: list[float], turn: float = 0.0) -> Shape:
    return {
        "kind": "box", "material": material, "centre": rounded(centre), "size": rounded(size), "turn_degrees": turn,
    }  # fmt: skip


def rectangle(material: str, corner: list[float], edge_a: list[float], edge_b: list[float]) -> Shape:
    return {
        "kind": "rectangle", "material": material,
        "corner": rounded(corner), "edge_a": rounded(edge_a), "edge_b": rounded(edge_b),
    }  # fmt: skip


def rounded(values: list[float]) -> list[float]:
    return [round(v, 4) for v in values]


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


def matte(reflectance: list[float], pattern: dict[str, Any] | None = None) -> dict[str, Any]:
    plain: dict[str, Any] = {"kind": "matte", "reflectance": reflectance}
    return {**plain, "pattern": pattern} if pattern else plain


def stripes(axis: str, width: float, second: list[float]) -> dict[str, Any]:
    return {"kind": "stripes", "axis": axis, "width": width, "second": second}


def glass(absorption: list[float]) -> dict[str, Any]:
    return {"kind": "glass", "refraction": 1.52, "absorption_per_metre": absorption}


def glow(radiance: list[float], pattern: dict[str, Any] | None = None) -> dict[str, Any]:
    plain: dict[str, Any] = {"kind": "glow", "radiance": radiance}
    return {**plain, "pattern": pattern} if pattern else plain


def marble_stall() -> dict[str, Any]:
    dice = random.Random(20)
    return {
        "format": 1,
        "name": "marble-stall",
        "title": "Marble stall",
        "about": "A night-market stall selling glass marbles, at dusk.",
        "stresses": [
            "light focused through glass", "many small lights", "glowing surfaces", "rough metal",
            "bounced light in a dark place", "fine texture",
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
        "sky": {"horizon": [0.075, 0.07, 0.11], "zenith": [0.027, 0.042, 0.105]},
        "materials": {
            "street": matte([0.16, 0.15, 0.15]),
            "wood": matte([0.26, 0.15, 0.085]),
            "planks": matte([0.3, 0.19, 0.11], stripes("x", 0.12, [0.25, 0.155, 0.09])),
            "cloth": matte([0.055, 0.075, 0.13], {"kind": "checks", "width": 0.021, "second": [0.042, 0.055, 0.1]}),
            "awning": matte([0.62, 0.56, 0.44], stripes("x", 0.1, [0.42, 0.09, 0.07])),
            "shelf": matte([0.2, 0.125, 0.08]),
            "clay": matte([0.45, 0.2, 0.12]),
            "cream": matte([0.66, 0.6, 0.48]),
            "brass": {"kind": "metal", "reflectance": [0.89, 0.69, 0.33], "roughness": 0.38},
            "polished": {"kind": "metal", "reflectance": [0.86, 0.86, 0.88], "roughness": 0.12},
            "glass-clear": glass([0.6, 0.3, 0.4]),
            "glass-green": glass([14.0, 2.5, 9.0]),
            "glass-amber": glass([2.0, 7.0, 22.0]),
            "glass-blue": glass([20.0, 8.0, 1.5]),
            "glass-rose": glass([2.0, 15.0, 7.0]),
            "bulb": glow([130.0, 91.0, 48.0]),
            "lantern-warm": glow([2.6, 1.35, 0.5], stripes("y", 0.03, [2.1, 1.02, 0.36])),
            "lantern-rose": glow([2.3, 0.95, 0.6], stripes("y", 0.03, [1.85, 0.7, 0.44])),
        },
        "shapes": [
            *stall_frame(), *deep_shelf(), *brass_tray(-0.62, 0.2), *marbles(dice), *bulbs(40), *lanterns(),
        ],
    }  # fmt: skip


def as_json(scene: dict[str, Any]) -> str:
    """One line a shape, material and view, so that a change reads well."""
    text = json.dumps(scene, indent=1)
    compact = []
    for key, value in scene.items():
        if key in ("views", "materials"):
            rows = [f"  {json.dumps(name)}: {json.dumps(item)}" for name, item in value.items()]
            compact.append(f" {json.dumps(key)}: {{\n" + ",\n".join(rows) + "\n }")
        elif key == "shapes":
            compact.append(f" {json.dumps(key)}: [\n" + ",\n".join(f"  {json.dumps(item)}" for item in value) + "\n ]")
        else:
            compact.append(f" {json.dumps(key)}: {json.dumps(value)}")
    result = "{\n" + ",\n".join(compact) + "\n}\n"
    if json.loads(result) != json.loads(text) or not math.isfinite(len(result)):
        raise ValueError("the compact layout lost something")
    return result


if __name__ == "__main__":
    SCENES.mkdir(exist_ok=True)
    for scene in (marble_stall(),):
        (SCENES / f"{scene['name']}.json").write_text(as_json(scene), encoding="utf-8")
