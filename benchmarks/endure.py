"""Renders for an hour while everything goes wrong: ``python -m benchmarks.endure [MINUTES [SEED]]``, `make endure`.

Server, runner and measurer run as the Procfile says, in a home of their own, first on one machine, then on two through
a scheduler. At random moments any process is killed, one is held still for seconds as a slow disk holds it, the disk is
filled up, the clock on the wall is set back or forward, and one machine vanishes. Of each ten seeds the engine writes
rubbish at one. At the end each run must be there once, with the very pixels of an undisturbed render; no process, no
file may be left over; and no process may have grown. Prints a table; exits with 1 when anything does not hold.

A full disk needs a home on a disk of its own (root, Linux); where it cannot be had, that is said.
"""

from __future__ import annotations

import json
import os
import random
import socket
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import textwrap
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import psutil
import requests
from matchedpair.pictures import read_picture

from tests.engines import DRAW, add_engine

ROOT = Path(__file__).parents[1]
MINUTES = 60.0
DISK_MB = 600
EVERY_SECONDS = (8.0, 40.0)
DRAIN_SECONDS = 1800.0
SIZE = (96, 72)
LEVELS, SEEDS, BAD_SEED = (8, 16, 32), 10, 7
GROWN = 1.3  # the last third of a process's memory over the first
BODY = f"""
    say("ready now")
    for k in range(10):
        say(f"step {{k + 1}}/10")
        time.sleep(a.pause / 10)
    if a.seed % 10 == {BAD_SEED}:
        open(a.picture, "wb").write(b"v/1\\x01" + os.urandom(3000))
    else:
        draw(a.width, a.height)
"""
# the clock on the wall as Python reads it, in every process of the home; the machine's own stays as it is
CLOCK = """
import os, threading, time, time_machine
kept = os.environ["ENDURE_CLOCK"]
real = time.monotonic
traveller = time_machine.travel(time.time(), tick=True)
moved = traveller.start()
def look():
    by = 0
    while True:
        try:
            wanted = int(open(kept).read())
        except (OSError, ValueError):
            wanted = by
        if wanted != by:
            moved.shift(wanted - by)
            by = wanted
        time.sleep(1.0)
threading.Thread(target=look, daemon=True).start()
"""


class Installation:
    """All processes of one home, each started again when it ends, as a service manager would."""

    def __init__(self, home: Path) -> None:
        self.home = home
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        (home / "engines").mkdir()
        add_engine(home / "engines", "good")
        (home / "engines" / "good.py").write_text(DRAW + textwrap.dedent(BODY))
        self.clock = home.parent / "clock"
        self.clock.write_text("0")
        (home.parent / "site").mkdir()
        (home.parent / "site" / "sitecustomize.py").write_text(CLOCK)
        python = os.pathsep.join(map(str, (home.parent / "site", ROOT / "core", ROOT)))
        self.environment = os.environ | {
            "PYTHONPATH": python, "MATCHEDPAIR_HOME": str(home), "MATCHEDPAIR_ENGINES": str(home / "engines"),
            "MATCHEDPAIR_PORT": str(self.port), "MATCHEDPAIR_KEEP_FREE_MB": "20", "ENDURE_CLOCK": str(self.clock),
            "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}", "OMP_NUM_THREADS": "1",
        }  # fmt: skip
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.commands: dict[str, list[str]] = {}
        self.log = (home.parent / "log.txt").open("ab")
        for line in (ROOT / "Procfile").read_text().splitlines():
            name, _, command = line.partition(": ")
            self.commands[name] = ["bash", "-c", f"exec {command}"]

    def prepare(self) -> None:
        """The database."""
        subprocess.run([sys.executable, "manage.py", "prepare"], cwd=ROOT, env=self.environment, check=True)

    def keep_up(self) -> None:
        """Start what is not running."""
        for name, command in self.commands.items():
            there = self.processes.get(name)
            if there is None or there.poll() is not None:
                self.processes[name] = subprocess.Popen(
                    command, cwd=ROOT, env=self.environment, stdout=self.log, stderr=self.log, start_new_session=True,
                )  # fmt: skip

    def end(self, *names: str) -> None:
        """Tell them to end, and wait."""
        for name in names or tuple(self.processes):
            process = self.processes.pop(name)
            process.terminate()
            try:
                process.wait(60)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()

    def family(self) -> dict[int, tuple[str, psutil.Process]]:
        """All processes of this home, by number, with what each is."""
        found = {}
        for process in psutil.process_iter():
            with suppress(psutil.Error):
                if process.environ().get("MATCHEDPAIR_HOME") == str(self.home) and process.status() != "zombie":
                    found[process.pid] = (_kind(process.cmdline()), process)
        return found


