"""Scenes, what of them is rendered (setups), what they stress, and their textures."""

from matchedpair.scenes.scene import AS_IS, Scene, parse_scene, read_scene, read_scenes
from matchedpair.scenes.setup import DEPTHS, FORMATS, Setup, crop_problem, require_fits, setup_problems, variant_words
from matchedpair.scenes.stresses import Stress, read_stresses

__all__ = [
    "AS_IS",
    "DEPTHS",
    "FORMATS",
    "Scene",
    "Setup",
    "Stress",
    "crop_problem",
    "parse_scene",
    "read_scene",
    "read_scenes",
    "read_stresses",
    "require_fits",
    "setup_problems",
    "variant_words",
]
