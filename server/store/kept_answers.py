"""Answers to questions that many ask at once, kept until what they rest on changes."""

from __future__ import annotations

import time
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
from server.store.kept import Kept

MOST_BYTES, MOST_ANSWERS = 64 * 1024 * 1024, 5000
AT_WORK = 64
GOOD = 200
View = Callable[..., Response]
_passing: ContextVar[bool] = ContextVar("passing", default=False)
_kept: Kept[bytes] = Kept(MOST_ANSWERS, MOST_BYTES, len)
_working = [Lock() for _ in range(AT_WORK)]  # few, since questions may be any


def _answer(key: Hashable, stamp: Any, make: Callable[[], bytes | Response]) -> bytes | Response:
    """The kept answer of this stamp, else what `make` gives; only bytes are kept. One question is worked on by one
    thread at a time.
    """
    found = _kept.found(key, stamp)
    if found is not None:
        return found
    with _working[hash(key) % AT_WORK]:
        found = _kept.found(key, stamp)  # somebody else may have made it meanwhile
        if found is not None:
            return found
        made = make()
        if isinstance(made, bytes):
            _kept.keep(key, stamp, made)
    return made


def is_passing() -> None:
    """What is answered now is true for a moment only: it is not kept."""
    _passing.set(True)


def was_passing() -> bool:
    """Whether somebody said so of what is being answered."""
    return _passing.get()


def kept_answer(
    study_of: Callable[..., int] = lambda *_, **__: ALL,
    *,
    seconds: float | None = None,
    also: Callable[[], Hashable] = lambda: None,
) -> Callable[[View], Callable[..., Any]]:
    """For a view that only reads, and whose answer rests on the database and the operator's folders.

    Parameters
    ----------
    study_of : callable
        Takes what the address gives and says which study it is about; `ALL` where it may be any.
    seconds : float or None
        How long an answer is kept at most, where it rests on something else too: on how far a render is, or on what
        can be called on this machine.
    also : callable
        What else it rests on: an answer is kept while this gives the same.

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
            stamp = (changes_of(study_of(*args, **given)), folders_stamp(), age, also())
            found = _answer(key, stamp, make)
            return HttpResponse(found, content_type="application/json") if isinstance(found, bytes) else found

        return answered

    return kept


def folders_stamp() -> tuple[Any, ...]:
    """Changes with the files that describe engines and scenes."""
    return tuple(folder_stamp(Path(folder)) for folder in (settings.ENGINES, settings.SCENES))
