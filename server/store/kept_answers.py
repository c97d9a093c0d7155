"""Answers to questions that many ask at once, kept until what they rest on changes."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from contextvars import ContextVar
from functools import wraps
from pathlib import Path
from threading import Lock
from typing import Any

from django.conf import settings
from django.db import connection
from django.http import HttpResponse
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response

from server.store.changes import ALL, changes_of
from server.store.files import folder_stamp

MOST_BYTES, MOST_ANSWERS = 64 * 1024 * 1024, 5000
AT_WORK = 64
GOOD = 200
View = Callable[..., Response]
_passing: ContextVar[bool] = ContextVar("passing", default=False)


class Kept:
    """Answers by question, the latest used last; one question is worked on by one thread at a time."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._answers: OrderedDict[Hashable, tuple[Any, bytes]] = OrderedDict()
        self._working = [Lock() for _ in range(AT_WORK)]  # few, since questions may be any
        self._bytes = 0

    def answer(self, key: Hashable, stamp: Any, make: Callable[[], bytes | Response]) -> bytes | Response:
        """The kept answer of this stamp, else what `make` gives; only bytes are kept."""
        found = self._found(key, stamp)
        if found is not None:
            return found
        with self._working[hash(key) % AT_WORK]:
            found = self._found(key, stamp)  # somebody else may have made it meanwhile
            if found is not None:
                return found
            made = make()
            if isinstance(made, bytes):
                self._keep(key, stamp, made)
        return made

    def _found(self, key: Hashable, stamp: Any) -> bytes | None:
        with self._lock:
            kept = self._answers.get(key)
            if kept is None or kept[0] != stamp:
                return None
            self._answers.move_to_end(key)
            return kept[1]

    def _keep(self, key: Hashable, stamp: Any, contents: bytes) -> None:
        with self._lock:
            before = self._answers.pop(key, None)
            self._bytes += len(contents) - (len(before[1]) if before else 0)
            self._answers[key] = (stamp, contents)
            while self._answers and (self._bytes > MOST_BYTES or len(self._answers) > MOST_ANSWERS):
                _, (_, dropped) = self._answers.popitem(last=False)
                self._bytes -= len(dropped)


_kept = Kept()


def is_passing() -> None:
    """What is answered now is true for a moment only: it is not kept."""
    _passing.set(True)


def was_passing() -> bool:
    """Whether somebody said so of what is being answered."""
    return _passing.get()


def kept_answer(
    study_of: Callable[..., int] = lambda *_, **__: ALL, *, seconds: float | None = None
) -> Callable[[View], Callable[..., Any]]:
    """For a view that only reads, and whose answer rests on the database and the operator's folders.

    Parameters
    ----------
    study_of : callable
        Takes what the address gives and says which study it is about; `ALL` where it may be any.
    seconds : float or None
        How long an answer is kept at most, where it rests on something else too: on how far a render is, or on what
        can be called on this machine.

    Within a transaction nothing is kept: what is read there may never have been.
    """

    def kept(view: View) -> Callable[..., Any]:
        @wraps(view)
        def answered(request: Request, *args: Any, **given: Any) -> Any:
            if request.method != "GET" or connection.in_atomic_block:
                return view(request, *args, **given)

            def make() -> bytes | Response:
                _passing.set(False)
                response = view(request, *args, **given)
                if _passing.get() or response.status_code != GOOD or not isinstance(response, Response):
                    return response
                return bytes(JSONRenderer().render(response.data))

            key = (request.get_full_path(), request.user.pk if request.user else None)
            # taken before it is read: what is written meanwhile makes the kept one old, never wrong
            age = None if seconds is None else int(time.monotonic() / seconds)
            stamp = (changes_of(study_of(*args, **given)), folders_stamp(), age)
            found = _kept.answer(key, stamp, make)
            return HttpResponse(found, content_type="application/json") if isinstance(found, bytes) else found

        return answered

    return kept


def folders_stamp() -> tuple[Any, ...]:
    """Changes with the files that describe engines and scenes."""
    return tuple(folder_stamp(Path(folder)) for folder in (settings.ENGINES, settings.SCENES))
