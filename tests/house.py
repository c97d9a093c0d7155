"""Rules of the house that no other tool checks: ``python -m tests.house``. Exits with 1 and names each breach.

Apps of the server import each other's public modules only: not what answers requests (``api``, ``urls``), and no name
that begins with an underscore. One word stands for one thing.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
ANSWERS_REQUESTS = re.compile(r"server\.(\w+)\.((\w+_)?api|urls)")


def main() -> int:
    """Print each breach; returns the exit code."""
    breaches = [each for path in sorted(_sources()) for each in breaches_in(path)]
    for each in breaches:
        print(each)
    return 1 if breaches else 0


def _sources() -> Iterator[Path]:
    for room in ("core", "server"):
        yield from (path for path in (ROOT / room).rglob("*.py") if "migrations" not in path.parts)


def breaches_in(path: Path) -> list[str]:
    """What a file imports that is not meant for it, in words."""
    name = path.relative_to(ROOT)
    found = []
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if not isinstance(node, ast.ImportFrom) or node.module is None:
            continue
        found += [
            f"{name}:{node.lineno}: {alias.name} is private to {node.module}"
            for alias in node.names
            if alias.name.startswith("_")
        ]
        for module in (node.module, *(f"{node.module}.{alias.name}" for alias in node.names)):
            told = ANSWERS_REQUESTS.fullmatch(module)
            if told and name.parts[0] == "server" and name.parts[1] not in (told[1], "config"):
                found.append(f"{name}:{node.lineno}: {module} answers requests; import what it calls")
    return found


if __name__ == "__main__":
    sys.exit(main())
