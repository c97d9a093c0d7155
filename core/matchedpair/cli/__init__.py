"""The `matchedpair` command.

Exit code 0: done. 2: bad input, said in one clear line on stderr. A command's own module is imported when it is asked
for, and by the list of commands none.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from importlib import import_module

from matchedpair.cli.reported import ReportedError
from matchedpair.errors import MatchedPairError

COMMANDS = {  # by name: the module below this one, and what the command does
    "measure": ("measuring", "check a render and measure it, with its twin"),
    "pair": ("measuring", "compare a trial with its control"),
    "engine": ("engines", "check an engine definition, try it with a scene, or begin a new one"),
    "scene": ("scenes", "check a scene's description, or propose one for a folder"),
    "send": ("sending", "send renders to a server, into a set of imported renders"),
    "panorama": ("measuring", "range, main light and its share in a light panorama"),
    "curve": ("results", "noise against time: fits, the same noise, the same time"),
    "sequence": ("measuring", "flicker, boiling and response of a still view's frames"),
    "recipe": ("results", "a recipe as a table, or one use of it as an engine's arguments"),
    "answer": ("answers", "the answer to a study's question, from its exported figures"),
    "import": ("renders", "hand renders made elsewhere to an installation on this machine"),
    "textures": ("textures", "role, size and memory of maps, and reduced copies beside them"),
}


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command with these arguments, or those of the process; returns the exit code."""
    given = list(sys.argv[1:] if arguments is None else arguments)
    parsed = _parser(given[0] if given else "").parse_args(given)
    try:
        print(parsed.run(parsed))
    except MatchedPairError as error:
        if isinstance(error, ReportedError):
            print(error.report)
        print(f"matchedpair: {error}", file=sys.stderr)
        return 2
    return 0


def _parser(asked: str) -> argparse.ArgumentParser:
    """Knows all commands by name, and the one that is asked for in full."""
    parser = argparse.ArgumentParser(prog="matchedpair", description="Measure and compare renders.")
    commands = parser.add_subparsers(title="commands", required=True)
    for name, (module, words) in COMMANDS.items():
        if name == asked:
            getattr(import_module(f"matchedpair.cli.{module}"), f"add_{name}")(commands, words)
        else:
            commands.add_parser(name, help=words)
    return parser


if __name__ == "__main__":
    sys.exit(main())
