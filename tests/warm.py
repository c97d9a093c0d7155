"""A process that has loaded all that the server's processes load, and forks one of them when asked: loading takes
seconds, and most tests are about what comes after.

Run as ``python -m tests.warm FD``: reads a command a line from the socket with that number, each with a file for its
output, and answers with the number of the process made; ends with whoever asks.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn

import django
from django.core.management import execute_from_command_line
from matchedpair.measures import kernels

from tests.loaded import exit_code, settle

ROOT = Path(__file__).parents[1]
LOADED = ("runner", "measurer")
MOST_ENVIRONMENT = 1 << 17
_spare: socket.socket | None = None


class Warm:
    """The asking side. One is made when first needed, and anew when the environment is another."""

    _one: Warm | None = None

    def __init__(self) -> None:
        self.environment = dict(os.environ)
        self._socket, theirs = socket.socketpair()
        environment = self.environment | {"DJANGO_SETTINGS_MODULE": "server.config.settings"}
        if _spare is not None:
            socket.send_fds(_spare, [json.dumps({"environment": environment}).encode()], [theirs.fileno()])
        else:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "tests.warm", str(theirs.fileno())], cwd=ROOT, pass_fds=[theirs.fileno()],
                env=environment,
            )  # fmt: skip
        theirs.close()

    @classmethod
    def start(cls, name: str) -> Started:
        """A process of that name, as ``manage.py NAME`` would start it."""
        if cls._one is None or cls._one.environment != dict(os.environ):
            cls._one = cls()
        return cls._one._start(name)

    def _start(self, name: str) -> Started:
        reading, writing = os.pipe()
        socket.send_fds(self._socket, [json.dumps(name).encode() + b"\n"], [writing])
        os.close(writing)
        return Started(int(self._socket.recv(64)), reading)


class Started:
    """A process that is not our child, with what tests use of `subprocess.Popen`."""

    def __init__(self, pid: int, reading: int) -> None:
        self.pid = pid
        self.stdout = os.fdopen(reading, encoding="utf-8")

    def send_signal(self, number: int) -> None:
        """Nothing where it has ended."""
        try:
            os.kill(self.pid, number)
        except ProcessLookupError:
            return

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def wait(self, timeout: float | None = None) -> None:
        """Until it is gone."""
        end = None if timeout is None else time.monotonic() + timeout
        while self.poll() is None:
            if end is not None and time.monotonic() > end:
                raise subprocess.TimeoutExpired(str(self.pid), timeout or 0)
            time.sleep(0.01)

    def poll(self) -> int | None:
        """0 when it is gone; how it ended is not known here."""
        try:
            os.kill(self.pid, 0)
        except ProcessLookupError:
            return 0
        return None


def run_python(words: Sequence[str], environment: Mapping[str, str]) -> subprocess.CompletedProcess[str]:
    """What ``python WORDS`` prints and how it ends, where the words are ``manage.py`` and a command, or ``-c`` and a
    program of the server's: forked from what is loaded, where there is that.
    """
    if _spare is None:
        return subprocess.run(
            [sys.executable, *words], cwd=ROOT, env=environment, capture_output=True, text=True, check=False
        )
    with ExitStack() as open_until:
        files = [open_until.enter_context(tempfile.TemporaryFile("w+", encoding="utf-8")) for _ in range(2)]
        reading, writing = os.pipe()
        asked = {"environment": dict(environment), "words": list(words)}
        socket.send_fds(_spare, [json.dumps(asked).encode()], [writing, *(file.fileno() for file in files)])
        os.close(writing)
        with os.fdopen(reading, encoding="ascii") as ending:
            ended = ending.read()
        for file in files:
            file.seek(0)
        return subprocess.CompletedProcess(list(words), int(ended or -signal.SIGKILL), *(file.read() for file in files))


def keep_spare() -> None:
    """Fork a process that waits until one is wanted: it has loaded what this one has, and knows no settings yet."""
    global _spare
    _spare, asked = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    if os.fork() == 0:
        _spare.close()
        _wait_for_environments(asked)
    asked.close()


def _wait_for_environments(asked: socket.socket) -> NoReturn:
    """Fork one for each environment that is sent: it serves at the socket beside it, or carries out the words that came
    too. Until nobody sends any.
    """
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    while True:
        said, files, *_ = socket.recv_fds(asked, MOST_ENVIRONMENT, 3)
        if not said:
            os._exit(0)
        if os.fork() == 0:
            asked.close()
            told = json.loads(said)
            os.environ.clear()
            os.environ.update(told["environment"])
            try:
                settle(os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings"))
                if "words" in told:
                    _carry_out(told["words"], *files)
                serve(socket.socket(fileno=files[0]))
            finally:
                os._exit(0)
        for file in files:
            os.close(file)


def _carry_out(words: list[str], ending: int, *output: int) -> NoReturn:
    """As ``python WORDS``; its exit code goes to `ending`."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    for descriptor, file in zip((1, 2), output, strict=True):
        os.dup2(file, descriptor)
    program = words[1] if words[0] == "-c" else ""
    sys.argv = ["-c", *words[2:]] if program else words
    code = exit_code(lambda: exec(program, {"__name__": "__main__"}) if program else execute_from_command_line(words))
    os.write(ending, str(code).encode())
    os._exit(0)


def serve(asking: socket.socket) -> None:
    """Fork a process for each line until nobody asks any more."""
    django.setup()
    for name in LOADED:
        import_module(f"server.processes.management.commands.{name}")
    kernels.compile_all()
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # none is left behind when it ends
    while True:
        line, files, *_ = socket.recv_fds(asking, 1024, 1)
        if not line:
            return
        pid = os.fork()
        if pid == 0:
            _become(json.loads(line), files[0], asking)
        os.close(files[0])
        asking.sendall(str(pid).encode())


def _become(name: str, output: int, asking: socket.socket) -> Any:
    """The process that was asked for; does not return."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    asking.close()
    for descriptor in (1, 2):
        os.dup2(output, descriptor)
    os.close(output)
    try:
        execute_from_command_line(["manage.py", name])
        sys.stdout.flush()
    except BaseException as stop:
        if not (isinstance(stop, SystemExit) and not stop.code):
            sys.excepthook(type(stop), stop, stop.__traceback__)
            os._exit(1)
    os._exit(0)


if __name__ == "__main__":
    serve(socket.socket(fileno=int(sys.argv[1])))
