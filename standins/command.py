"""What the commands of all stand-ins share: arguments, getting ready, progress, pictures, exit codes.

Exit code 0: the pictures are written. 2: the call or the scene cannot be used, said in one line on stderr.
"""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from numpy.typing import NDArray

from standins.kernel_cache import use_kernel_cache
from standins.place import Place

PROGRESS_EVERY_SECONDS = 0.1
MOST = 16384
Pictures = Mapping[str, NDArray[Any]]


class Render(Protocol):
    """A picture in the making."""

    def prepare(self) -> None:
        """Load and compile."""

    def steps(self) -> Iterator[tuple[int, int]]:
        """Work, yielding how much is done and of how much."""

    def structure_bytes(self) -> int:
        """Memory of the engine's own structures."""

    def pictures(self, passes: tuple[str, ...]) -> Pictures:
        """The picture under ``picture``, and each asked pass under its name; may be asked between two steps."""

    def reached(self) -> int:
        """How many samples are in the picture; only of engines that may stop early."""

    def frames(self) -> int:
        """How many frames it draws; only of engines that are real-time."""


@dataclass(frozen=True)
class Engine:
    """One stand-in's command: its names, its own arguments, and how a render is made from them."""

    program: str
    title: str
    version: str
    about: str
    passes: tuple[str, ...]
    light_unit: float  # what one unit of a scene's light is multiplied with on reading
    add_arguments: Callable[[argparse.ArgumentParser], None]
    # imports numba, which reads threads and cache folder at first import, so it is called after they are set
    load: Callable[[], Callable[[Any, Place, int, argparse.Namespace], Render]]
    stops_early: bool = False  # its picture is whole after any step, so that it can end at a time budget
    real_time: bool = False  # it says how many frames it drew in how many seconds
    on_the_way: bool = False  # it writes pictures at lower sample counts while it goes on


