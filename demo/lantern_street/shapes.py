"""Shapes, materials and changes that the scenes of *Lantern Street* are made of, and their layout as JSON."""

from __future__ import annotations

import json
from typing import Any

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


def metal(reflectance: list[float], roughness: float) -> dict[str, Any]:
    return {"kind": "metal", "reflectance": reflectance, "roughness": roughness}


def grouped(group: str, shapes: list[Shape]) -> list[Shape]:
    """The shapes, as one group that a variant can hide, light alone, or a quantity can change."""
    return [{**shape, "group": group} for shape in shapes]


def pole(material: str, x: float, z: float, height: float, width: float = 0.07) -> Shape:
    return box(material, [x, height / 2, z], [width, height, width])


def variants(heavy: dict[str, Any]) -> dict[str, Any]:
    """The variants that every scene has, and one more that hides what is heavy in it."""
    return {
        "neutral": {"title": "One neutral material", "about": "Everything but the lights in one grey.", "neutral": 0.5},
        "lanterns-only": {"title": "Lanterns only", "about": "Bulbs and sky are dark.", "lights": ["lanterns"]},
        "dusk-only": {"title": "Dusk sky only", "about": "All lamps are dark.", "lights": ["sky"]},
        **heavy,
    }


def as_json(scene: dict[str, Any]) -> str:
    """One line a shape, material, view, variant, quantity and motion, so that a change reads well."""
    compact = []
    for key, value in scene.items():
        if key in ("views", "materials", "variants", "quantities", "textures"):
            rows = [f"  {json.dumps(name)}: {json.dumps(item)}" for name, item in value.items()]
            compact.append(f" {json.dumps(key)}: {{\n" + ",\n".join(rows) + "\n }")
        elif key in ("shapes", "motion"):
            compact.append(f" {json.dumps(key)}: [\n" + ",\n".join(f"  {json.dumps(item)}" for item in value) + "\n ]")
        else:
            compact.append(f" {json.dumps(key)}: {json.dumps(value)}")
    return "{\n" + ",\n".join(compact) + "\n}\n"
