"""Asks a process of its own to decode pictures (`reader_process`), and says in plain words how that one ended."""

from __future__ import annotations

import atexit
import json
import mmap
import os
import signal
import socket
import subprocess
import sys
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import KINDS, PictureHeader, open_with
from matchedpair.pictures.reader_process import MOST_MESSAGE

MOST_IDLE = 2
ONE_THREAD = {"OPENBLAS_NUM_THREADS": "1"}  # numpy would begin more at once, which nothing here uses


@dataclass(frozen=True)
class Limits:
    """What one reader may take: seconds for one question, bytes of memory beside the pixels it hands over."""

    seconds: float = 120.0
    memory: int = 4 << 30


_limits = [Limits()]
_idle: list[_Reader] = []
_lock = threading.Lock()


def decode_apart(limits: Limits | None = None) -> None:
    """From now on this process leaves decoding to one of its own (Linux; elsewhere nothing changes)."""
    _limits[:] = [limits or Limits()]
    _all_ended()
    if sys.platform.startswith("linux"):
        open_with(opened_apart)


def opened_apart(path: Path, name: str) -> _Apart:
    """A picture's file, opened by another process and called `name` in errors. Raises `PictureError`."""
    return _Apart(path, name)


class _Reader:
    """One such process and the socket to it."""

    def __init__(self) -> None:
        self.socket, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.owner = os.getpid()
        self._limits = _limits[0]
        self.socket.settimeout(self._limits.seconds + 10.0)
        with theirs:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "matchedpair.pictures.reader_process", str(theirs.fileno()),
                 str(self._limits.seconds), str(self._limits.memory)],
                pass_fds=[theirs.fileno()], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL, start_new_session=True, env=os.environ | ONE_THREAD,
            )  # fmt: skip

    def ask(self, question: dict[str, Any]) -> tuple[dict[str, Any], list[int]]:
        """The answer and what files came with it. Raises `OSError` when it ended."""
        self.socket.send(json.dumps(question).encode())
        said, files, _, _ = socket.recv_fds(self.socket, MOST_MESSAGE, 1)
        if not said:
            raise ConnectionResetError
        return dict(json.loads(said)), files

    def how_it_ended(self) -> str:
        """In words, once it has ended; it is made to."""
        self.socket.close()
        try:
            code = self.process.wait(1.0)
        except subprocess.TimeoutExpired:
            self.process.kill()
            code = self.process.wait()
        if code == -signal.SIGALRM:
            return f"takes longer than {self._limits.seconds:g} s to decode"
        return f"ended the program that decodes pictures ({'signal' if code < 0 else 'exit code'} {abs(code)})"

    def end(self) -> None:
        """It ends by itself once nobody can ask it."""
        self.how_it_ended()


class _Apart:
    """A picture's file in such a process, which is free again once this is closed."""

    header: PictureHeader

    def __init__(self, path: Path, name: str) -> None:
        self._name = name or str(path)
        self._reader: _Reader | None = _taken()
        said, _ = self._ask({"open": str(path.absolute())})
        header = said["header"]
        window = header["window"] and tuple(header["window"])
        self.header = PictureHeader(**header | {"channels": tuple(header["channels"]), "window": window})

    def rows(self, first: int, end: int, channels: tuple[int, int], kind: str) -> NDArray[Any]:
        said, files = self._ask({"rows": [first, end], "channels": list(channels), "kind": kind})
        try:
            mapped = mmap.mmap(files[0], said["bytes"])
        finally:
            os.close(files[0])
        return np.frombuffer(mapped, KINDS[kind]).reshape(end - first, self.header.width, -1)

    def close(self) -> None:
        reader, self._reader = self._reader, None
        if reader is not None:
            try:
                reader.socket.send(b'{"close": true}')
            except OSError:
                reader.how_it_ended()
                return
            _given_back(reader)

    def _ask(self, question: dict[str, Any]) -> tuple[dict[str, Any], list[int]]:
        reader = self._reader
        if reader is None:
            raise PictureError(self._name, "is closed")
        try:
            said, files = reader.ask(question)
        except OSError as error:
            self._reader = None
            raise PictureError(self._name, reader.how_it_ended()) from error
        if "error" in said:
            self.close()
            raise PictureError(self._name, str(said["error"][1]))
        return said, files


def _taken() -> _Reader:
    """An idle one that still lives and is this process's own (not inherited by a fork), else a new one."""
    with _lock:
        while _idle:
            reader = _idle.pop()
            if reader.owner == os.getpid() and reader.process.poll() is None:
                return reader
    return _Reader()


def _given_back(reader: _Reader) -> None:
    with _lock:
        if len(_idle) < MOST_IDLE:
            _idle.append(reader)
            return
    reader.end()


@atexit.register
def _all_ended() -> None:
    while _idle:
        _idle.pop().end()
