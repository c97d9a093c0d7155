"""A setup: everything about a render that is neither engine nor setting."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from matchedpair.errors import InputError
from matchedpair.scenes.scene import AS_IS, Scene
from matchedpair.textures.maps import REDUCED

FORMATS = {"exr-half": "EXR, half float, zip", "exr-float": "EXR, float, zip"}
DEPTHS = {"exr-half": "half", "exr-float": "float"}
Crop = tuple[int, int, int, int]


@dataclass(frozen=True)
class Setup:
    """What is rendered and how it is shown.

    Parameters
    ----------
    scene, revision : str
        The scene's title, and the hash of its contents.
    width, height : int
        Of the full picture, in pixels.
    crop : tuple of int or None
        x, y, width, height in pixels of the full picture; None renders all of it.
    quantities : mapping
        Scene quantities that are not at their own value.
    view_transform : str
        How pictures are shown; changes no pixel in a file.
    """

    scene: str
    revision: str
    view: str
    width: int
    height: int
    variant: str = AS_IS
    frame: int = 1
    crop: Crop | None = None
    quantities: Mapping[str, float] = field(default_factory=dict)
    output_format: str = "exr-half"
    view_transform: str = ""

    @property
    def picture_size(self) -> tuple[int, int]:
        """Width and height of the file that a render writes."""
        return (self.crop[2], self.crop[3]) if self.crop else (self.width, self.height)

    def conditions(self) -> dict[str, Any]:
        """This setup's rows of a match sheet."""
        x, y, width, height = self.crop or (0, 0, self.width, self.height)
        return {
            "scene": f"{self.scene}, " + (f"revision {self.revision[:8]}" if self.revision else "as stated"),
            "view": self.view or None,
            "frame": self.frame,
            "size": f"{self.width} × {self.height}",
            "crop": f"{width} × {height} at {x}, {y}" if self.crop else "the whole picture",
            "light": variant_words(self.variant),
            "quantities": _listed(self.quantities) or "as in the scene",
            "exposure": "as in the scene",
            "view_transform": self.view_transform or "the default",
            "format": FORMATS.get(self.output_format, self.output_format),
        }


def variant_words(variant: str) -> str:
    """A variant as it is told: ``as in the scene``, ``reduced maps 46255abe``, or by its name."""
    if variant == AS_IS:
        return "as in the scene"
    return f"reduced maps {variant.removeprefix(REDUCED)}" if variant.startswith(REDUCED) else variant


def setup_problems(setup: Setup, scene: Scene) -> dict[str, str]:
    """What of a setup does not fit its scene, by part; empty when all does."""
    problems: dict[str, str] = {}
    view_problem = scene.view_problem(setup.view)
    if view_problem:
        problems["view"] = view_problem
    if setup.variant not in [variant.name for variant in scene.variants]:
        known = ", ".join(variant.name for variant in scene.variants)
        problems["variant"] = f"{scene.title} has no variant {setup.variant!r}; it has {known}"
    if not scene.first_frame <= setup.frame <= scene.last_frame:
        problems["frame"] = f"{scene.title} has frames {scene.first_frame} to {scene.last_frame}, got {setup.frame}"
    for name, value in setup.quantities.items():
        quantity = scene.quantity(name)
        known = ", ".join(each.name for each in scene.quantities) or "none"
        problem = quantity.problem_with(value) if quantity else f"{scene.title} does not declare it; it has {known}"
        if problem:
            problems[f"quantities.{name}"] = problem
    if setup.crop:
        problem = crop_problem(setup.crop, setup.width, setup.height)
        if problem:
            problems["crop"] = problem
    if setup.output_format not in FORMATS:
        problems["output_format"] = f"must be one of {', '.join(FORMATS)}, got {setup.output_format!r}"
    return problems


def require_fits(setup: Setup, scene: Scene) -> None:
    """Raises `InputError` with all of a setup that does not fit its scene."""
    problems = setup_problems(setup, scene)
    if problems:
        raise InputError("; ".join(f"{part}: {problem}" for part, problem in problems.items()))


def crop_problem(crop: Crop, width: int, height: int) -> str | None:
    """What is wrong with a crop of a picture of this size; None when it fits."""
    x, y, wide, high = crop
    if wide < 1 or high < 1:
        return "must be at least one pixel wide and high"
    if x < 0 or y < 0 or x + wide > width or y + high > height:
        return f"{wide} × {high} at {x}, {y} reaches outside the picture of {width} × {height}"
    return None


def _listed(values: Mapping[str, float]) -> str:
    return ", ".join(f"{name.replace('_', ' ')} {value:g}" for name, value in sorted(values.items()))
