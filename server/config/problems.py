"""All API errors as problem-JSON (RFC 9457): what happened, why, and which field."""

from __future__ import annotations

import logging
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, JsonResponse
from matchedpair.errors import MatchedPairError, SettingsError
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.views import exception_handler, set_rollback

CONTENT_TYPE = "application/problem+json"
log = logging.getLogger("server.problems")


def problem_response(error: Exception, context: dict[str, Any]) -> Response:
    """DRF's hook: every exception in an API view becomes a problem; an unforeseen one is logged and says little."""
    if isinstance(error, MatchedPairError):
        set_rollback()
        fields = error.problems if isinstance(error, SettingsError) else {}
        return _problem(400, "Cannot be done", str(error), {name: [text] for name, text in fields.items()})
    if isinstance(error, Http404):
        error = exceptions.NotFound()
    if isinstance(error, PermissionDenied):
        error = exceptions.PermissionDenied()
    response = exception_handler(error, context)
    if response is None:
        set_rollback()
        log.exception("unforeseen error in %s", context.get("view"), exc_info=error)
        return _problem(500, "Unforeseen error", "Something went wrong here; the server's log has the details.", {})
    fields = _fields(error.detail) if isinstance(error, exceptions.ValidationError) else {}
    detail = "Some fields do not fit." if fields else str(getattr(error, "detail", error))
    return _problem(response.status_code, _title(response.status_code), detail, fields)


def not_found(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    """For addresses under /api/ that do not exist."""
    return _plain(404, "There is no such address.")


def server_error(request: HttpRequest) -> JsonResponse:
    """For errors outside the API views."""
    return _plain(500, "Something went wrong here; the server's log has the details.")


def _plain(status: int, detail: str) -> JsonResponse:
    body = {"type": "about:blank", "title": _title(status), "status": status, "detail": detail, "fields": {}}
    return JsonResponse(body, status=status, content_type=CONTENT_TYPE)


def _problem(status: int, title: str, detail: str, fields: dict[str, list[str]]) -> Response:
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, "fields": fields}
    return Response(body, status=status, content_type=CONTENT_TYPE)


def _title(status: int) -> str:
    known = {400: "Cannot be done", 401: "Sign in first", 403: "Not allowed", 404: "Not found", 405: "Not allowed here"}
    return known.get(status, "Error")


def _fields(detail: Any, path: str = "") -> dict[str, list[str]]:
    if isinstance(detail, dict):
        found: dict[str, list[str]] = {}
        for key, value in detail.items():
            found |= _fields(value, f"{path}.{key}" if path else str(key))
        return found
    texts = [str(item) for item in detail] if isinstance(detail, list) else [str(detail)]
    return {path or "form": texts}
