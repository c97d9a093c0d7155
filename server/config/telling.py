"""Tells the other processes, and other people's screens, that somebody changed something; and with each answer, up to
which notice it holds.
"""

from __future__ import annotations

from collections.abc import Callable

from django.db import connection
from django.http import HttpRequest, HttpResponse

from server.store.notices import ring, told_so_far

ONLY_LOOKING = ("GET", "HEAD", "OPTIONS")
HOLDS_UP_TO = "Notices-Told"


class TellWhatChanged:
    """Rings after every request that changed a row; many are sent as writes that only ask, such as a plan's preview."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self._answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        before, told = _changes(), told_so_far()
        response = self._answer(request)
        response.headers[HOLDS_UP_TO] = str(told)
        if request.method not in ONLY_LOOKING and _changes() != before:
            ring()
        return response


def _changes() -> int:
    """How many rows this connection has changed so far; 0 before it is open."""
    opened = connection.connection
    return 0 if opened is None else int(opened.total_changes)
