"""``matchedpair engine``: check a definition, try it with a scene, or begin a new one."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from matchedpair.cli.reported import ReportedError
from matchedpair.cli.text import engine_as_text
from matchedpair.engines import read_definition
from matchedpair.errors import InputError
from matchedpair.plain_files import as_text, read_plain
from matchedpair.scenes import read_scene
from matchedpair.trying import Promise, Trial, promises_in_words
from matchedpair.trying.first_definition import first_definition, options_in

MOST_HELP_BYTES = 1_000_000
HELP_SECONDS = 30.0
QUESTIONS = (
    ("title", "What do people call it?"),
    ("ready", "Which line does it print once the scene is loaded? (a pattern, or nothing)"),
    ("progress", "Which line tells how far it is? (a pattern with two groups, done and of how many, or nothing)"),
)


def add_engine(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    command = commands.add_parser("engine", help=words)
    command.add_argument("definition", type=Path, metavar="FILE.toml")
    command.add_argument(
        "--try", dest="scene", type=Path, metavar="SCENE", help="a few tiny renders check every promise"
    )
    command.add_argument("--view", default="", help="of the scene; the first where it is left out")
    command.add_argument("--build", default="")
    command.add_argument("--new", metavar="PROGRAM", help="write a first definition for a program into the file")
    command.add_argument("--help-text", type=Path, metavar="FILE", help="with --new: what the program prints of itself")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=_engine)


def _engine(parsed: argparse.Namespace) -> str:
    if parsed.new:
        return _begin(parsed)
    definition = read_definition(parsed.definition)
    if parsed.scene is None:
        return json.dumps(_row(definition), indent=1) if parsed.json else engine_as_text(definition)
    scene = read_scene(parsed.scene)
    view = parsed.view or scene.views[0].name

    def told(promise: Promise) -> None:
        if not parsed.json:
            print(f"… {promise.title.lower()}: {promise.state}", file=sys.stderr, flush=True)

    trial = Trial(definition, scene, view, parsed.build, on_promise=told)
    if trial.problem():
        raise InputError(trial.problem())
    promises = trial.carry_out()
    report = json.dumps([asdict(each) for each in promises], indent=1) if parsed.json else promises_in_words(promises)
    broken = sum(each.state == "broken" for each in promises)
    if broken:
        raise ReportedError(report, f"{broken} of its promises {'does' if broken == 1 else 'do'} not hold")
    return report


def _row(definition: Any) -> dict[str, Any]:
    return {
        "name": definition.name, "title": definition.title,
        "settings": [
            {"name": each.name, "type": each.kind, "default": each.default, "range": each.range_in_words()}
            for each in definition.settings
        ],
    }  # fmt: skip


def _begin(parsed: argparse.Namespace) -> str:
    target: Path = parsed.definition
    if target.exists():
        raise InputError(f"{target.name} is there already; name another file, or move it away")
    said = _said_of_itself(parsed)
    if not options_in(said):
        raise InputError(
            "no options were found in what the program says of itself; give its help as a text with --help-text FILE"
        )
    answers = {}
    if sys.stdin.isatty():
        for key, question in QUESTIONS:
            answers[key] = input(f"{question} ").strip()
    try:
        target.write_text(first_definition(parsed.new, said, answers), encoding="utf-8")
    except OSError as error:
        raise InputError(f"{target.name}: cannot be written: {error.strerror}") from error
    definition = read_definition(target)
    return (
        f"{engine_as_text(definition)}\n\nProposed in {target.name}; read it and correct what is not so. "
        f"Then try it: matchedpair engine {target.name} --try SCENE"
    )


def _said_of_itself(parsed: argparse.Namespace) -> str:
    if parsed.help_text is not None:
        return as_text(read_plain(parsed.help_text, MOST_HELP_BYTES), parsed.help_text.name)
    try:
        asked = subprocess.run(
            [parsed.new, "--help"], capture_output=True, text=True, errors="replace", timeout=HELP_SECONDS, check=False,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise InputError(f"{parsed.new} cannot be asked what it takes ({error}); give --help-text FILE") from error
    return asked.stdout + asked.stderr
