"""``matchedpair measure``, ``pair``, ``sequence`` and ``panorama``: figures of pictures."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from matchedpair.cli.reported import ReportedError
from matchedpair.cli.text import pair_as_text, panorama_as_text, report_as_text, sequence_as_text
from matchedpair.errors import InputError
from matchedpair.measures.pair_report import StatedTimes, compare_files
from matchedpair.measures.render import Viewing
from matchedpair.measures.report import measure_files
from matchedpair.measures.sequence_report import sequence_files
from matchedpair.measures.visible import PIXELS_PER_DEGREE
from matchedpair.measures.zones import Zone
from matchedpair.pictures import read_picture
from matchedpair.pictures.panorama import panorama_figures
from matchedpair.pictures.view_transform import view_transforms


def add_measure(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    measure = commands.add_parser("measure", help=words)
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


def add_pair(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    pair = commands.add_parser("pair", help=words)
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


def add_panorama(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    panorama = commands.add_parser("panorama", help=words)
    panorama.add_argument("panorama", type=Path, metavar="PANORAMA", help="EXR or HDR, twice as wide as high")
    panorama.add_argument("--json", action="store_true")
    panorama.set_defaults(run=_panorama)


def add_sequence(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    sequence = commands.add_parser("sequence", help=words)
    sequence.add_argument("frames", type=Path, nargs="+", metavar="FRAME", help="in their order")
    sequence.add_argument("--reference", type=Path, nargs="+", default=[], metavar="F", help="one for each frame")
    sequence.add_argument("--reference-twin", type=Path, nargs="+", default=[], metavar="F")
    sequence.add_argument("--zone", action="append", default=[], metavar="NAME=X,Y,W,H")
    sequence.add_argument("--json", action="store_true")
    sequence.set_defaults(run=_sequence)


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
    """The report. Raises `ReportedError` with it where a check let nothing be measured, for the exit code."""
    text = json.dumps(report, indent=1, allow_nan=False) if as_json else as_text(report)
    stops = [check["message"] for check in report["checks"] if check["severity"] == "stop"]
    if stopped and stops:
        raise ReportedError(text, f"nothing could be measured: {stops[0]}")
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
    return Viewing(
        view_transforms().meant(parsed.view) if parsed.view else "", parsed.exposure, parsed.pixels_per_degree
    )


def _panorama(parsed: argparse.Namespace) -> str:
    figures = panorama_figures(read_picture(parsed.panorama))
    return json.dumps(asdict(figures), indent=1) if parsed.json else panorama_as_text(figures)


def _sequence(parsed: argparse.Namespace) -> str:
    report = sequence_files(
        parsed.frames, [Zone.parse(text) for text in parsed.zone], references=parsed.reference,
        reference_twins=parsed.reference_twin,
    )  # fmt: skip
    return json.dumps(report, indent=1) if parsed.json else sequence_as_text(report)


def _add_viewing(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--view", default="", metavar="'DISPLAY / VIEW'", help="view transform; plain sRGB if not given"
    )
    parser.add_argument("--exposure", type=float, default=0.0, metavar="STOPS", help="for what is seen")
    parser.add_argument("--pixels-per-degree", type=float, default=PIXELS_PER_DEGREE, metavar="N")
    parser.add_argument("--json", action="store_true")
