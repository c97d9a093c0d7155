"""Turns a scene file into the flat arrays the kernels read, with a bounding-volume tree over the shapes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from standins.tracing.kernels import COLUMNS, GLASS, GLOW, LAID, MATTE, METAL, RECTANGLE, SPHERE
from standins.tracing.scene_file import SceneError, SceneFile, View, number, vector
from standins.tracing.textures import read_textures

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

KIND_CODES = {"matte": MATTE, "metal": METAL, "glass": GLASS, "glow": GLOW}
AXES = {"x": 0, "y": 1, "z": 2}
LEAF_SIZE = 2


class Geometry(NamedTuple):
    """The scene in arrays; n shapes, m materials, k tree nodes, l lights."""

    shape_kind: Ints  # (n,)
    shape_data: Floats  # (n, 16): sphere centre, radius; or rectangle corner, edges, normal, inverse squared lengths
    shape_material: Ints  # (n,)
    shape_light: Ints  # (n,) index among the lights, or -1
    material_kind: Ints  # (m,)
    material_colour: Floats  # (m, 3) reflectance, radiance, or absorption per metre
    material_second: Floats  # (m, 3) the pattern's other colour
    material_data: Floats  # (m, 34): roughness or refraction, pattern code, pattern axis, pattern width, then the maps
    node_bounds: Floats  # (k, 6)
    node_links: Ints  # (k, 3): first child or first shape, number of shapes (0 inside the tree), second child
    order: Ints  # (n,) shapes as the tree's leaves list them
    light_shape: Ints  # (l,)
    light_place: Floats  # (l, 4) middle and, of spheres, radius
    light_power: Floats  # (l,) radiant power by luminance
    sky: Floats  # (2, 3) horizon and zenith radiance
    mist: Floats  # (8,) scattering events a metre, albedo, lowest and highest corner of its box
    texels: NDArray[np.uint8]  # all maps as their files hold them, one behind the other

    def structure_bytes(self) -> int:
        """Memory of all arrays, in bytes."""
        return sum(array.nbytes for array in self)


def build_geometry(scene: SceneFile, light_scale: float = 1.0) -> Geometry:
    """Lay out materials, shapes, lights and the tree; all light times `light_scale`. Raises `SceneError`."""
    names = list(scene.materials)
    kinds = np.array([KIND_CODES[scene.materials[n]["kind"]] for n in names], dtype=np.int64)
    textures = read_textures(scene)
    colour, second, data = (np.zeros((len(names), width)) for width in (3, 3, COLUMNS))
    for row, name in enumerate(names):
        where = f"material {name!r}"
        colour[row], second[row], data[row, :LAID] = _material(scene.materials[name], where)
        textures.lay(scene.materials[name], where, data[row])
    glowing = kinds == GLOW
    colour[glowing] *= light_scale
    second[glowing] *= light_scale
    rows: list[tuple[int, list[float]]] = []
    materials: list[int] = []
    for index, shape in enumerate(scene.shapes):
        for row_ in _primitives(shape, f"shape {index}"):
            rows.append(row_)
            materials.append(names.index(shape["material"]))
    shape_kind = np.array([kind for kind, _ in rows], dtype=np.int64)
    shape_data = np.array([values + [0.0] * (16 - len(values)) for _, values in rows])
    shape_material = np.array(materials, dtype=np.int64)
    lights = np.flatnonzero(glowing[shape_material]).astype(np.int64)
    shape_light = np.full(len(rows), -1, dtype=np.int64)
    shape_light[lights] = np.arange(len(lights))
    bounds, links, order = _tree(_bounds(shape_kind, shape_data))
    return Geometry(
        shape_kind, shape_data, shape_material, shape_light, kinds, colour, second, data, bounds, links, order,
        lights, _places(shape_kind[lights], shape_data[lights]),
        _powers(shape_kind, shape_data, colour[shape_material], lights),
        np.array([scene.sky_horizon, scene.sky_zenith]) * light_scale,
        np.array([scene.mist.density, scene.mist.albedo, *scene.mist.low, *scene.mist.high]),
        textures.texels,
    )  # fmt: skip


def camera_rays(view: View, width: int, height: int) -> Floats:
    """Camera frame as rows: position, forward, right × half width, up × half height; shape (4, 3)."""
    position, target = np.array(view.position), np.array(view.look_at)
    forward = target - position
    length = float(np.linalg.norm(forward))
    if length == 0.0:
        raise SceneError("a view must look at a place other than its own")
    forward /= length
    right = np.cross(forward, [0.0, 1.0, 0.0])
    right /= np.linalg.norm(right)
    half = math.tan(math.radians(view.field_of_view) / 2)
    return np.array([position, forward, right * half * width / height, np.cross(right, forward) * half])


def _material(raw: dict[str, Any], where: str) -> tuple[Floats, Floats, Floats]:
    kind = raw["kind"]
    key = {"matte": "reflectance", "metal": "reflectance", "glass": "absorption_per_metre", "glow": "radiance"}[kind]
    colour = np.array(vector(raw, key, where))
    second, data = colour.copy(), np.zeros(4)
    if "second" in raw:
        second = np.array(vector(raw, "second", where))
    if kind == "metal":
        data[0] = max(number(raw, "roughness", where), 0.02)
    if kind == "glass":
        data[0] = number(raw, "refraction", where)
    if "pattern" in raw:
        pattern = raw["pattern"]
        data[1] = {"stripes": 1.0, "checks": 2.0}.get(pattern.get("kind"), -1.0)
        if data[1] < 0:
            raise SceneError(f'{where}: pattern "kind" must be stripes or checks')
        data[2] = AXES.get(pattern.get("axis", "x"), 0)
        data[3] = number(pattern, "width", where)
        second = np.array(vector(pattern, "second", where))
    return colour, second, data


def _primitives(shape: dict[str, Any], where: str) -> Iterator[tuple[int, list[float]]]:
    if shape["kind"] == "sphere":
        yield SPHERE, [*vector(shape, "centre", where), number(shape, "radius", where)]
    elif shape["kind"] == "rectangle":
        yield _rectangle(*(np.array(vector(shape, key, where)) for key in ("corner", "edge_a", "edge_b")))
    else:
        yield from _box(shape, where)


def _rectangle(corner: Floats, edge_a: Floats, edge_b: Floats) -> tuple[int, list[float]]:
    normal = np.cross(edge_a, edge_b)
    normal /= np.linalg.norm(normal)
    return RECTANGLE, [*corner, *edge_a, *edge_b, *normal, 1 / float(edge_a @ edge_a), 1 / float(edge_b @ edge_b)]


def _box(shape: dict[str, Any], where: str) -> Iterator[tuple[int, list[float]]]:
    centre, size = np.array(vector(shape, "centre", where)), np.array(vector(shape, "size", where))
    turn = math.radians(number(shape, "turn_degrees", where, 0.0))
    axes = np.array([[math.cos(turn), 0, -math.sin(turn)], [0, 1, 0], [math.sin(turn), 0, math.cos(turn)]])
    edges = axes * size[:, None]
    low = centre - edges.sum(0) / 2
    for first, second, third in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
        yield _rectangle(low, edges[second], edges[first])
        yield _rectangle(low + edges[third], edges[first], edges[second])


def _bounds(kind: Ints, data: Floats) -> Floats:
    low, high = data[:, :3].copy(), data[:, :3].copy()
    sphere = kind == SPHERE
    low[sphere] -= data[sphere, 3:4]
    high[sphere] += data[sphere, 3:4]
    flat = ~sphere
    for edge in (data[flat, 3:6], data[flat, 6:9]):
        low[flat] += np.minimum(edge, 0)
        high[flat] += np.maximum(edge, 0)
    return np.hstack([low - 1e-6, high + 1e-6])


def _tree(boxes: Floats) -> tuple[Floats, Ints, Ints]:
    """A tree over boxes (n, 6), each split where the expected cost of a ray is least; depth-first."""
    centres = (boxes[:, :3] + boxes[:, 3:]) / 2
    bounds: list[Floats] = []
    links: list[list[int]] = []
    order: list[int] = []

    def grow(members: Ints) -> int:
        node = len(bounds)
        bounds.append(np.hstack([boxes[members, :3].min(0), boxes[members, 3:].max(0)]))
        links.append([len(order), len(members), 0])
        if len(members) <= LEAF_SIZE:
            order.extend(int(m) for m in members)
            return node
        members, half = _cheapest_split(boxes, centres, members)
        first = grow(members[:half])
        links[node] = [first, 0, grow(members[half:])]
        return node

    grow(np.arange(len(boxes)))
    return np.array(bounds), np.array(links, dtype=np.int64), np.array(order, dtype=np.int64)


def _cheapest_split(boxes: Floats, centres: Floats, members: Ints) -> tuple[Ints, int]:
    """Members sorted along the best axis and where to cut them (surface-area heuristic, Goldsmith & Salmon 1987)."""
    best_cost, best_order, best_cut = math.inf, members, len(members) // 2
    for axis in range(3):
        sorted_ = members[np.argsort(centres[members, axis], kind="stable")]
        before, after = _running_areas(boxes[sorted_]), _running_areas(boxes[sorted_[::-1]])[::-1]
        sizes = np.arange(1, len(members))
        costs = before[:-1] * sizes + after[1:] * (len(members) - sizes)
        cut = int(np.argmin(costs))
        if costs[cut] < best_cost:
            best_cost, best_order, best_cut = float(costs[cut]), sorted_, cut + 1
    return best_order, best_cut


def _running_areas(boxes: Floats) -> Floats:
    extent = np.maximum.accumulate(boxes[:, 3:]) - np.minimum.accumulate(boxes[:, :3])
    x, y, z = extent.T
    return np.asarray(x * y + y * z + z * x)


def _places(kind: Ints, data: Floats) -> Floats:
    flat = (kind != SPHERE)[:, None]
    middle = data[:, :3] + np.where(flat, (data[:, 3:6] + data[:, 6:9]) / 2, 0.0)
    return np.hstack([middle, np.where(flat, 0.0, data[:, 3:4])])


def _powers(kind: Ints, data: Floats, radiance: Floats, lights: Ints) -> Floats:
    luminance = radiance[lights] @ np.array([0.2126, 0.7152, 0.0722])
    edges = np.linalg.norm(np.cross(data[lights, 3:6], data[lights, 6:9]), axis=1)
    area = np.where(kind[lights] == SPHERE, 4 * math.pi * data[lights, 3] ** 2, edges)
    return np.asarray(math.pi * area * luminance)