def run(engine: Engine, arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit code."""
    parser = _parser(engine)
    parsed = parser.parse_args(arguments)
    needed = ("scene", "view", "size", "output" if parsed.texture_use is None else "texture_use")
    missing = [name for name in needed if getattr(parsed, name) is None]
    if missing and not parsed.warm:
        parser.error(f"--{missing[0]} is needed")
    os.environ["NUMBA_NUM_THREADS"] = str(parsed.threads)
    os.environ.setdefault("NUMBA_THREADING_LAYER", "workqueue")
    use_kernel_cache()
    began = time.perf_counter()
    from standins.tracing.geometry import build_geometry  # noqa: PLC0415
    from standins.tracing.scene_changes import read_scene  # noqa: PLC0415
    from standins.tracing.scene_file import SceneError  # noqa: PLC0415

    make = engine.load()
    if parsed.warm:
        _warm_up(engine, make, parser)
        _say("compiled")
        return 0
    try:
        place = Place(parsed.view, parsed.size, _crop(parsed, parser))
        passes = tuple(name for name in parsed.passes.split(",") if name)
        unknown = [name for name in passes if name not in engine.passes]
        if unknown:
            raise SceneError(f"there is no pass {unknown[0]!r}; there are {', '.join(engine.passes)}")
        scene = read_scene(parsed.scene, parsed.variant, parsed.frame, dict(parsed.quantity))
        scene.view(parsed.view)
        geometry = build_geometry(scene, parsed.light_scale * engine.light_unit)
        if parsed.texture_use is not None:
            from standins.tracing.texture_use import write_texture_use  # noqa: PLC0415 - imports numba

            write_texture_use(parsed.texture_use, scene, geometry, place)
            return 0
        render = make((scene, geometry), place, parsed.seed, parsed)
        render.prepare()
        _writer()  # loaded while getting ready, so that a picture on the way costs no more than its writing
        _say(f"ready after {time.perf_counter() - began:.3f} s")
        _carry_out(engine, parsed, render)
        _say(f"structures {geometry.structure_bytes() + render.structure_bytes()} bytes")
        _write(engine, parsed, render.pictures(passes))
    except (SceneError, OSError) as error:
        print(f"{engine.program}: {error}", file=sys.stderr)
        return 2
    _say(f"wrote {parsed.output.name}")
    return 0


def whole(low: int, high: int) -> Callable[[str], int]:
    """An argument type: a whole number in a range."""

    def parse(text: str) -> int:
        value = int(text)
        if not low <= value <= high:
            raise argparse.ArgumentTypeError(f"must be between {low} and {high}, got {value}")
        return value

    return parse


def at_least_zero(text: str) -> float:
    """An argument type: a finite number from 0."""
    value = float(text)
    if not 0.0 <= value < float("inf"):
        raise argparse.ArgumentTypeError(f"must be 0 or more, got {text}")
    return value


def above_zero(text: str) -> float:
    """An argument type: a finite number above 0."""
    if at_least_zero(text) == 0.0:
        raise argparse.ArgumentTypeError(f"must be above 0, got {text}")
    return float(text)


def _carry_out(engine: Engine, parsed: argparse.Namespace, render: Render) -> None:
    """All steps, or as many as the time budget allows; progress, and pictures on the way."""
    began = time.perf_counter()
    said = spent = drawing = 0.0
    for done, whole in render.steps():
        now = time.perf_counter()
        drawing = now - began - spent
        over = engine.stops_early and 0.0 < parsed.time_budget <= drawing and render.reached() > 0
        if now - said >= PROGRESS_EVERY_SECONDS or done == whole or over:
            share = drawing / parsed.time_budget if engine.stops_early and parsed.time_budget else 0.0
            _say(f"pass {max(done / whole, min(share, 1.0)) * whole:.0f} of {whole}")
            said = now
        if over:
            break
        if engine.on_the_way and render.reached() in parsed.on_the_way and done < whole:
            name = f"on-the-way-{render.reached()}.exr"
            _write(engine, parsed, render.pictures(()), parsed.output.with_name(name))
            spent += time.perf_counter() - now
            _say(f"picture {name} after {render.reached()}, {spent:.4f} s on pictures so far")
    if engine.stops_early:
        _say(f"samples {render.reached()}")
    if engine.real_time:
        _say(f"frames {render.frames()} in {drawing:.5f} s")


def _write(engine: Engine, parsed: argparse.Namespace, pictures: Pictures, place: Path | None = None) -> None:
    kept = ("view", "variant", "frame", "seed", "threads")
    common = {
        "scene", "size", "crop", "output", "warm", "depth", "passes", "quantity", "light_scale", "on_the_way",
        "texture_use", *kept,
    }  # fmt: skip
    attributes: dict[str, str | int | float] = {"Software": f"{engine.title} {engine.version}"}
    attributes |= {"scene": parsed.scene.stem, **{name: getattr(parsed, name) for name in kept}}
    for name, value in vars(parsed).items():
        if name not in common:
            attributes[name] = int(value) if isinstance(value, bool) else value
    write_exr = _writer()
    for name, picture in pictures.items():
        path = (place or parsed.output) if name == "picture" else parsed.output.with_name(f"{name}.exr")
        write_exr(path, picture, attributes, parsed.depth)


def _writer() -> Callable[..., None]:
    from standins.picture_file import write_exr  # noqa: PLC0415 - numpy and OpenImageIO load after the settings above

    return write_exr


def _warm_up(engine: Engine, make: Callable[..., Render], parser: argparse.ArgumentParser) -> None:
    """Compile every kernel into the cache by rendering a tiny scene with all passes."""
    from standins.tracing.geometry import build_geometry  # noqa: PLC0415
    from standins.tracing.scene_file import SceneFile, View  # noqa: PLC0415

    scene = SceneFile(
        name="warm-up",
        views={"front": View((0.0, 0.0, 3.0), (0.0, 0.0, 0.0), 40.0)},
        sky_horizon=(0.1, 0.1, 0.1),
        sky_zenith=(0.1, 0.1, 0.1),
        materials={
            "glow": {"kind": "glow", "radiance": [1.0, 1.0, 1.0]},
            "grey": {"kind": "matte", "reflectance": [0.5, 0.5, 0.5]},
        },
        shapes=[
            {"kind": "sphere", "material": "grey", "centre": [0, 0, 0], "radius": 1},
            {"kind": "sphere", "material": "glow", "centre": [0, 3, 0], "radius": 1},
        ],
    )
    render = make((scene, build_geometry(scene)), Place("front", (16, 9), (0, 0, 16, 9)), 0, parser.parse_args([]))
    render.prepare()
    for _ in render.steps():
        pass
    render.pictures(engine.passes)


def _crop(parsed: argparse.Namespace, parser: argparse.ArgumentParser) -> tuple[int, int, int, int]:
    width, height = parsed.size
    if parsed.crop is None:
        return 0, 0, width, height
    x, y, wide, high = parsed.crop
    if x + wide > width or y + high > height:
        parser.error(f"--crop reaches beyond the picture of {width}x{height}")
    return x, y, wide, high


def _say(line: str) -> None:
    print(line, flush=True)


def _parser(engine: Engine) -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog=engine.program, description=engine.about)
    parser.add_argument("--version", action="version", version=f"{engine.title} {engine.version}")
    parser.add_argument("--warm", action="store_true", help="compile the kernels into the cache and end")
    parser.add_argument("--scene", type=Path)
    parser.add_argument("--view")
    parser.add_argument("--variant", default="as-is", help="a variant that the scene file defines")
    parser.add_argument("--frame", type=whole(-100000, 100000), default=1)
    parser.add_argument("--size", type=_size, metavar="WIDTHxHEIGHT")
    parser.add_argument("--crop", type=_corner_and_size, metavar="X,Y,WIDTH,HEIGHT", help="render this part only")
    parser.add_argument("--quantity", type=_quantity, action="append", default=[], metavar="NAME=VALUE")
    parser.add_argument("--light-scale", type=at_least_zero, default=1.0, help="multiplies all light")
    parser.add_argument("--passes", default="", help=f"by commas, of {', '.join(engine.passes)}")
    parser.add_argument("--depth", choices=("half", "float"), default="half", help="values in the files")
    parser.add_argument("--seed", type=whole(0, 2**31 - 1), default=1)
    parser.add_argument("--threads", type=whole(1, 256), default=1)
    parser.add_argument("--output", type=Path)
    parser.add_argument("--texture-use", type=Path, metavar="FILE", help="write how large the view shows each texture")
    if engine.stops_early:
        parser.add_argument("--time-budget", type=at_least_zero, default=0.0, help="seconds of rendering; 0 sets none")
    if engine.on_the_way:
        parser.add_argument("--on-the-way", type=_levels, default=(), metavar="SAMPLES,…", help="write these as well")
    engine.add_arguments(parser)
    return parser


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.partition("x")
    if not (width.isdigit() and height.isdigit()) or not (0 < int(width) <= MOST and 0 < int(height) <= MOST):
        raise argparse.ArgumentTypeError(f"must be like 480x270, got {text}")
    return int(width), int(height)


def _corner_and_size(text: str) -> tuple[int, int, int, int]:
    parts = text.split(",")
    if len(parts) != 4 or not all(part.isdigit() for part in parts) or int(parts[2]) < 1 or int(parts[3]) < 1:
        raise argparse.ArgumentTypeError(f"must be like 10,20,64,48, got {text}")
    x, y, width, height = map(int, parts)
    return x, y, width, height


def _levels(text: str) -> tuple[int, ...]:
    return tuple(int(part) for part in text.split(","))


def _quantity(text: str) -> tuple[str, float]:
    name, _, value = text.partition("=")
    return name, float(value)
