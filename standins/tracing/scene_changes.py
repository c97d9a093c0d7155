"""What a call may change in a scene before it is built: the variant, the frame, and quantities.

A variant isolates a cause: everything in one neutral material, some lights only, groups hidden. A quantity is a number
of the scene that it declares as changeable. See demo/scenes/README.md.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from standins.tracing.scene_file import SceneError, SceneFile, checked, number, read_json, vector

AS_IS = "as-is"
NEUTRAL = "neutral-grey"
SKY, MIST = "sky", "mist"


def read_scene(
    path: Path, variant: str = AS_IS, frame: int = 1, quantities: Mapping[str, float] | None = None
) -> SceneFile:
    """Read a scene file in one variant, at one frame, with some quantities set. Raises `SceneError`."""
    raw = read_json(path)
    scene = checked(raw, path.parent)  # a fault of the file is told before one of the call
    if variant == AS_IS and not quantities and "motion" not in raw and "light_changes" not in raw:
        return scene
    raw = copy.deepcopy(raw)
    for name, value in (quantities or {}).items():
        _set_quantity(raw, name, value)
    _move(raw, frame)
    _change_lights(raw, frame)
    if variant != AS_IS:
        _vary(raw, variant)
    return checked(raw, path.parent)


def _set_quantity(raw: dict[str, Any], name: str, value: float) -> None:
    declared = raw.get("quantities", {})
    if name not in declared:
        raise SceneError(f"the scene has no quantity {name!r}; it has {', '.join(sorted(declared)) or 'none'}")
    for place in declared[name].get("sets", []):
        for item in _items(raw, place, f"quantity {name!r}"):
            key, index = place.get("key"), place.get("index")
            if index is None:
                item[key] = value
            else:
                item[key] = [value if k == index else old for k, old in enumerate(item[key])]


def _items(raw: dict[str, Any], place: Mapping[str, Any], where: str) -> list[dict[str, Any]]:
    if "material" in place:
        items = [raw["materials"][place["material"]]] if place["material"] in raw["materials"] else []
    elif "group" in place:
        items = [shape for shape in raw["shapes"] if shape.get("group") == place["group"]]
    else:
        items = [raw[MIST]] if MIST in raw else []
    if not items or any(place.get("key") not in item for item in items):
        raise SceneError(f"{where}: {place!r} names nothing in the scene")
    return items


def _move(raw: dict[str, Any], frame: int) -> None:
    """Put each moving group where it is at this frame, in straight lines between the given frames."""
    for motion in raw.get("motion", []):
        stops = motion["stops"]
        offset = _between(stops, frame)
        for shape in raw["shapes"]:
            if shape.get("group") == motion["group"]:
                for key in ("centre", "corner"):
                    if key in shape:
                        shape[key] = [value + step for value, step in zip(shape[key], offset, strict=True)]


def _change_lights(raw: dict[str, Any], frame: int) -> None:
    """From its frame on, a change multiplies the radiance of a glowing material."""
    for change in raw.get("light_changes", []):
        material = raw["materials"].get(change.get("material"), {})
        if material.get("kind") != "glow":
            raise SceneError(f"light_changes: {change.get('material')!r} is no glowing material")
        if frame >= change["frame"]:
            times = number(change, "times", "light_changes")
            material["radiance"] = [value * times for value in material["radiance"]]


def _between(stops: list[dict[str, Any]], frame: int) -> list[float]:
    before = [stop for stop in stops if stop["frame"] <= frame] or stops[:1]
    after = [stop for stop in stops if stop["frame"] >= frame] or stops[-1:]
    first, last = before[-1], after[0]
    span = last["frame"] - first["frame"]
    share = (frame - first["frame"]) / span if span else 0.0
    start, end = vector(first, "offset", "motion"), vector(last, "offset", "motion")
    return [a + share * (b - a) for a, b in zip(start, end, strict=True)]


def _vary(raw: dict[str, Any], variant: str) -> None:
    variants = raw.get("variants", {})
    if variant not in variants:
        known = ", ".join([AS_IS, *sorted(variants)])
        raise SceneError(f"the scene has no variant {variant!r}; it has {known}")
    change = variants[variant]
    hidden = set(change.get("hide", []))
    raw["shapes"] = [shape for shape in raw["shapes"] if shape.get("group") not in hidden]
    if MIST in hidden:
        raw.pop(MIST, None)
    if "neutral" in change:
        _neutralise(raw, float(change["neutral"]))
    if "lights" in change:
        _light_only(raw, set(change["lights"]))


def _neutralise(raw: dict[str, Any], reflectance: float) -> None:
    raw["materials"][NEUTRAL] = {"kind": "matte", "reflectance": [reflectance] * 3}
    for shape in raw["shapes"]:
        if raw["materials"][shape["material"]]["kind"] != "glow":
            shape["material"] = NEUTRAL


def _light_only(raw: dict[str, Any], lit: set[str]) -> None:
    """Darken the glowing shapes of other groups, and the sky unless it is among the lit."""
    for shape in raw["shapes"]:
        material = raw["materials"][shape["material"]]
        if material["kind"] == "glow" and shape.get("group") not in lit:
            dark = f"{shape['material']}-dark"
            raw["materials"][dark] = {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]}
            shape["material"] = dark
    if SKY not in lit:
        raw["sky"] = {"horizon": [0.0, 0.0, 0.0], "zenith": [0.0, 0.0, 0.0]}
