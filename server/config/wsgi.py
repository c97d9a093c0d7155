"""The server's entry for gunicorn. With a database of another version it says so at every address, and does no more."""

import os
from collections.abc import Callable, Iterable
from typing import Any

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
served = get_wsgi_application()

from matchedpair.scenes.digests import read_large_files_beside  # noqa: E402 - settings are there only now

from server.processes.backup import SERVER_LOCK  # noqa: E402
from server.processes.turns import Held  # noqa: E402
from server.store.database import database_problem  # noqa: E402

problem = database_problem()
serving = Held(SERVER_LOCK)
serving.take()
read_large_files_beside()


def application(environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
    """Answer a request, or say why none can be answered."""
    if not problem:
        return served(environ, start)
    start("503 Service Unavailable", [("Content-Type", "text/plain; charset=utf-8"), ("Cache-Control", "no-store")])
    return [f"Matched Pair cannot start: {problem}.\n".encode()]
