"""The ``tansy`` command. Its light unit is exitance: a scene's radiance is read as π times weaker."""

from __future__ import annotations

import argparse
import math
import sys
from collections.abc import Callable
from typing import Any

from standins.command import Engine, above_zero, at_least_zero, run, whole

PASSES = ("direct", "indirect", "depth", "normal", "albedo", "occlusion")


def main(arguments: list[str] | None = None) -> int:
    """Tansy."""
    about = "Tansy gathers indirect light at few places and interpolates between them."
    return run(Engine("tansy", "Tansy", "1.3", about, PASSES, 1.0 / math.pi, _arguments, _load), arguments)


def _load() -> Callable[..., Any]:
    from standins.tansy.render import TansyRender  # noqa: PLC0415 - imports numba

    return TansyRender


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--gather-rays", type=whole(1, 65536), default=64)
    parser.add_argument("--gather-spacing", type=whole(1, 64), default=8, help="pixels between gather points")
    parser.add_argument("--smoothing", type=above_zero, default=1.0, help="reach of interpolation")
    parser.add_argument("--bounces", type=whole(1, 16), default=3)
    parser.add_argument("--direct-samples", type=whole(1, 4096), default=16)
    parser.add_argument("--occlusion-reach", type=at_least_zero, default=0.3, help="metres")
    parser.add_argument("--air", action="store_true", help="light scattered in mist; needs air steps too")
    parser.add_argument("--air-steps", type=whole(0, 256), default=0)


if __name__ == "__main__":
    sys.exit(main())