def _kind(words: list[str]) -> str:
    line = " ".join(words)
    for part, kind in (
        ("supervise.py", "watcher of an engine"), ("good.py", "engine"), ("reader_process", "picture reader"),
        ("keep.py runner", "keeper of the runner"), ("keep.py measurer", "keeper of the measurer"),
        ("manage.py runner", "runner"), ("manage.py measurer", "measurer"), ("gunicorn", "server"),
        ("dask scheduler", "scheduler"), ("dask worker", "worker"),
    ):  # fmt: skip
        if part in line:
            return kind
    return words[0] if words else "gone"


class Trouble:
    """What goes wrong, at random."""

    def __init__(self, place: Installation, dice: random.Random, own_disk: bool) -> None:
        self.place, self.dice = place, dice
        self.count: Counter[str] = Counter()
        self.kinds: list[Callable[[], None]] = [self.kill] * 6 + [self.stall] * 2
        self.kinds += [self.turn_clock, *([self.fill] * 2 if own_disk else [])]

    def make(self) -> None:
        """One trouble."""
        self.dice.choice(self.kinds)()

    def kill(self) -> None:
        """Any process of them."""
        found = sorted(self.place.family().items())
        if found:
            kinds = sorted({kind for _, (kind, _) in found})
            kind = self.dice.choice(kinds)
            _, (_, process) = self.dice.choice([each for each in found if each[1][0] == kind])
            with suppress(psutil.Error):
                process.kill()
                self.count[f"killed: {kind}"] += 1

    def stall(self) -> None:
        """As if its disk did not answer."""
        found = [process for kind, process in self.place.family().values() if kind in ("runner", "measurer", "server")]
        if found:
            process = self.dice.choice(found)
            with suppress(psutil.Error):
                process.suspend()
                time.sleep(self.dice.uniform(2.0, 15.0))
                process.resume()
                self.count["held still for seconds"] += 1

    def fill(self) -> None:
        """Nothing can be written for a while."""
        ballast = self.place.home / "ballast"
        with suppress(OSError), ballast.open("wb") as file:
            while True:
                file.write(bytes(1 << 20))
                file.flush()
        time.sleep(self.dice.uniform(3.0, 12.0))
        ballast.unlink(missing_ok=True)
        self.count["disk filled up"] += 1

    def turn_clock(self) -> None:
        """Back or forward, up to a week."""
        by = self.dice.choice((-604800, -86400, -3600, 0, 3600, 86400, 604800))
        self.place.clock.write_text(str(by))
        self.count["clock set"] += 1


class Work:
    """Studies queued through the API, so that there is always something to do."""

    def __init__(self, place: Installation) -> None:
        self.place = place
        self.session = requests.Session()
        self.studies = 0

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """The answer; None when there was none."""
        base = f"http://127.0.0.1:{self.place.port}"
        with suppress(requests.RequestException, ValueError):
            if "csrftoken" not in self.session.cookies:
                self.session.get(f"{base}/api/session/", timeout=10)
            headers = {"X-CSRFToken": self.session.cookies.get("csrftoken", "")}
            answer = self.session.request(method, base + path, json=body, headers=headers, timeout=20)
            if answer.ok:
                return answer.json() if answer.content else {}
        return None

    def keep_busy(self) -> None:
        """Let a held queue go on, and queue another study when few runs wait."""
        queue = self.ask("GET", "/api/queue/")
        if queue is None:
            return
        if queue["held"] or queue["paused"]:
            self.ask("POST", "/api/queue/pause/", {"on": False})
        if queue["waiting"] < 5:
            made = self.ask("POST", "/api/studies/", {
                "question": f"Do more samples pay, {self.studies}?", "scene": "marble-stall", "view": "counter",
                "width": SIZE[0], "height": SIZE[1], "engine": "good", "settings": {"samples": 4, "pause": 0.5},
                "repeats": SEEDS, "threads": 1, "time_limit_seconds": 600, "kind": "range",
                "factors": [{"subject": "samples", "levels": [{"value": level} for level in LEVELS]}],
            })  # fmt: skip
            if made is not None and self.ask("POST", f"/api/studies/{made['id']}/start/") is not None:
                self.studies += 1

    def drained(self) -> bool:
        """Whether nothing waits or runs, and the held queue goes on."""
        queue = self.ask("GET", "/api/queue/")
        if queue is None:
            return False
        if queue["held"] or queue["paused"]:
            self.ask("POST", "/api/queue/pause/", {"on": False})
        return not queue["runs"]


