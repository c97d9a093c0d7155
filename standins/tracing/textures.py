"""Image textures of a scene: read as they are, laid over materials, and how much of each a view can show."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from standins.tracing.kernels import COLOUR_MAP, LAID, MAPPED, MASK_MAP, RELIEF_MAP, ROUGHNESS_MAP
from standins.tracing.scene_file import SceneError, SceneFile, number

AXES = "xyz"
KEYS = {"colour": COLOUR_MAP, "mask": MASK_MAP, "roughness": ROUGHNESS_MAP, "relief": RELIEF_MAP}
MOST_SIDE = 16384
Bytes = NDArray[np.uint8]


@dataclass(frozen=True)
class Textures:
    """All maps of a scene, one behind the other as their files hold them.

    Parameters
    ----------
    rows : dict
        By texture: place of the first byte in `texels`, width, height, channels, bytes a value.
    """

    rows: dict[str, tuple[int, int, int, int, int]]
    texels: Bytes

    def lay(self, raw: dict[str, Any], where: str, columns: NDArray[np.float64]) -> None:
        """Write a material's maps into its row of `Geometry.material_data`. Raises `SceneError`."""
        asked = raw.get("maps")
        if asked is None:
            return
        if not isinstance(asked, dict) or raw["kind"] not in ("matte", "metal"):
            raise SceneError(f'{where}: "maps" must be an object, of a matte or metal material')
        laid = str(asked.get("laid", "xz"))
        if len(laid) != 2 or laid[0] == laid[1] or any(axis not in AXES for axis in laid):
            raise SceneError(f'{where}: maps "laid" must be two axes, such as "xy", got {laid!r}')
        tile = number(asked, "tile_metres", where)
        if tile <= 0.0:
            raise SceneError(f'{where}: "tile_metres" must be above 0')
        rest = [number(asked, key, where, 0.0) for key in ("relief_metres", "from_across", "from_up")]
        columns[LAID : LAID + 6] = [AXES.index(laid[0]), AXES.index(laid[1]), tile, *rest]
        for key, at in KEYS.items():
            if key in asked:
                if asked[key] not in self.rows:
                    raise SceneError(f"{where}: there is no texture {asked[key]!r}")
                columns[at : at + 6] = [*self.rows[asked[key]], key == "colour"]
        if "colour" in asked or "mask" in asked:
            columns[1] = MAPPED


def read_textures(scene: SceneFile) -> Textures:
    """Every texture file of a scene, 8 or 16 bits a value. Raises `SceneError` naming the file that cannot be used."""
    rows: dict[str, tuple[int, int, int, int, int]] = {}
    parts: list[Bytes] = []
    for name, path in scene.maps.items():
        values = _read(path, name)
        rows[name] = (sum(part.size for part in parts), values.shape[1], values.shape[0], values.shape[2],
                      values.itemsize)  # fmt: skip
        parts.append(values.astype(f"<u{values.itemsize}").view(np.uint8).reshape(-1))
    return Textures(rows, np.concatenate(parts) if parts else np.zeros(0, np.uint8))


def _read(path: Path, name: str) -> NDArray[Any]:
    import OpenImageIO as oiio  # noqa: PLC0415 - only scenes with textures should wait for it

    opened = oiio.ImageInput.open(str(path))
    if opened is None:
        raise SceneError(f"texture {name!r}: {path.name} is missing or not a readable picture")
    spec = opened.spec()
    if max(spec.width, spec.height) > MOST_SIDE:
        raise SceneError(f"texture {name!r}: larger than {MOST_SIDE} pixels a side")
    kind = "uint16" if str(spec.format) in ("uint16", "half", "float") else "uint8"
    values = opened.read_image(kind)
    unread = opened.geterror()  # fetched, else the library prints it as it ends
    opened.close()
    if values is None:
        raise SceneError(f"texture {name!r}: {path.name} cannot be read to its end ({unread.splitlines()[0]})")
    return np.ascontiguousarray(values.reshape(spec.height, spec.width, spec.nchannels))
