"""How large a view shows each texture of a scene."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from standins.place import Place
from standins.tracing.geometry import Geometry, camera_rays
from standins.tracing.guide_kernels import fill_first
from standins.tracing.guides import frame_of
from standins.tracing.scene_file import SceneFile

NEAREST_PERCENT = 99


def write_texture_use(path: Path, scene: SceneFile, geometry: Geometry, place: Place) -> None:
    """Write a JSON list with, for each texture, ``texture`` (its name), ``shown_percent`` of the picture's pixels, and
    ``pixels_across``: how many pixels one tile spans where it is nearest to the camera (the nearest hundredth of its
    pixels left out), as if seen square on; both 0 when the view does not show it directly.
    """
    camera = camera_rays(scene.view(place.view), *place.size)
    size = (place.crop[3], place.crop[2])
    materials, depths = np.zeros(size, np.int64), np.zeros(size)
    fill_first(geometry, camera, frame_of(place.size, place.crop), materials, depths)
    pixel_at_one_metre = 2.0 * float(np.linalg.norm(camera[2])) / place.size[0]
    rows = []
    tiles = {row: material["maps"]["tile_metres"] for row, material in enumerate(scene.materials.values())
             if "maps" in material}  # fmt: skip
    for name in scene.maps:
        using = [row for row, material in enumerate(scene.materials.values())
                 if name in material.get("maps", {}).values()]  # fmt: skip
        shown = np.isin(materials, using)
        tile = np.array([tiles[row] for row in materials[shown]])
        across = tile / (depths[shown] * pixel_at_one_metre)
        rows.append({
            "texture": name,
            "shown_percent": 100.0 * float(shown.mean()),
            "pixels_across": float(np.percentile(across, NEAREST_PERCENT)) if across.size else 0.0,
        })  # fmt: skip
    path.write_text(json.dumps(rows), encoding="utf-8")
