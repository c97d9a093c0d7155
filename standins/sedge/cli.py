"""The ``sedge`` command."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from typing import Any

from standins.command import Engine, above_zero, run, whole

PASSES = ("direct", "indirect", "depth", "normal", "albedo", "occlusion")


def main(arguments: list[str] | None = None) -> int:
    """Sedge."""
    about = "Sedge draws what the camera sees, with shadow maps and what the screen knows of occlusion and bounce."
    return run(Engine("sedge", "Sedge", "4.1", about, PASSES, 1.0, _arguments, _load, real_time=True), arguments)


def _load() -> Callable[..., Any]:
    from standins.sedge.render import SedgeRender  # noqa: PLC0415 - imports numba

    return SedgeRender


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--looks", type=whole(1, 64), default=4, help="shifted pictures averaged for smooth edges")
    parser.add_argument("--shadow-resolution", type=whole(8, 4096), default=256)
    parser.add_argument("--shadow-blur", type=whole(0, 16), default=1, help="taps on either side")
    parser.add_argument("--occlusion-rays", type=whole(0, 256), default=8)
    parser.add_argument("--occlusion-reach", type=above_zero, default=0.3, help="metres")
    parser.add_argument("--screen-bounce", action="store_true")
    parser.add_argument("--history", type=whole(0, 16), default=0, help="earlier frames blended in")


if __name__ == "__main__":
    sys.exit(main())
