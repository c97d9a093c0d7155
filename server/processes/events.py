"""What changes, told to the screens as it happens: one stream of server-sent events for each of them."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

from server.store.notices import Listener, told_so_far

MOST_STREAMS = 24  # each keeps a thread of the server; who comes later asks again by itself
STILL_THERE_SECONDS = 15.0
_streams = threading.BoundedSemaphore(MOST_STREAMS)


class Hearing:
    """One thread that hears for all streams; it ends with the last of them."""

    def __init__(self) -> None:
        self._condition = threading.Condition()
        self._heard: list[str] = []
        self._count = 0
        self._streams = 0

    def __enter__(self) -> Hearing:
        with self._condition:
            self._streams += 1
            if self._streams == 1:
                threading.Thread(target=self._listen, args=(Listener(),), name="events", daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        with self._condition:
            self._streams -= 1

    def since(self, count: int, seconds: float) -> tuple[int, list[str]]:
        """What was heard after the first `count` notices, within so many seconds, and how many there are now."""
        with self._condition:
            self._condition.wait_for(lambda: self._count > count, seconds)
            new = self._heard[len(self._heard) - (self._count - count) :] if self._count > count else []
            return self._count, list(dict.fromkeys(new))

    @property
    def count(self) -> int:
        """How many notices were heard so far."""
        with self._condition:
            return self._count

    def _listen(self, listener: Listener) -> None:
        while True:
            topics = listener.wait(1.0)
            with self._condition:
                if not self._streams:
                    return
                if topics:
                    self._heard = [*self._heard, *topics][-MOST_KEPT:]
                    self._count += len(topics)
                    self._condition.notify_all()


MOST_KEPT = 1000
hearing = Hearing()


def events(request: HttpRequest) -> HttpResponseBase:
    """The stream: an event for each topic that changed. 503 when as many as can be served are open."""
    if request.method != "GET":
        return HttpResponse(status=405)
    if not _streams.acquire(blocking=False):
        return HttpResponse("too many screens are open", status=503, content_type="text/plain")
    response = StreamingHttpResponse(_Stream(), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


class _Stream:
    """Closed by the server when the screen is gone; frees its place then, also when it was never begun."""

    def __init__(self) -> None:
        self._lines = self._tell()
        self._open = True

    def __iter__(self) -> Iterator[bytes]:
        return self._lines

    def close(self) -> None:
        if self._open:
            self._open = False
            self._lines.close()
            _streams.release()

    @staticmethod
    def _tell() -> Iterator[bytes]:
        with hearing:
            count = hearing.count
            # what an answer from before says holds if it was up to this: all later notices are told here
            yield f"retry: 2000\nevent: told\ndata: {told_so_far()}\n\n".encode()
            spoke = time.monotonic()
            while True:
                count, topics = hearing.since(count, STILL_THERE_SECONDS)
                if topics:
                    yield f"data: {' '.join(topics)}\n\n".encode()
                elif time.monotonic() - spoke >= STILL_THERE_SECONDS:
                    yield b": still there\n\n"
                spoke = time.monotonic()
