"""Keeps a process alive: ``python server/keep.py runner`` starts ``manage.py runner`` again whenever it ends by itself.

Small on purpose: it imports nothing of what it keeps, so that nothing there can bring it down. When it is killed, what
it keeps is told to end (Linux), so that whoever starts it again finds nothing in its place.
"""

from __future__ import annotations

import ctypes
import signal
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

MANAGE = Path(__file__).parents[1] / "manage.py"
PR_SET_PDEATHSIG = 1
FIRST_PAUSE_SECONDS, LONGEST_PAUSE_SECONDS = 1.0, 60.0
STEADY_SECONDS = 60.0  # after that an end is no longer one of a row


def main(words: list[str]) -> int:
    """Run until told to stop; returns the exit code."""
    told = False
    child: subprocess.Popen[bytes] | None = None

    def stop(kind: int, _: FrameType | None) -> None:
        nonlocal told
        told = True
        if child is not None:
            child.send_signal(kind)

    for kind in (signal.SIGINT, signal.SIGTERM):
        signal.signal(kind, stop)
    pause = FIRST_PAUSE_SECONDS
    while not told:
        began = time.monotonic()
        child = subprocess.Popen([sys.executable, str(MANAGE), *words], preexec_fn=_hear_of_the_end)  # noqa: PLW1509 - no threads here
        code = child.wait()
        if told:
            return code
        pause = FIRST_PAUSE_SECONDS if time.monotonic() - began > STEADY_SECONDS else pause
        print(f"{' '.join(words)} ended ({code}); it is started again in {pause:g} s", flush=True)
        end = time.monotonic() + pause
        while not told and time.monotonic() < end:
            time.sleep(0.1)
        pause = min(2 * pause, LONGEST_PAUSE_SECONDS)
    return 0


def _hear_of_the_end() -> None:
    """In the child: be told to end when its keeper is gone."""
    if sys.platform.startswith("linux"):
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
