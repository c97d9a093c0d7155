"""Runs all tests, several suites at once: ``python -m tests``; ``python -m tests fast`` for the inner loop; or those
suites whose names end as the words do. Says nothing of a suite until it is through, then all of it. Exits with 1 when
any failed or none ran.

Much of a test's time is waiting, for a browser or for a process, so that one suite more runs than there are
processors. Each has a home of its own, and a database copied from one that is made once; each is forked from this
process, which has loaded the packages that all of them load.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

from tests.loaded import forked, load

Suite = tuple[str, ...]
ROOT = Path(__file__).parents[1]
# how long each took the last time here: the longest begin first, so that none is left alone at the end
REMEMBERED = ROOT / ".venv" / "suite-seconds.json"
CORE_SUITES, SERVER_SUITES = 6, 8
BESIDE = 1  # suites that run while others wait; with two it takes as long
# several suites share the processors already
ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "OPENCV_FOR_THREADS_NUM", "NO_COLOR"), "1")
PLAIN = ("tests.core", "tests.standins")  # without Django and database
OWN_LOADING = ("tests.standins",)
WEB = "web"  # the interface's own, in its own folder
# how Python's tests close, and the web's
RAN, NOT_PASSED = re.compile(r"^Ran (\d+) tests? in", re.MULTILINE), re.compile(r"(?:failures|errors|skipped)=(\d+)")
FAILED = re.compile(r"(?:failures|errors)=(\d+)")
WEB_PASSED, WEB_FAILED = (re.compile(rf"^ +Tests +.*?(\d+) {word}", re.MULTILINE) for word in ("passed", "failed"))
TOOK = re.compile(r"^ *(\d+\.\d) s {2}(\S+)$", re.MULTILINE)
LONGEST = 20
LONG = ("test_machines", "test_runner", "test_processes", "test_backup", "test_own_renderer", "test_older_homes")
SLOW = ("tests.browser", "tests.standins", "tests.server.test_machines", "tests.server.test_runner",
        "tests.server.test_older_homes", "tests.test_brightness_for_real")  # fmt: skip


def main(words: list[str]) -> int:
    """Run every suite; returns the exit code."""
    began = time.monotonic()
    took = _remembered()
    wanted = [word for word in words if word != "fast"]
    suites = _suites(fast="fast" in words)
    if wanted:
        names = [[name for name in suite if name.endswith(tuple(wanted))] for suite in suites]
        suites = [tuple(some) for some in names if some]
    suites = sorted(suites, key=lambda suite: -took.get(suite[0], _size(suite)))
    failed: list[str] = []
    passed, wrong, longest = 0, 0, []
    os.chdir(ROOT)
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # or each of some thousand processes compiles all that it imports
    sys.dont_write_bytecode = False
    # by hand, since what is forked from here must not take it along when it ends
    folder = tempfile.mkdtemp(prefix="matchedpair-tests-")
    try:
        os.environ |= ONE_THREAD | {"MATCHEDPAIR_TEST_DATABASE": _database(folder)}
        load()
        for suite, code, said, seconds, busy in _each_run(suites):
            named = " ".join(suite)
            took[suite[0]] = seconds
            ended = "passed" if code == 0 else "FAILED"
            print(f"---- {named}: {seconds:.0f} s, of a processor {busy:.0f} s, {ended}", flush=True)
            longest += [(float(each), test) for each, test in TOOK.findall(said)]
            good, bad = _counts(said)
            passed, wrong = passed + good, wrong + bad
            if code:
                failed.append(named)
                print(said, flush=True)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    REMEMBERED.write_text(json.dumps(took, indent=1), encoding="utf-8")
    for each, test in sorted(longest, reverse=True)[:LONGEST]:
        print(f"{each:7.1f} s  {test}")
    print(f"{len(suites)} suites in {time.monotonic() - began:.0f} s")
    if failed:
        print(f"FAILED: {'; '.join(failed)}")
    print(f"{passed} passed, {max(wrong, len(failed))} failed")
    return 1 if failed or not passed else 0


def _counts(said: str) -> tuple[int, int]:
    """How many tests of a suite passed, and how many did not, by what it printed."""
    ran, bad = sum(map(int, RAN.findall(said))), sum(map(int, FAILED.findall(said)))
    web_good, web_bad = (sum(map(int, pattern.findall(said))) for pattern in (WEB_PASSED, WEB_FAILED))
    return ran - sum(map(int, NOT_PASSED.findall(said))) + web_good, bad + web_bad


def _suites(*, fast: bool) -> list[Suite]:
    """A suite for each module; those of the core and of the server some together, where starting takes as long."""
    found: list[Suite] = []
    for room, many in (("core", CORE_SUITES), ("server", SERVER_SUITES)):
        names = [_name(path) for path in sorted((ROOT / "tests" / room).glob("test_*.py")) if path.stem not in LONG]
        found += [tuple(names[start::many]) for start in range(many)]
    found += [(f"tests.server.{stem}",) for stem in LONG]
    for room in ("browser", "standins", "."):
        found += [(_name(path),) for path in sorted((ROOT / "tests" / room).glob("test_*.py"))]
    found.append((WEB,))
    return [suite for suite in found if not (fast and suite[0].startswith(SLOW))]


def _name(path: Path) -> str:
    return ".".join(path.relative_to(ROOT).with_suffix("").parts)


def _size(suite: tuple[str, ...]) -> float:
    """A guess of its seconds from the length of its files: a line that drives a browser, or starts and kills processes,
    takes several times as long as others.
    """
    if suite[0] == WEB:
        return 0
    long = suite[0].startswith(("tests.browser", "tests.test_")) or suite[0].endswith(LONG)
    return (6 if long else 1) * sum((ROOT / f"{name.replace('.', '/')}.py").stat().st_size for name in suite) / 1000


def _remembered() -> dict[str, float]:
    try:
        return dict(json.loads(REMEMBERED.read_text(encoding="utf-8")))
    except (OSError, ValueError):
        return {}


def _database(folder: str) -> str:
    """An empty database of this version, which every suite copies."""
    environment = os.environ | {"MATCHEDPAIR_HOME": folder}
    made = "from django.db import connection; connection.cursor().execute('PRAGMA wal_checkpoint(TRUNCATE)')"
    for command in (["migrate", "--verbosity", "0"], ["shell", "--verbosity", "0", "--command", made]):
        subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=environment, check=True)
    return str(Path(folder) / "db.sqlite3")


def _each_run(suites: Sequence[Suite]) -> Iterator[tuple[Suite, int, str, float, float]]:
    """Each suite once it is through: its exit code, what it printed, its seconds, and the processor seconds of all
    processes it waited for.
    """
    waiting, under_way = list(suites), {}
    while waiting or under_way:
        while waiting and len(under_way) < BESIDE + (os.cpu_count() or 1):
            suite = waiting.pop(0)
            said = tempfile.TemporaryFile("w+", encoding="utf-8", errors="replace")  # noqa: SIM115 - closed below
            under_way[_begun(suite, said.fileno())] = (suite, said, time.monotonic())
        pid, status, used = os.wait4(-1, 0)
        suite, said, began = under_way.pop(pid)
        with said:
            said.seek(0)
            yield (
                suite, os.waitstatus_to_exitcode(status), said.read(), time.monotonic() - began,
                used.ru_utime + used.ru_stime,
            )  # fmt: skip


def _begun(suite: Suite, output: int) -> int:
    """The number of the process that runs a suite, forked from this one unless it must load things in its own way."""
    if suite[0] == WEB or suite[0].startswith(OWN_LOADING):
        command = [sys.executable, "-m", "unittest", *suite]
        if suite[0] == WEB:
            command = ["npm", "--prefix", "web", "run", "--silent", "test"]
        told = [(os.POSIX_SPAWN_DUP2, output, descriptor) for descriptor in (1, 2)]
        return os.posix_spawnp(command[0], command, os.environ, file_actions=told)
    words = ["manage.py", "test", *suite, "--settings", "tests.settings", "--noinput"]
    if suite[0].startswith(PLAIN):
        words = ["unittest", *suite]
    return forked(words, output)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
