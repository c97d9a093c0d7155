"""How long the command's own list takes, over what numpy alone takes to be imported."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from statistics import median

from benchmarks.figures import Measured, seconds_of, show

TIMES = 7
MOST = 2.0


def run() -> bool:
    """Both in turn, each in a process of its own."""
    commands = {
        "list": [str(Path(sys.executable).parent / "matchedpair"), "--help"],
        "numpy": [sys.executable, "-c", "import numpy"],
    }
    taken: dict[str, list[float]] = {name: [] for name in commands}
    for _ in range(TIMES):
        for name, command in commands.items():
            taken[name].append(
                seconds_of(lambda words=command: subprocess.run(words, check=True, capture_output=True))  # type: ignore[misc]  # bound at once
            )
    ratio = median(taken["list"]) / median(taken["numpy"])
    return show("The command's start", [Measured("matchedpair --help over importing numpy", ratio, "×", MOST)])
