"""``matchedpair curve`` and ``recipe``: what came of a study."""

from __future__ import annotations

import argparse
import json
import shlex
from pathlib import Path
from typing import Any

from matchedpair.choose import as_table, read_recipe, settings_for
from matchedpair.cli.text import curves_as_text
from matchedpair.curves.table import curves_report, read_table
from matchedpair.engines import read_definition, setting_arguments
from matchedpair.errors import InputError


def add_curve(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    curve = commands.add_parser("curve", help=words)
    curve.add_argument("table", type=Path, metavar="TABLE.csv", help="columns option, quality, seconds, noise_percent")
    curve.add_argument("--json", action="store_true")
    curve.set_defaults(run=_curve)


def add_recipe(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    recipe = commands.add_parser("recipe", help=words)
    recipe.add_argument("recipe", type=Path, metavar="RECIPE", help="TOML or JSON")
    recipe.add_argument("--use", metavar="NAME")
    recipe.add_argument("--frame", type=int, metavar="N", help="where the recipe has settings by frame")
    recipe.add_argument("--engine", type=Path, metavar="FILE.toml", help="its definition, which checks the settings")
    recipe.add_argument("--json", action="store_true")
    recipe.set_defaults(run=_recipe)


def _curve(parsed: argparse.Namespace) -> str:
    report = curves_report(read_table(parsed.table))
    return json.dumps(report, indent=1) if parsed.json else curves_as_text(report)


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
