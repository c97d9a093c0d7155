"""Image textures: what each map is and takes, how large it needs to be, and reduced copies beside the originals."""

from matchedpair.textures.copies import CopiedMap, Copies, delete_copies, read_copies
from matchedpair.textures.maps import TextureMap, find_maps, read_map, read_maps
from matchedpair.textures.plan import DIVISORS, MapPlan, MapUse, TexturePlan, plan_maps, read_use
from matchedpair.textures.roles import ROLES, Role, RoleGuess, guess_role
from matchedpair.textures.writing import Writing, discard, so_far, write_copies, write_some

__all__ = [
    "DIVISORS",
    "ROLES",
    "CopiedMap",
    "Copies",
    "MapPlan",
    "MapUse",
    "Role",
    "RoleGuess",
    "TextureMap",
    "TexturePlan",
    "Writing",
    "delete_copies",
    "discard",
    "find_maps",
    "guess_role",
    "plan_maps",
    "read_copies",
    "read_map",
    "read_maps",
    "read_use",
    "so_far",
    "write_copies",
    "write_some",
]
