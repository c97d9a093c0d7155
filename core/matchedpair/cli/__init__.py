"""The `matchedpair` command.

Exit code 0: done. 2: bad input, said in one clear line on stderr.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from matchedpair.cli.renders import add_import
from matchedpair.cli.text import engine_as_text, panorama_as_text, report_as_text
from matchedpair.engines import read_definition
from matchedpair.errors import MatchedPairError
from matchedpair.measures.report import measure_files
from matchedpair.measures.zones import Zone
from matchedpair.pictures import read_picture
from matchedpair.pictures.panorama import panorama_figures


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command with these arguments, or those of the process; returns the exit code."""
    parsed = _parser().parse_args(arguments)
    try:
        print(parsed.run(parsed))
    except MatchedPairError as error:
        print(f"matchedpair: {error}", file=sys.stderr)
        return 2
    return 0


def _measure(parsed: argparse.Namespace) -> str:
    report = measure_files(
        parsed.render,
        twin=parsed.twin,
        reference=parsed.reference,
        reference_twin=parsed.reference_twin,
        zones=[Zone.parse(text) for text in parsed.zone],
        left_out=[Zone.parse(text, f"left out {index + 1}") for index, text in enumerate(parsed.leave_out)],
    )
    return json.dumps(report, indent=1) if parsed.json else report_as_text(report)


def _engine(parsed: argparse.Namespace) -> str:
    return engine_as_text(read_definition(parsed.definition))


def _panorama(parsed: argparse.Namespace) -> str:
    figures = panorama_figures(read_picture(parsed.panorama))
    return json.dumps(asdict(figures), indent=1) if parsed.json else panorama_as_text(figures)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="matchedpair", description="Measure and compare renders.")
    commands = parser.add_subparsers(title="commands", required=True)
    measure = commands.add_parser("measure", help="check a render and measure it, with its twin")
    measure.add_argument("render", type=Path, metavar="RENDER")
    measure.add_argument("--twin", type=Path, metavar="F", help="the same render with another seed")
    measure.add_argument("--reference", type=Path, metavar="F")
    measure.add_argument("--reference-twin", type=Path, metavar="F")
    measure.add_argument("--zone", action="append", default=[], metavar="NAME=X,Y,W,H")
    measure.add_argument("--leave-out", action="append", default=[], metavar="X,Y,W,H")
    measure.add_argument("--json", action="store_true")
    measure.set_defaults(run=_measure)
    engine = commands.add_parser("engine", help="check an engine definition and list its settings")
    engine.add_argument("definition", type=Path, metavar="FILE.toml")
    engine.set_defaults(run=_engine)
    panorama = commands.add_parser("panorama", help="range, main light and its share in a light panorama")
    panorama.add_argument("panorama", type=Path, metavar="PANORAMA", help="EXR or HDR, twice as wide as high")
    panorama.add_argument("--json", action="store_true")
    panorama.set_defaults(run=_panorama)
    add_import(commands)
    return parser


if __name__ == "__main__":
    sys.exit(main())
