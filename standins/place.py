"""Where a picture is taken."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Place:
    """Where a picture is taken: view, full width and height, crop as x, y, width, height."""

    view: str
    size: tuple[int, int]
    crop: tuple[int, int, int, int]
