"""How large each map needs to be: by its role, and by how many pixels it spans on screen where that is known."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from matchedpair.errors import InputError
from matchedpair.plain_files import parsed_json, read_plain
from matchedpair.textures.maps import SMALLER_COPIES, TextureMap
from matchedpair.textures.roles import Role, RoleGuess, guess_role

DIVISORS = (1, 2, 4, 8, 16, 32, 64)
LEAST_SIDE, LARGEST_PROPOSED = 64, 8
# map pixels kept for each pixel that one tile spans on screen: colour is seen as it is, relief through its shading,
# masks and roughness only through what they mix
KEPT: dict[Role, float] = {"colour": 4.0, "relief": 2.0, "roughness": 1.0, "mask": 1.0}
WHERE_UNKNOWN: dict[Role, int] = {"colour": 1, "relief": 2, "roughness": 4, "mask": 4}
MOST_BYTES = 64_000_000


@dataclass(frozen=True)
class MapUse:
    """How a view shows a map: share of the picture, and how many pixels one tile spans at the nearest place."""

    shown_percent: float
    pixels_across: float

    def joined(self, other: MapUse) -> MapUse:
        """Of two views or frames: the larger of both."""
        return MapUse(max(self.shown_percent, other.shown_percent), max(self.pixels_across, other.pixels_across))


@dataclass(frozen=True)
class MapPlan:
    """What becomes of a map, and why.

    Parameters
    ----------
    divisor, channels : int
        What width and height are divided by, and how many channels stay.
    proposed : int
        The divisor that is proposed, whatever was chosen.
    """

    texture: TextureMap
    role: Role
    role_reason: str
    use: MapUse | None
    divisor: int
    proposed: int
    channels: int
    reason: str

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the copy."""
        return max(self.texture.width // self.divisor, 1), max(self.texture.height // self.divisor, 1)

    @property
    def memory_bytes(self) -> int:
        """Of the copy, unpacked."""
        return self.size[0] * self.size[1] * self.channels * self.texture.bits // 8

    @property
    def with_copies_bytes(self) -> int:
        """Of the copy, with its own smaller copies."""
        return round(self.memory_bytes * SMALLER_COPIES)

    @property
    def changes(self) -> bool:
        """Whether a copy is written at all."""
        return self.divisor > 1 or self.channels != self.texture.channels

    @property
    def copy_key(self) -> tuple[str, str, str, int, int]:
        """All that makes the copy: file, the original's digest, role, divisor, channels."""
        return self.texture.file, self.texture.digest, self.role, self.divisor, self.channels


@dataclass(frozen=True)
class TexturePlan:
    """All maps of a folder or scene, largest first."""

    maps: tuple[MapPlan, ...]

    @property
    def changed(self) -> list[MapPlan]:
        """Those of which a copy is written."""
        return [row for row in self.maps if row.changes]

    @property
    def before_bytes(self) -> int:
        """Memory of all maps with their smaller copies."""
        return sum(row.texture.with_copies_bytes for row in self.maps)

    @property
    def after_bytes(self) -> int:
        """The same with the reduced copies in their place."""
        return sum(row.with_copies_bytes for row in self.maps)


def plan_maps(
    maps: Sequence[TextureMap],
    *,
    roles: Mapping[str, Role] | None = None,
    divisors: Mapping[str, int] | None = None,
    use: Mapping[str, MapUse] | None = None,
) -> TexturePlan:
    """Propose a size for each map.

    Parameters
    ----------
    roles, divisors : mapping, optional
        By file, what people decided; a divisor that is stated is kept.
    use : mapping, optional
        By file, how large the views show it; a map that is not in it, or that no view shows directly, is reduced by
        its role alone.

    Raises
    ------
    InputError
        When a file is named that is not there, or a divisor is none of `DIVISORS`.
    """
    known = {each.file for each in maps}
    for file in (*(roles or {}), *(divisors or {})):
        if file not in known:
            raise InputError(f"there is no map {file!r} here")
    for file, divisor in (divisors or {}).items():
        if divisor not in DIVISORS:
            raise InputError(f"{file}: a size is divided by {', '.join(map(str, DIVISORS))}, got {divisor}")
    rows = []
    for each in maps:
        stated = (roles or {}).get(each.file)
        guess = RoleGuess(stated, "stated") if stated else guess_role(each)
        shown = (use or {}).get(each.file)
        proposed, reason = _proposed(each, guess.role, shown)
        divisor = (divisors or {}).get(each.file, proposed)
        one = each.channels == 3 and each.grey and guess.role != "colour"
        rows.append(MapPlan(
            each, guess.role, guess.reason, shown, divisor, proposed, 1 if one else each.channels,
            f"{reason}; its three channels are one" if one else reason,
        ))  # fmt: skip
    return TexturePlan(tuple(sorted(rows, key=lambda row: (-row.texture.memory_bytes, row.texture.file))))


def read_use(path: Path) -> dict[str, MapUse]:
    """What an engine wrote of the use of its maps, by the name it gives them. Raises `InputError`."""
    try:
        rows = parsed_json(read_plain(path, MOST_BYTES), path.name)
        found = {str(row["texture"]): MapUse(float(row["shown_percent"]), float(row["pixels_across"])) for row in rows}
    except (ValueError, TypeError, KeyError) as error:
        raise InputError(
            f'{path.name}: expected a list of {{"texture", "shown_percent", "pixels_across"}}; {error!r}'
        ) from error
    odd = next((name for name, row in found.items() if not _plain(row)), None)
    if odd is not None:
        raise InputError(f"{path.name}: the use of {odd!r} must be numbers of at least 0")
    return found


def _plain(row: MapUse) -> bool:
    return all(math.isfinite(value) and value >= 0.0 for value in (row.shown_percent, row.pixels_across))


def _proposed(texture: TextureMap, role: Role, use: MapUse | None) -> tuple[int, str]:
    """A divisor and the reason for it."""
    side = min(texture.width, texture.height)
    if texture.flat:
        return _largest(lambda divisor: side // divisor >= LEAST_SIDE, DIVISORS), "one value only"
    within = [divisor for divisor in DIVISORS if divisor <= LARGEST_PROPOSED and side // divisor >= LEAST_SIDE]
    if use is not None and use.pixels_across > 0.0:
        needed = KEPT[role] * use.pixels_across
        divisor = _largest(lambda each: texture.width / each >= needed, within)
        return divisor, f"spans at most {use.pixels_across:.0f} pixels; {role} keeps {KEPT[role]:g} for each"
    wanted = WHERE_UNKNOWN[role]
    kept = f"{role} stays" if wanted == 1 else f"{role} can be divided by {wanted}"
    unseen = "" if use is None else "no view shows it directly: "
    return _largest(lambda each: each <= wanted, within), f"{unseen}{kept}"


def _largest(fits: Callable[[int], bool], among: Sequence[int]) -> int:
    return max((each for each in among if fits(each)), default=1)
