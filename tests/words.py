"""Writes docs/words.md: every answer that there is, with made-up figures, to be read aloud whenever one changes.

``python -m tests.words`` writes it, ``python -m tests.words --check`` says whether it is stale.
"""

from __future__ import annotations

import sys
from pathlib import Path

from tests.core.answer_cases import ANSWERS

FILE = Path(__file__).parents[1] / "docs" / "words.md"
HEAD = """# How Matched Pair speaks

Every answer with made-up figures, written by `python -m tests.words`. Read it aloud whenever a line changes.
"""


def written() -> str:
    """The page."""
    parts = [HEAD]
    for title, answer in ANSWERS.items():
        lines = [f"## {title}\n", f"**{answer.sentence}** ({answer.sure})\n"]
        lines += [f"- {claim.text}" for claim in answer.because]
        lines += [f"- *but* {claim.text}" for claim in answer.but]
        if answer.next is not None:
            lines.append(f"- → [{answer.next.words}]")
        parts.append("\n".join(lines).rstrip() + "\n")
    return "\n".join(parts)


def main() -> int:
    """Write the page, or compare it."""
    if "--check" in sys.argv:
        if FILE.is_file() and FILE.read_text(encoding="utf-8") == written():
            return 0
        print("docs/words.md is stale: run python -m tests.words, and read it", file=sys.stderr)
        return 1
    FILE.write_text(written(), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
