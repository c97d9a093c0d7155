"""The commands of Alder: ``alder`` is version 2, ``alder-1`` the version before."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from functools import partial
from typing import Any

from standins.command import Engine, at_least_zero, run, whole

PASSES = ("direct", "indirect", "depth", "normal", "albedo", "occlusion")


def main(arguments: list[str] | None = None) -> int:
    """Alder 2."""
    return run(_engine("alder", "2.0", even=True), arguments)


def main_1(arguments: list[str] | None = None) -> int:
    """Alder 1, which draws every number of a path independently."""
    return run(_engine("alder-1", "1.0", even=False), arguments)


def _engine(program: str, version: str, *, even: bool) -> Engine:
    about = "Alder renders a scene by following light paths from the camera."
    return Engine(
        program, "Alder", version, about, PASSES, 1.0, _arguments, lambda: _load(even), stops_early=True,
        on_the_way=True,
    )  # fmt: skip


def _load(even: bool) -> Callable[..., Any]:
    from standins.alder.render import AlderRender  # noqa: PLC0415 - imports numba

    return partial(AlderRender, even=even)


def _arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--samples", type=whole(1, 65536), default=16)
    parser.add_argument("--bounces", type=whole(1, 64), default=8)
    parser.add_argument("--matte-bounces", type=whole(0, 64), default=64)
    parser.add_argument("--metal-bounces", type=whole(0, 64), default=64)
    parser.add_argument("--glass-bounces", type=whole(0, 64), default=64)
    parser.add_argument("--indirect-clamp", type=at_least_zero, default=0.0)
    parser.add_argument("--light-picking", choices=("uniform", "power", "estimate"), default="power")
    parser.add_argument("--noise-target", type=at_least_zero, default=0.0, help="percent; 0 gives all pixels alike")
    parser.add_argument("--least-samples", type=whole(2, 4096), default=8)
    parser.add_argument("--filter-width", type=at_least_zero, default=0.0, help="pixels; 0 is a box of one")
    parser.add_argument("--denoise", action="store_true")
    parser.add_argument("--denoise-strength", type=at_least_zero, default=1.0)
    parser.add_argument("--occlusion-reach", type=at_least_zero, default=0.3, help="metres")


if __name__ == "__main__":
    sys.exit(main())
