"""The `matchedpair` command.

Exit code 0: done. 2: bad input, said in one clear line on stderr.
"""

from __future__ import annotations

import argparse
import json
import shlex
import sys
from collections.abc import Callable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from matchedpair.choose import as_table, read_recipe, settings_for
from matchedpair.cli.answers import add_answer
from matchedpair.cli.engines import BrokenPromiseError, add_engine
from matchedpair.cli.renders import add_import
from matchedpair.cli.scenes import add_scene
from matchedpair.cli.sending import add_send
from matchedpair.cli.text import (
    curves_as_text,
    pair_as_text,
    panorama_as_text,
    report_as_text,
    sequence_as_text,
)
from matchedpair.cli.textures import add_textures
from matchedpair.curves.table import curves_report, read_table
from matchedpair.engines import read_definition, setting_arguments
from matchedpair.errors import InputError, MatchedPairError
from matchedpair.measures.pair_report import StatedTimes, compare_files
from matchedpair.measures.render import Viewing
from matchedpair.measures.report import measure_files
from matchedpair.measures.sequence_report import sequence_files
from matchedpair.measures.visible import PIXELS_PER_DEGREE
from matchedpair.measures.zones import Zone
from matchedpair.pictures import read_picture
from matchedpair.pictures.panorama import panorama_figures


