"""Starts one engine, waits for it and writes down what it cost. Run as a program of its own, with nothing imported:

    python -I -S supervise.py ACCOUNT.json PROGRAM ARGUMENT…

It is small on purpose: the peak memory of a process counts that of whoever started it, so a large starter would be
mistaken for a large engine. And whoever of them is killed, nothing of the engine goes on alone, not what a wrapper
started either: a *guard* starts the *watcher*, which starts the engine. Each of the two takes in orphans of its own
(`PR_SET_CHILD_SUBREAPER`), hears of its parent's end, and ends all below it; the guard also when the watcher is gone.
"""

from __future__ import annotations

import ctypes
import json
import os
import signal
import sys
import time
from types import FrameType

PR_SET_PDEATHSIG, PR_SET_CHILD_SUBREAPER = 1, 36
GRACE_SECONDS = 2.0  # for an engine that was told to end, to write what it has
LOOK_SECONDS = 0.02
LINUX = sys.platform.startswith("linux")


def heir(parent: int) -> None:
    """Take in what is orphaned below, and hear of the parent's end as of being told to end (Linux)."""
    if LINUX:
        prctl = ctypes.CDLL(None).prctl
        prctl(PR_SET_CHILD_SUBREAPER, 1)
        prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
        if os.getppid() != parent:
            os._exit(1)


def below(top: int) -> list[int]:
    """All processes under this one, by the system's own table."""
    children: dict[int, list[int]] = {}
    for name in os.listdir("/proc") if LINUX else ():
        if not name.isdigit():
            continue
        try:
            with open(f"/proc/{name}/stat", "rb") as file:
                parent = int(file.read().rpartition(b")")[2].split()[1])
        except (OSError, ValueError, IndexError):
            continue
        children.setdefault(parent, []).append(int(name))
    found: list[int] = []
    new = list(children.get(top, ()))
    while new:
        found += new
        new = [child for parent in new for child in children.get(parent, ())]
    return found


def tell(processes: list[int], kind: int, engine: int) -> None:
    """Send a signal to these, and to the engine's group where there is no table of processes."""
    for process in processes:
        try:
            os.kill(process, kind)
        except (ProcessLookupError, PermissionError):
            pass
    if not LINUX and engine:
        try:
            os.killpg(engine, kind)
        except (ProcessLookupError, PermissionError):
            pass


def clear(engine: int) -> None:
    """End everything below, until nothing is left: what is killed may just have started more."""
    for _ in range(100):
        left = below(os.getpid())
        if not left and LINUX:
            return
        tell(left, signal.SIGKILL, engine)
        while True:
            try:
                if os.waitpid(-1, os.WNOHANG)[0] == 0:
                    break
            except ChildProcessError:
                break
        if not LINUX:
            return
        time.sleep(LOOK_SECONDS)


def guard(account: str, command: list[str]) -> None:
    """Start the watcher and wait for it; end all below when told to, or when it is gone."""
    heir(os.getppid())
    own = os.getpid()
    watcher = 0

    def end(_: int, __: FrameType | None) -> None:
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        told = time.monotonic()
        engine = engine_of(account)
        tell([each for each in below(own) if each != watcher], signal.SIGTERM, engine)
        while watcher and os.waitpid(watcher, os.WNOHANG)[0] == 0:
            if time.monotonic() - told > GRACE_SECONDS:
                tell([each for each in below(own) if each != watcher], signal.SIGKILL, engine)
            time.sleep(LOOK_SECONDS)
        clear(engine)
        os._exit(0)

    signal.signal(signal.SIGTERM, end)
    watcher = os.fork()
    if watcher == 0:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        watch(account, command, own)
        os._exit(0)
    while os.waitpid(-1, 0)[0] != watcher:  # orphans that were taken in end too
        pass
    watcher = 0
    clear(engine_of(account))


def watch(account: str, command: list[str], parent: int) -> None:
    """Start the engine, wait for it, write its account, and end what it left behind."""
    heir(parent)
    own = os.getpid()
    engine = 0

    def end(_: int, __: FrameType | None) -> None:
        clear(engine)
        os._exit(1)

    signal.signal(signal.SIGTERM, end)
    began = time.monotonic()
    engine = os.fork()
    if engine == 0:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        os.setpgid(0, 0)
        if LINUX:
            ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
            if os.getppid() != own:
                os._exit(1)
        try:
            os.execv(command[0], command)
        except OSError as error:
            print(f"cannot start {command[0]}: {error.strerror}", file=sys.stderr)
        os._exit(127)
    write(account, {"engine": engine, "began": began})
    while True:  # orphans that were taken in end too
        ended_one, status, usage = os.wait4(-1, 0)
        if ended_one == engine:
            break
    ended = time.monotonic()
    code = os.waitstatus_to_exitcode(status)
    write(
        account,
        {
            "engine": engine,
            "began": began,
            "ended": ended,
            "exit_code": code,
            "cpu_seconds": usage.ru_utime + usage.ru_stime,
            "peak_memory_bytes": usage.ru_maxrss * (1 if sys.platform == "darwin" else 1024),
        },
    )
    clear(engine)


def engine_of(account: str) -> int:
    """The engine's process, once it is written down; else 0."""
    try:
        with open(account) as file:
            return int(json.load(file)["engine"])
    except (OSError, ValueError, KeyError):
        return 0


def write(path: str, row: dict[str, float]) -> None:
    unfinished = path + ".part"
    with open(unfinished, "w") as file:
        json.dump(row, file)
    os.replace(unfinished, path)


if __name__ == "__main__":
    guard(sys.argv[1], sys.argv[2:])
