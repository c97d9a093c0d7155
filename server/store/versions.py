"""Two people at once: what was changed since somebody read it is not overwritten without their knowing.

What people edit goes out with its *version*, a short name of its values. Whoever sends a change with the version that
they saw, as ``If-Match``, is refused where it is another by now, and told what it is. Without that header a change is
taken all the same, as scripts may want it.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.http import HttpRequest
from rest_framework.request import Request

LENGTH = 16


class ChangedMeanwhileError(Exception):
    """Somebody changed it since it was read; carries what it is now."""

    def __init__(self, what: str, now: Any) -> None:
        super().__init__(f"Somebody changed {what} since you read it.")
        self.now = now


def version_of(values: Any) -> str:
    """A short name of plain values, the same for the same values."""
    text = json.dumps(values, sort_keys=True, ensure_ascii=True, default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:LENGTH]


def must_match(request: HttpRequest | Request, what: str, now: Any) -> None:
    """Asked within the transaction that writes. Raises `ChangedMeanwhileError` when the sender saw other values."""
    seen = request.headers.get("If-Match", "").strip().strip('"')
    if seen and seen != "*" and seen != version_of(now):
        raise ChangedMeanwhileError(what, now)
