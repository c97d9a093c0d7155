"""Starts one engine, waits for it and writes down what it cost. Run as a program of its own, with nothing imported:

    python -I -S supervise.py ACCOUNT.json PROGRAM ARGUMENT…

It is small on purpose. The peak memory of a process counts that of whoever started it, so a large starter would
be mistaken for a large engine; and when the starter is killed, the engine must not go on alone.
"""

from __future__ import annotations

import ctypes
import json
import os
import signal
import sys
import time

PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int) -> None:
    """Ask the kernel to end this process when its parent ends (Linux; elsewhere nothing happens)."""
    if sys.platform.startswith("linux"):
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
        if os.getppid() != parent:
            os._exit(1)


def main(account: str, command: list[str]) -> None:
    die_with_parent(os.getppid())
    own = os.getpid()
    began = time.monotonic()
    engine = os.fork()
    if engine == 0:
        os.setpgid(0, 0)
        die_with_parent(own)
        try:
            os.execv(command[0], command)
        except OSError as error:
            print(f"cannot start {command[0]}: {error.strerror}", file=sys.stderr)
        os._exit(127)
    write(account, {"engine": engine, "began": began})
    _, status, usage = os.wait4(engine, 0)
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


def write(path: str, row: dict[str, float]) -> None:
    unfinished = path + ".part"
    with open(unfinished, "w") as file:
        json.dump(row, file)
    os.replace(unfinished, path)


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2:])
