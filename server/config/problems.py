"""All API errors as problem-JSON (RFC 9457): what happened, why, and which field."""

from __future__ import annotations

import errno
import logging
import re
import sys
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import DatabaseError
from django.http import Http404, HttpRequest, JsonResponse
from matchedpair.errors import MatchedPairError, SettingsError
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import exception_handler, set_rollback

from server.store.versions import ChangedMeanwhileError

CONTENT_TYPE = "application/problem+json"
NUL = re.compile(r"\bnull byte|\bNUL\b|null character")
FULL = "The disk is full, so nothing was written. Make room, then try again."
READ_ONLY = "The server's folder cannot be written, so nothing was changed. Its owner and its disk tell why."
DISK = {
    errno.ENOSPC: FULL, errno.EDQUOT: FULL, errno.EROFS: READ_ONLY, errno.EACCES: READ_ONLY, errno.EPERM: READ_ONLY,
    errno.EIO: "The disk gave an error, so nothing was written. Look at its health before going on.",
    errno.ENAMETOOLONG: "A name here is longer than a disk can keep.",
}  # fmt: skip
BROKEN = "The database cannot be read any more. Stop Matched Pair and run make restore; README.md tells how."
OTHER_VERSION = "The database is of another version. Stop Matched Pair and run make demo, which brings it up."
DATABASE = {
    "disk is full": (507, FULL), "readonly database": (507, READ_ONLY), "disk I/O error": (507, DISK[errno.EIO]),
    "locked": (503, "The database is busy; try again."), "malformed": (500, BROKEN), "not a database": (500, BROKEN),
    "no such table": (500, OTHER_VERSION), "no such column": (500, OTHER_VERSION),
}  # fmt: skip
TITLES = {
    400: "Cannot be done", 401: "Sign in first", 403: "Not allowed", 404: "Not found", 405: "Not allowed here",
    406: "Not to be had in this form", 409: "Changed meanwhile", 413: "Too large", 415: "Not taken in this form",
    500: "Unforeseen error", 503: "Busy", 507: "Cannot be written",
}  # fmt: skip
log = logging.getLogger("server.problems")


def problem_response(error: Exception, context: dict[str, Any]) -> Response:
    """DRF's hook: every exception in an API view becomes a problem; an unforeseen one is logged and says little."""
    if isinstance(error, MatchedPairError):
        set_rollback()
        fields = error.problems if isinstance(error, SettingsError) else {}
        return _problem(400, "Cannot be done", str(error), {name: [text] for name, text in fields.items()})
    if isinstance(error, ChangedMeanwhileError):
        set_rollback()
        answer = _problem(409, "Changed meanwhile", str(error), {})
        answer.data["now"] = error.now
        return answer
    if isinstance(error, Http404):
        error = exceptions.NotFound()
    if isinstance(error, PermissionDenied):
        error = exceptions.PermissionDenied()
    response = exception_handler(error, context)
    if response is None and (known := known_trouble(error)) is not None:
        set_rollback()
        log.warning("%s: %s", context.get("view"), error)
        status, words = known
        return _problem(status, _title(status), words, {})
    if response is None:
        set_rollback()
        log.exception("unforeseen error in %s", context.get("view"), exc_info=error)
        return _problem(500, "Unforeseen error", "Something went wrong here; the server's log has the details.", {})
    fields = _fields(error.detail) if isinstance(error, exceptions.ValidationError) else {}
    detail = "Some fields do not fit." if fields else str(getattr(error, "detail", error))
    return _problem(response.status_code, _title(response.status_code), detail, fields)


def known_trouble(error: BaseException | None) -> tuple[int, str] | None:
    """Status and plain words for what can go wrong with numbers, disks and databases whoever asks; None for the rest.

    What a disk or database says is passed on by its kind alone: never with a path of this machine.
    """
    if isinstance(error, OverflowError):
        return 404, "There is nothing under a number as large as this."
    if isinstance(error, ValueError) and NUL.search(str(error)):
        return 400, "A text here may not hold a NUL character."
    if isinstance(error, OSError) and error.errno in DISK:
        return 507, DISK[error.errno]
    if isinstance(error, DatabaseError):
        return next((told for words, told in DATABASE.items() if words in str(error)), None)
    return None


def not_found(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    """For addresses under /api/ that do not exist."""
    return _plain(404, "There is no such address.")


def server_error(request: HttpRequest) -> JsonResponse:
    """For errors outside the API views."""
    known = known_trouble(sys.exc_info()[1])
    return _plain(*known) if known else _plain(500, "Something went wrong here; the server's log has the details.")


def _plain(status: int, detail: str) -> JsonResponse:
    body = {"type": "about:blank", "title": _title(status), "status": status, "detail": detail, "fields": {}}
    return JsonResponse(body, status=status, content_type=CONTENT_TYPE)


def _problem(status: int, title: str, detail: str, fields: dict[str, list[str]]) -> Response:
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, "fields": fields}
    return Response(body, status=status, content_type=CONTENT_TYPE)


def _title(status: int) -> str:
    return TITLES.get(status, "Error")


def _fields(detail: Any, path: str = "") -> dict[str, list[str]]:
    if isinstance(detail, dict):
        found: dict[str, list[str]] = {}
        for key, value in detail.items():
            found |= _fields(value, f"{path}.{key}" if path else str(key))
        return found
    texts = [str(item) for item in detail] if isinstance(detail, list) else [str(detail)]
    return {path or "form": texts}
