"""The ``sorrel`` command."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from typing import Any

from standins.command import Engine, above_zero, at_least_zero, run, whole

PASSES = ("direct", "indirect", "focused", "depth", "normal", "albedo")


def main(arguments: list[str] | None = None) -> int:
    """Sorrel."""
    about = "Sorrel carries light from both ends: camera paths, and photons for light focused by glass and metal."
    engine = Engine("sorrel", "Sorrel", "0.9", about, PASSES, 1.0, _arguments, _load, stops_early=True)
    return run(engine, arguments)


def _load() -> Callable[..., Any]:
    from standins.sorrel.render import SorrelRender  # noqa: PLC0415 - imports numba

    return SorrelRender


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--samples", type=whole(1, 65536), default=16)
    parser.add_argument("--bounces", type=whole(1, 64), default=8)
    parser.add_argument("--brightest", type=at_least_zero, default=0.0, help="limit on indirect light; 0 is none")
    parser.add_argument("--focused-light", action="store_true", help="light through glass; needs photons too")
    parser.add_argument("--photons", type=whole(0, 20_000_000), default=0)
    parser.add_argument("--photon-radius", type=above_zero, default=0.012, help="metres")


if __name__ == "__main__":
    sys.exit(main())