def main(words: list[str]) -> int:
    """Endure; returns the exit code."""
    minutes = float(words[0]) if words else MINUTES
    dice = random.Random(int(words[1]) if len(words) > 1 else time.time_ns())
    outer = Path(tempfile.mkdtemp(prefix="matchedpair-endure-"))
    home = outer / "home"
    home.mkdir()
    print(f"Processes write to {outer / 'log.txt'}", flush=True)
    mount = ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m", "tmpfs", str(home)]
    own_disk = subprocess.run(mount, check=False, capture_output=True).returncode == 0
    try:
        return _endured(Installation(home), minutes, dice, own_disk)
    finally:
        if own_disk:
            subprocess.run(["umount", str(home)], check=False)


def _endured(place: Installation, minutes: float, dice: random.Random, own_disk: bool) -> int:
    place.prepare()
    trouble, work = Trouble(place, dice, own_disk), Work(place)
    memory: dict[str, list[tuple[float, int]]] = defaultdict(list)
    began = time.monotonic()
    for share, machines in ((0.5, 0), (1.0, 2)):
        if machines:
            place.end("runner")
            _two_machines(place)
        _go_on(place, trouble, work, memory, began + 60.0 * minutes * share, dice)
    place.clock.write_text("0")
    until = time.monotonic() + DRAIN_SECONDS
    still = 0
    while time.monotonic() < until and still < 5:  # measured, too: what is left is looked at between renders
        place.keep_up()
        still = still + 1 if work.drained() and not _unmeasured(place) else 0
        time.sleep(3.0)
    rows, wrong = _checked(place, work, memory)
    for name, many in sorted(trouble.count.items()):
        print(f"| {name} | {many} |")
    for name, value in rows:
        print(f"| {name} | {value} |")
    if not own_disk:
        print("Not played: a full disk (it needs a disk of its own for the home).")
    print("All holds." if not wrong else "Does not hold: " + "; ".join(wrong))
    return 1 if wrong else 0


