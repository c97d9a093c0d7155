"""What every answer carries, files of the interface too, and from whom requests are taken at all."""

from __future__ import annotations

import re
from collections.abc import Callable

from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse

# pictures are drawn from blobs and data; styles of charts and panes are set on their elements
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self' data:; connect-src 'self'; worker-src 'self' blob:; object-src 'none'; base-uri 'none'; "
    "form-action 'self'; frame-ancestors 'none'"
)
HASHED = re.compile(r"/assets/.+-[A-Za-z0-9_-]{8}\.\w+")


class Headers:
    """Outside of all else, so that nothing is answered without it."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self._answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        try:
            request.get_host()
        except DisallowedHost:
            response = HttpResponse("This host name is not served here.", status=400, content_type="text/plain")
        else:
            response = self._answer(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Frame-Options", "DENY")
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "same-origin")
        return response


def never_changes(path: str, url: str) -> bool:
    """Whether a file of the interface has its contents' hash in its name, so that it is kept for ever."""
    return HASHED.fullmatch(url) is not None
