"""Runs all tests, as many groups at once as there are processors: ``python -m tests``. Says nothing of a group until it
is through, then all of it. Exits with 1 when any failed.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor, as_completed

# each in a process with a home of its own; the longest first, so that none is left alone at the end
GROUPS = (
    ("tests.browser.test_motion", "tests.browser.test_search", "tests.browser.test_plans", "tests.browser.test_story",
     "tests.browser.test_textures", "tests.browser.test_catalogue"),
    ("tests.server",),
    ("tests.browser.test_answers", "tests.browser.test_deciding", "tests.browser.test_imports",
     "tests.browser.test_judging", "tests.browser.test_looking", "tests.browser.test_measures",
     "tests.browser.test_screens", "tests.browser.test_viewer"),
    ("tests.core", "tests.test_documents"),
    ("tests.standins",),
    ("tests.test_brightness_for_real",),
)  # fmt: skip


def main() -> int:
    """Run every group; returns the exit code."""
    began = time.monotonic()
    failed = []
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        running = {pool.submit(_run, group): group for group in GROUPS}
        for done in as_completed(running):
            code, said, seconds = done.result()
            named = " ".join(running[done])
            print(f"---- {named}: {seconds:.0f} s, {'passed' if code == 0 else 'FAILED'}\n{said}", flush=True)
            if code:
                failed.append(named)
    print(
        f"All tests in {time.monotonic() - began:.0f} s. {'Failed: ' + '; '.join(failed) if failed else 'All passed.'}"
    )
    return 1 if failed else 0


def _run(group: tuple[str, ...]) -> tuple[int, str, float]:
    began = time.monotonic()
    command = [sys.executable, "manage.py", "test", *group, "--settings", "tests.settings", "--noinput"]
    ended = subprocess.run(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False)
    return ended.returncode, ended.stdout, time.monotonic() - began


if __name__ == "__main__":
    sys.exit(main())
