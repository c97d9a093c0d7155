"""The `alder` command.

Exit code 0: the picture is written. 2: the call or the scene cannot be used, said in one line on stderr.
"""

from __future__ import annotations

import argparse
import os
import sys
import time
from pathlib import Path

from standins.kernel_cache import use_kernel_cache

VERSION = "1.0"
PROGRESS_EVERY_SECONDS = 0.1


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    parser = _parser()
    parsed = parser.parse_args(arguments)
    missing = [name for name in ("scene", "view", "size", "output") if getattr(parsed, name) is None]
    if missing and not parsed.warm:
        parser.error(f"--{missing[0]} is needed")
    os.environ["NUMBA_NUM_THREADS"] = str(parsed.threads)
    os.environ.setdefault("NUMBA_THREADING_LAYER", "workqueue")
    use_kernel_cache()
    began = time.perf_counter()
    # numba reads its thread count and cache folder when first imported, so these come after the lines above
    from standins.alder.render import Render, Settings, warm_up  # noqa: PLC0415
    from standins.picture_file import write_exr  # noqa: PLC0415
    from standins.tracing.scene_file import SceneError, read_scene  # noqa: PLC0415

    if parsed.warm:
        warm_up()
        _say("compiled")
        return 0
    settings = Settings(parsed.samples, parsed.bounces, parsed.indirect_clamp, parsed.light_picking)
    try:
        render = Render(read_scene(parsed.scene), parsed.view, parsed.size, parsed.seed, settings)
        render.prepare()
        _say(f"ready after {time.perf_counter() - began:.3f} s")
        _say(f"structures {render.geometry.structure_bytes()} bytes")
        said = 0.0
        for done in render.passes():
            now = time.perf_counter()
            if now - said >= PROGRESS_EVERY_SECONDS or done == settings.samples:
                _say(f"pass {done} of {settings.samples}")
                said = now
        write_exr(parsed.output, render.picture(), {"Software": f"Alder {VERSION}"})
    except (SceneError, OSError) as error:
        print(f"alder: {error}", file=sys.stderr)
        return 2
    _say(f"wrote {parsed.output.name}")
    return 0


def _say(line: str) -> None:
    print(line, flush=True)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="alder", description="Alder renders a scene by following light paths.")
    parser.add_argument("--version", action="version", version=f"Alder {VERSION}")
    parser.add_argument("--warm", action="store_true", help="compile the kernels into the cache and end")
    parser.add_argument("--scene", type=Path)
    parser.add_argument("--view")
    parser.add_argument("--size", type=_size, metavar="WIDTHxHEIGHT")
    parser.add_argument("--seed", type=_whole(0, 2**31 - 1), default=1)
    parser.add_argument("--threads", type=_whole(1, 256), default=1)
    parser.add_argument("--output", type=Path)
    parser.add_argument("--samples", type=_whole(1, 65536), default=16)
    parser.add_argument("--bounces", type=_whole(1, 64), default=8)
    parser.add_argument("--indirect-clamp", type=_at_least_zero, default=0.0)
    parser.add_argument("--light-picking", choices=("uniform", "power", "estimate"), default="power")
    return parser


def _whole(low: int, high: int):  # noqa: ANN202 - argparse wants a plain callable
    def parse(text: str) -> int:
        value = int(text)
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"must be between {low} and {high}, got {value}")
        return value

    return parse


def _at_least_zero(text: str) -> float:
    value = float(text)
    if not 0.0 <= value < float("inf"):
        raise argparse.ArgumentTypeError(f"must be 0 or more, got {text}")
    return value


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.partition("x")
    if not (width.isdigit() and height.isdigit()) or not (0 < int(width) <= 16384 and 0 < int(height) <= 16384):
        raise argparse.ArgumentTypeError(f"must be like 480x270, got {text}")
    return int(width), int(height)


if __name__ == "__main__":
    sys.exit(main())