def _two_machines(place: Installation) -> None:
    """From now on renders go through a scheduler to two workers."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    quiet = "--host 127.0.0.1 --dashboard-address 127.0.0.1:0"
    place.commands = {
        "scheduler": ["bash", "-c", f"exec python -m dask scheduler --port {port} {quiet}"],
        **{
            f"worker {name}": ["bash", "-c", f"MATCHEDPAIR_MACHINE={name} exec python -m dask worker "
                               f"127.0.0.1:{port} {quiet} --nthreads 1 --no-nanny"]
            for name in ("north", "south")
        },
        **place.commands,
    }  # fmt: skip
    place.environment |= {"MATCHEDPAIR_SCHEDULER": f"127.0.0.1:{port}"}


def _go_on(place: Installation, trouble: Trouble, work: Work, memory: Any, until: float, dice: random.Random) -> None:
    due = time.monotonic() + 30.0
    while time.monotonic() < until:
        place.keep_up()
        work.keep_busy()
        for pid, (kind, process) in place.family().items():
            with suppress(psutil.Error):
                memory[f"{kind} {pid}"].append((time.monotonic(), process.memory_info().rss))
        if time.monotonic() > due:
            trouble.make()
            due = time.monotonic() + dice.uniform(*EVERY_SECONDS)
        time.sleep(2.0)


def _checked(place: Installation, work: Work, memory: Any) -> tuple[list[tuple[str, Any]], list[str]]:
    """The rows of the table, and what does not hold."""
    wrong = []
    with closing(sqlite3.connect(f"file:{place.home}/db.sqlite3?mode=ro", uri=True)) as database:
        runs = database.execute(
            "SELECT r.id, r.study_id, r.option_id, r.seed, r.state, r.reason, r.picture, r.attempt, o.settings, "
            "r.warm_up FROM runs_run r JOIN studies_option o ON o.id = r.option_id"
        ).fetchall()
        set_aside = database.execute("SELECT count(*) FROM processes_trouble WHERE set_aside_at IS NOT NULL").fetchone()
    counted = [row for row in runs if not row[9]]
    states = Counter(row[4] for row in runs)
    twice = len(counted) - len({(row[2], row[3]) for row in counted})
    open_still = states["queued"] + states["running"]
    # an engine that is killed fails alone, with its reason; nothing else may fail that does not write rubbish
    strange = [row for row in counted if (row[4] == "failed") != (row[3] % 10 == BAD_SEED)]
    killed = [row for row in strange if "signal SIGKILL" in row[5] or "the process that watched it ended" in row[5]]
    strange = [row for row in strange if row not in killed]
    expected = _undisturbed(place)
    differ = 0
    for row in counted:
        if row[4] == "finished":
            path = place.home / "store" / row[6][:2] / f"{row[6]}.exr"
            samples = int(json.loads(row[8])["samples"])
            differ += read_picture(path).pixels.tobytes() != expected[samples, row[3]]
    again = sum(row[7] > 1 for row in counted)
    verified = subprocess.run([sys.executable, "manage.py", "verify"], cwd=ROOT, env=place.environment,
                              capture_output=True, text=True, check=False)  # fmt: skip
    place.end()
    time.sleep(5.0)
    left = [kind for kind, _ in place.family().values()]
    files = [
        path.relative_to(place.home).as_posix()
        for pattern in ("work/*", "uploads/*", "store/*/.part-*", "live/*")
        for path in place.home.glob(pattern)
    ]
    grown = _grown(memory)
    missing = twice + abs(len(counted) - work.studies * SEEDS * (len(LEVELS) + 1))
    for name, bad in (
        ("runs not there or there twice", missing),
        ("runs still open", open_still), ("runs that ended otherwise than they must", len(strange)),
        ("pictures unlike an undisturbed render's", differ), ("options not measured", _unmeasured(place)),
        ("pieces of work set aside", set_aside[0]), ("processes left over", len(left)), ("files left over", len(files)),
        ("the store is not whole", verified.returncode),
        ("processes that grew", sum(ratio > GROWN for ratio in grown.values())),
    ):  # fmt: skip
        if bad:
            wrong.append(f"{name}: {bad}")
    for row in strange[:5]:
        print("strange:", row)
    if files or left:
        print("left over:", files[:10], left[:10])
    rows = [
        ("studies", work.studies), ("renders", len(counted)),
        ("of which failed since their engine or its watcher was killed", len(killed)),
        *((f"of which {name}", many) for name, many in states.items()),
        ("made more than once, since what made them was ended", again),
        *((f"memory of the {kind}, last third over first", f"{ratio:.2f}") for kind, ratio in sorted(grown.items())),
        ("verify", verified.stdout.strip().splitlines()[0] if verified.stdout.strip() else verified.stderr[-200:]),
    ]  # fmt: skip
    return rows, wrong


def _unmeasured(place: Installation) -> int:
    """How many options have finished renders and no figure."""
    with closing(sqlite3.connect(f"file:{place.home}/db.sqlite3?mode=ro", uri=True)) as database:
        return int(database.execute(
            "SELECT count(*) FROM studies_option o WHERE EXISTS (SELECT 1 FROM runs_run r WHERE r.option_id = o.id AND "
            "r.state = 'finished' AND NOT r.warm_up) AND NOT EXISTS (SELECT 1 FROM findings_measure m WHERE "
            "m.option_id = o.id)"
        ).fetchone()[0])  # fmt: skip


def _undisturbed(place: Installation) -> dict[tuple[int, int], bytes]:
    """Pixels by samples and seed, of the bare engine."""
    found = {}
    picture = place.home.parent / "bare.exr"
    for samples in (4, *LEVELS):
        for seed in range(SEEDS + 1):
            if seed % 10 == BAD_SEED:
                continue
            words = {"scene": "x", "view": "counter", "picture": picture, "width": SIZE[0], "height": SIZE[1],
                     "seed": seed, "threads": 1, "samples": samples}  # fmt: skip
            line = [text for name, value in words.items() for text in (f"--{name}", str(value))]
            script = str(place.home / "engines" / "good.py")
            subprocess.run([sys.executable, script, *line], check=True, capture_output=True)
            found[samples, seed] = read_picture(picture).pixels.tobytes()
    return found


def _grown(memory: dict[str, list[tuple[float, int]]]) -> dict[str, float]:
    """By kind, memory in the last third of a process's life over that in its first, the median of those that lived for
    a while.
    """
    ratios: dict[str, list[float]] = defaultdict(list)
    for name, seen in memory.items():
        kind = name.rpartition(" ")[0]
        warm = seen[10:]  # starting is not growing
        if len(warm) >= 30:
            third = len(warm) // 3
            first = statistics.median(size for _, size in warm[:third])
            last = statistics.median(size for _, size in warm[-third:])
            ratios[kind].append(last / first)
    return {kind: statistics.median(each) for kind, each in ratios.items()}


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
