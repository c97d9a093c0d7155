"""Decodes pictures for another process: ``python -m matchedpair.pictures.reader_process SOCKET SECONDS BYTES``.

Asked over a socket, a message a question in JSON: ``{"open": path}`` is answered with the header, ``{"rows": [first,
end], "channels": [low, high], "kind": kind}`` with a length and, beside it, a file in memory that holds the values, and
``{"close": true}`` with nothing. An error is ``{"error": [name, reason]}``. It ends when nobody can ask any more, when
one question takes more seconds, and where it would hold more bytes of its own than it was given.
"""

from __future__ import annotations

import gc
import json
import mmap
import os
import resource
import signal
import socket
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from matchedpair.errors import PictureError
from matchedpair.pictures.picture_file import KINDS, PictureFile, opened_here

MOST_MESSAGE = 128 << 10


def main(number: int, seconds: float, most: int) -> None:
    """Answer questions until there is nobody to ask them."""
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    gc.freeze()  # what is loaded stays: looked through after each picture, it took ten times as long as opening one
    asked = socket.socket(fileno=number)
    file: PictureFile | None = None
    while question := asked.recv(MOST_MESSAGE):
        signal.setitimer(signal.ITIMER_REAL, seconds)  # whose default is to end the process, whatever it is doing
        try:
            file = _answer(asked, json.loads(question), file)
        except PictureError as error:
            _say(asked, {"error": [error.path, error.problem]})
        except MemoryError:
            _say(asked, {"error": ["", f"takes more than {most / 1e9:.1f} GB of memory to decode"]})
        signal.setitimer(signal.ITIMER_REAL, 0.0)


def _answer(asked: socket.socket, question: dict[str, Any], file: PictureFile | None) -> PictureFile | None:
    if "open" in question:
        if file is not None:
            file.close()
        file = opened_here(Path(question["open"]))
        _say(asked, {"header": asdict(file.header)})
    elif "rows" in question and file is not None:
        _send_rows(asked, file, question)
    elif file is not None:
        file.close()
        file = None
        gc.collect()
    return file


def _send_rows(asked: socket.socket, file: PictureFile, question: dict[str, Any]) -> None:
    """Strip by strip into a file in memory, so that no picture is held twice."""
    (first, end), channels, kind = question["rows"], tuple(question["channels"]), str(question["kind"])
    line = file.header.width * (channels[1] - channels[0])
    size = (end - first) * line * np.dtype(KINDS[kind]).itemsize
    memory = os.memfd_create("rows")
    try:
        os.ftruncate(memory, size)
        values = np.frombuffer(mmap.mmap(memory, size), KINDS[kind]).reshape(end - first, file.header.width, -1)
        for low, high in file.header.strips():
            if low < end and high > first:
                start, stop = max(low, first), min(high, end)
                values[start - first : stop - first] = file.rows(start, stop, channels, kind)
        del values
        socket.send_fds(asked, [json.dumps({"bytes": size}).encode()], [memory])
    finally:
        os.close(memory)


def _say(asked: socket.socket, answer: dict[str, Any]) -> None:
    message = json.dumps(answer).encode()
    if len(message) > MOST_MESSAGE:
        message = json.dumps({"error": ["", "its header is longer than any picture's"]}).encode()
    asked.send(message)


if __name__ == "__main__":
    main(int(sys.argv[1]), float(sys.argv[2]), int(sys.argv[3]))
