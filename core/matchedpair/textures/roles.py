"""What a map is for: told by its name, else by its contents, with the reason; a guess that people can change."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from matchedpair.textures.maps import TextureMap

Role = Literal["colour", "mask", "roughness", "relief"]
ROLES: tuple[Role, ...] = ("colour", "relief", "roughness", "mask")
WORDS: dict[Role, tuple[str, ...]] = {
    "relief": ("relief", "bump", "height", "displacement", "disp", "normal", "normals", "nrm"),
    "roughness": ("roughness", "rough", "gloss", "glossiness", "smoothness"),
    "mask": ("mask", "masks", "opacity", "alpha", "occlusion", "ao", "metal", "metalness", "metallic", "id"),
    "colour": ("colour", "color", "albedo", "diffuse", "diff", "basecolor", "basecolour", "col"),
}
MOSTLY_AT_ENDS = 0.6


@dataclass(frozen=True)
class RoleGuess:
    """A role and why it was taken for it."""

    role: Role
    reason: str


def guess_role(texture: TextureMap) -> RoleGuess:
    """The role of a map, by the words of its name and then by its contents; a name that its contents gainsay loses."""
    named = _by_name(texture.file)
    if named and named.role in ("mask", "roughness") and _coloured(texture) and not texture.normals:
        return RoleGuess("colour", f"{named.reason}, but its channels differ as a colour's do")
    return named or _by_contents(texture)


def _coloured(texture: TextureMap) -> bool:
    return texture.channels >= 3 and not texture.grey and not texture.flat


def _by_name(file: str) -> RoleGuess | None:
    """The last telling word of the name, since names go from the thing to the kind of map."""
    stem = re.sub(r"([a-z])([A-Z])", r"\1 \2", file.rsplit("/", 1)[-1].rsplit(".", 1)[0])
    for word in reversed(re.findall(r"[a-z]+", stem.lower())):
        for role, words in WORDS.items():
            if word in words:
                return RoleGuess(role, f"“{word}” in its name")
    return None


def _by_contents(texture: TextureMap) -> RoleGuess:
    if texture.normals:
        return RoleGuess("relief", "its channels are directions of a surface")
    if _coloured(texture):
        return RoleGuess("colour", "its channels differ")
    if texture.flat or texture.at_ends > MOSTLY_AT_ENDS:
        return RoleGuess("mask", "one value only" if texture.flat else "mostly its lowest and highest values")
    if texture.bits > 8:
        return RoleGuess("relief", f"grey with {texture.bits} bits")
    return RoleGuess("roughness", "grey, with values in between")
