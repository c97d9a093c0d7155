"""Runs all tests, several suites at once: ``python -m tests``; or those suites whose names end as the words do;
``python -m tests fast`` for the inner loop, without browsers, processes and what takes long. Says nothing of a
suite until it is through, then all of it where it failed. Exits with 1 when any failed or none ran.

Much of a test's time is waiting, for a browser or for a process, so that one suite more runs than there are
processors. Each has a home of its own, and a database copied from one that is made once; each is forked from this
process, which has loaded the packages that all of them load: those without a database first, the others once it has
loaded the server too.
"""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import IO, Any, NoReturn

from tests.inner_loop import FAST
from tests.loaded import SETTINGS, forked, load, load_server

Suite = tuple[str, ...]
ROOT = Path(__file__).parents[1]
# how long each took the last time here: the longest begin first, so that none is left alone at the end
REMEMBERED = ROOT / ".venv" / "suite-seconds.json"
CORE_SUITES, SERVER_SUITES = 6, 8
BESIDE = 1  # suites that run while others wait; with two it takes as long
# several suites share the processors already
ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "OPENCV_FOR_THREADS_NUM", "NO_COLOR"), "1")
PLAIN = ("tests.core", "tests.standins")  # without Django and database
MADE = """from django.core.management import call_command
from django.db import connection
call_command("migrate", verbosity=0)
connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")"""
OWN_LOADING = ("tests.standins",)
WEB = "web"  # the interface's own, in its own folder
# how Python's tests close, and the web's
RAN, NOT_PASSED = re.compile(r"^Ran (\d+) tests? in", re.MULTILINE), re.compile(r"(?:failures|errors|skipped)=(\d+)")
FAILED = re.compile(r"(?:failures|errors)=(\d+)")
WEB_PASSED, WEB_FAILED = (re.compile(rf"^ +Tests +.*?(\d+) {word}", re.MULTILINE) for word in ("passed", "failed"))
TOOK = re.compile(r"^ *(\d+\.\d) s {2}(\S+)$", re.MULTILINE)
LONGEST = 20
PATIENCE = 5.0  # seconds for what a suite has started, until it is killed
LONG = ("test_machines", "test_runner", "test_processes", "test_backup", "test_own_renderer", "test_older_homes")
# what the inner loop leaves out: browsers, and processes that are started and killed; and single tests (`inner_loop`)
SLOW = ("tests.browser", "tests.standins", "tests.test_brightness_for_real", "tests.test_fuzz", "tests.test_scripting",
        "tests.core.test_trying", "tests.core.test_own_renderer", "tests.core.test_process",
        *(f"tests.server.{name}" for name in LONG))  # fmt: skip


def main(words: list[str]) -> int:
    """Run every suite; returns the exit code."""
    began = time.monotonic()
    took = _remembered()
    fast, wanted = "fast" in words, tuple(word for word in words if word != "fast")
    kept = [
        tuple(
            name for name in suite if (not wanted or name.endswith(wanted)) and not (fast and name.startswith(SLOW))
        )
        for suite in all_suites()
    ]  # fmt: skip
    suites = sorted(filter(None, kept), key=lambda suite: (not _is_plain(suite), -took.get(suite[0], _size(suite))))
    failed: list[str] = []
    passed, wrong, longest = 0, 0, []
    os.chdir(ROOT)
    signal.signal(signal.SIGTERM, _stop)
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # or each of some thousand processes compiles all that it imports
    sys.dont_write_bytecode = False
    # by hand, since what is forked from here must not take it along when it ends
    folder = tempfile.tempdir = tempfile.mkdtemp(prefix="matchedpair-tests-")
    try:
        # what a suite leaves behind goes with the folder
        os.environ |= ONE_THREAD | {"TMPDIR": folder} | ({FAST: "1"} if fast else {})
        made = _database_begun(folder)
        load()
        if made.wait():
            raise SystemExit("There is no database to test with; see above.")
        os.environ["MATCHEDPAIR_TEST_DATABASE"] = str(Path(folder) / "db.sqlite3")
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


def _stop(number: int, _: Any) -> NoReturn:
    """End as by Ctrl+C, so that suites under way are ended too."""
    raise SystemExit(128 + number)


def _counts(said: str) -> tuple[int, int]:
    """How many tests of a suite passed, and how many did not, by what it printed."""
    ran, bad = sum(map(int, RAN.findall(said))), sum(map(int, FAILED.findall(said)))
    web_good, web_bad = (sum(map(int, pattern.findall(said))) for pattern in (WEB_PASSED, WEB_FAILED))
    return ran - sum(map(int, NOT_PASSED.findall(said))) + web_good, bad + web_bad


def all_suites() -> list[Suite]:
    """A suite for each module; those of the core and of the server some together, where starting takes as long."""
    found: list[Suite] = []
    for room, many in (("core", CORE_SUITES), ("server", SERVER_SUITES)):
        paths = sorted((ROOT / "tests" / room).glob("test_*.py"))
        names = [_name(path) for path in paths if room != "server" or path.stem not in LONG]
        found += [tuple(names[start::many]) for start in range(many)]
    found += [(f"tests.server.{stem}",) for stem in LONG]
    for room in ("browser", "standins", "."):
        found += [(_name(path),) for path in sorted((ROOT / "tests" / room).glob("test_*.py"))]
    return [*found, (WEB,)]


def _is_plain(suite: Suite) -> bool:
    return suite[0] == WEB or suite[0].startswith(PLAIN)


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


def _database_begun(folder: str) -> subprocess.Popen[bytes]:
    """An empty database of this version, which every suite copies."""
    return subprocess.Popen(
        [sys.executable, "manage.py", "shell", "--verbosity", "0", "--command", MADE],
        cwd=ROOT,
        env=os.environ | {"MATCHEDPAIR_HOME": folder},
    )


def _each_run(suites: Sequence[Suite]) -> Iterator[tuple[Suite, int, str, float, float]]:
    """Each suite once it is through: its exit code, what it printed, its seconds, and the processor seconds of all
    processes it waited for.
    """
    waiting = list(suites)
    under_way: dict[int, tuple[Suite, IO[str], float]] = {}
    try:
        while waiting or under_way:
            while waiting and len(under_way) < BESIDE + (os.cpu_count() or 1):
                suite = waiting.pop(0)
                if not _is_plain(suite):
                    load_server()
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
    finally:
        _end(list(under_way))


def _end(suites: list[int]) -> None:
    """End suites with all that they have started, where they are still under way: each leads a group of its own."""
    for number, seconds in ((signal.SIGTERM, PATIENCE), (signal.SIGKILL, 0.0)):
        for pid in suites:
            with suppress(ProcessLookupError):
                os.killpg(pid, number)
        time.sleep(seconds if suites else 0.0)


def _begun(suite: Suite, output: int) -> int:
    """The number of the process that runs a suite, forked from this one unless it must load things in its own way."""
    if suite[0] == WEB or suite[0].startswith(OWN_LOADING):
        command = [sys.executable, "-m", "unittest", *suite]
        if suite[0] == WEB:
            command = ["npm", "--prefix", "web", "run", "--silent", "test"]
        told = [(os.POSIX_SPAWN_DUP2, output, descriptor) for descriptor in (1, 2)]
        return os.posix_spawnp(command[0], command, os.environ, file_actions=told, setpgroup=0)
    words = ["manage.py", "test", *suite, "--settings", SETTINGS, "--noinput"]
    if _is_plain(suite):
        words = ["unittest", *suite]
    return forked(words, output)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
