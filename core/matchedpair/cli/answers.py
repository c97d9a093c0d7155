"""``matchedpair answer``: the answer to a study's question from its exported figures, with no server."""

from __future__ import annotations

import argparse
import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from matchedpair.answers import Answer, answer_of, facts_from_values
from matchedpair.errors import InputError

MOST_BYTES = 256 * 1024 * 1024


def add_answer(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    parser = commands.add_parser("answer", help=words)
    parser.add_argument("export", type=Path, metavar="STUDY_EXPORT.json", help="a study's figures as JSON")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=_answer)


def _answer(parsed: argparse.Namespace) -> str:
    answer = answer_of(facts_from_values(_values(parsed.export)))
    return json.dumps(asdict(answer), indent=1, ensure_ascii=False) if parsed.json else answer_as_text(answer)


def answer_as_text(answer: Answer) -> str:
    """The answer, then why, what speaks against it, and what would settle it, a line each."""
    lines = [answer.sentence, *(f"  because: {claim.text}" for claim in answer.because)]
    lines += [f"  but: {claim.text}" for claim in answer.but]
    if answer.next is not None:
        lines.append(f"  next: {answer.next.words}")
    return "\n".join(lines)


def _values(path: Path) -> Any:
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InputError(f"{path}: larger than any study's export")
        return json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror or error}") from error
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise InputError(f"{path}: this is no JSON: {error}") from error