class StoppedError(Exception):
    """A check let nothing be measured; `report` says all that was found."""

    def __init__(self, report: str, reason: str) -> None:
        super().__init__(f"nothing could be measured: {reason}")
        self.report = report


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command with these arguments, or those of the process; returns the exit code."""
    parsed = _parser().parse_args(arguments)
    try:
        print(parsed.run(parsed))
    except (StoppedError, BrokenPromiseError) as stopped:
        print(stopped.report)
        print(f"matchedpair: {stopped}", file=sys.stderr)
        return 2
    except MatchedPairError as error:
        print(f"matchedpair: {error}", file=sys.stderr)
        return 2
    return 0


def _measure(parsed: argparse.Namespace) -> str:
    report = measure_files(
        parsed.render,
        twins=parsed.twin,
        reference=parsed.reference,
        reference_twin=parsed.reference_twin,
        zones=[Zone.parse(text) for text in parsed.zone],
        left_out=[Zone.parse(text, f"left out {index + 1}") for index, text in enumerate(parsed.leave_out)],
        viewing=_viewing(parsed),
    )
    return _said(report, report_as_text, as_json=parsed.json, stopped=_nothing(report["zones"]))


def _nothing(zones: dict[str, Any]) -> bool:
    """Whether no measure of any zone has a figure."""
    return not any(value for zone in zones.values() for name, value in zone.items() if name != "refused")


def _said(report: dict[str, Any], as_text: Callable[[dict[str, Any]], str], *, as_json: bool, stopped: bool) -> str:
    """The report. Raises `StoppedError` with it where a check let nothing be measured, for the exit code."""
    text = json.dumps(report, indent=1, allow_nan=False) if as_json else as_text(report)
    stops = [check["message"] for check in report["checks"] if check["severity"] == "stop"]
    if stopped and stops:
        raise StoppedError(text, stops[0])
    return text


def _pair(parsed: argparse.Namespace) -> str:
    roles = ("control", "trial", "reference", "reference_twin")
    files = {role.replace("_", " "): getattr(parsed, role) for role in roles}
    if parsed.reference_twin and not parsed.reference:
        raise InputError("a reference's twin needs the reference: give --reference too")
    report = compare_files(
        files, control_twins=parsed.control_twin, trial_twins=parsed.trial_twin, times=_stated_times(parsed),
        viewing=_viewing(parsed),
    )  # fmt: skip
    nothing = all(report[name] is None for name in ("noise_ratio", "difference", "look", "visible"))
    return _said(report, pair_as_text, as_json=parsed.json, stopped=nothing and report["identical"] is None)


def _stated_times(parsed: argparse.Namespace) -> StatedTimes | None:
    if (parsed.control_seconds is None) != (parsed.trial_seconds is None):
        raise InputError("state the seconds of both sides: --control-seconds and --trial-seconds")
    if parsed.control_seconds is None:
        return None
    return StatedTimes(parsed.control_seconds, parsed.trial_seconds, parsed.control_ready, parsed.trial_ready)


def _viewing(parsed: argparse.Namespace) -> Viewing:
    if not 1.0 <= parsed.pixels_per_degree <= 1000.0:
        raise InputError(f"--pixels-per-degree must lie between 1 and 1000, got {parsed.pixels_per_degree:g}")
    if not -32.0 <= parsed.exposure <= 32.0:
        raise InputError(f"--exposure must lie between -32 and 32 stops, got {parsed.exposure:g}")
    return Viewing(parsed.view, parsed.exposure, parsed.pixels_per_degree)


def _panorama(parsed: argparse.Namespace) -> str:
    figures = panorama_figures(read_picture(parsed.panorama))
    return json.dumps(asdict(figures), indent=1) if parsed.json else panorama_as_text(figures)


def _curve(parsed: argparse.Namespace) -> str:
    report = curves_report(read_table(parsed.table))
    return json.dumps(report, indent=1) if parsed.json else curves_as_text(report)


def _sequence(parsed: argparse.Namespace) -> str:
    report = sequence_files(
        parsed.frames, [Zone.parse(text) for text in parsed.zone], references=parsed.reference,
        reference_twins=parsed.reference_twin,
    )  # fmt: skip
    return json.dumps(report, indent=1) if parsed.json else sequence_as_text(report)


def _recipe(parsed: argparse.Namespace) -> str:
    recipe = read_recipe(_contents(parsed.recipe))
    if parsed.engine is None:
        return as_table(recipe).rstrip("\n")
    if parsed.use is None:
        raise InputError(f"say which use to take: --use {' or '.join(recipe.uses)}")
    definition = read_definition(parsed.engine)
    settings = settings_for(recipe.use(parsed.use), definition, parsed.frame)
    return json.dumps(settings, indent=1) if parsed.json else shlex.join(setting_arguments(definition, settings))


def _contents(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror or error}") from error


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="matchedpair", description="Measure and compare renders.")
    commands = parser.add_subparsers(title="commands", required=True)
    measure = commands.add_parser("measure", help="check a render and measure it, with its twin")
    measure.add_argument("render", type=Path, metavar="RENDER")
    measure.add_argument(
        "--twin", type=Path, action="append", default=[], metavar="F",
        help="the same render with another seed; may be given several times",
    )  # fmt: skip
    measure.add_argument("--reference", type=Path, metavar="F")
    measure.add_argument("--reference-twin", type=Path, metavar="F")
    measure.add_argument("--zone", action="append", default=[], metavar="NAME=X,Y,W,H")
    measure.add_argument("--leave-out", action="append", default=[], metavar="X,Y,W,H")
    _add_viewing(measure)
    measure.set_defaults(run=_measure)
    pair = commands.add_parser("pair", help="compare a trial with its control")
    pair.add_argument("--control", type=Path, metavar="F", required=True)
    for side in ("control", "trial"):
        pair.add_argument(
            f"--{side}-twin", type=Path, action="append", default=[], metavar="F",
            help=f"the {side} with another seed; may be given several times",
        )  # fmt: skip
    pair.add_argument("--trial", type=Path, metavar="F", required=True)
    pair.add_argument("--reference", type=Path, metavar="F")
    pair.add_argument("--reference-twin", type=Path, metavar="F")
    for side in ("control", "trial"):
        pair.add_argument(f"--{side}-seconds", type=float, metavar="S", help=f"how long the {side} took in all")
        pair.add_argument(f"--{side}-ready", type=float, metavar="S", help="of these, before the first light")
    _add_viewing(pair)
    pair.set_defaults(run=_pair)
    add_engine(commands)
    add_scene(commands)
    add_send(commands)
    panorama = commands.add_parser("panorama", help="range, main light and its share in a light panorama")
    panorama.add_argument("panorama", type=Path, metavar="PANORAMA", help="EXR or HDR, twice as wide as high")
    panorama.add_argument("--json", action="store_true")
    panorama.set_defaults(run=_panorama)
    curve = commands.add_parser("curve", help="noise against time: fits, the same noise, the same time")
    curve.add_argument("table", type=Path, metavar="TABLE.csv", help="columns option, quality, seconds, noise_percent")
    curve.add_argument("--json", action="store_true")
    curve.set_defaults(run=_curve)
    sequence = commands.add_parser("sequence", help="flicker, boiling and response of a still view's frames")
    sequence.add_argument("frames", type=Path, nargs="+", metavar="FRAME", help="in their order")
    sequence.add_argument("--reference", type=Path, nargs="+", default=[], metavar="F", help="one for each frame")
    sequence.add_argument("--reference-twin", type=Path, nargs="+", default=[], metavar="F")
    sequence.add_argument("--zone", action="append", default=[], metavar="NAME=X,Y,W,H")
    sequence.add_argument("--json", action="store_true")
    sequence.set_defaults(run=_sequence)
    recipe = commands.add_parser("recipe", help="a recipe as a table, or one use of it as an engine's arguments")
    recipe.add_argument("recipe", type=Path, metavar="RECIPE", help="TOML or JSON")
    recipe.add_argument("--use", metavar="NAME")
    recipe.add_argument("--frame", type=int, metavar="N", help="where the recipe has settings by frame")
    recipe.add_argument("--engine", type=Path, metavar="FILE.toml", help="its definition, which checks the settings")
    recipe.add_argument("--json", action="store_true")
    recipe.set_defaults(run=_recipe)
    add_answer(commands)
    add_import(commands)
    add_textures(commands)
    return parser


def _add_viewing(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--view", default="", metavar="'DISPLAY / VIEW'", help="view transform; plain sRGB if not given"
    )
    parser.add_argument("--exposure", type=float, default=0.0, metavar="STOPS", help="for what is seen")
    parser.add_argument("--pixels-per-degree", type=float, default=PIXELS_PER_DEGREE, metavar="N")
    parser.add_argument("--json", action="store_true")


if __name__ == "__main__":
    sys.exit(main())
