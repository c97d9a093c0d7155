"""``matchedpair send``: renders from a farm's script to a server, as they are made."""

from __future__ import annotations

import argparse
import json
import os
import time
import uuid
from pathlib import Path
from typing import Any
from urllib.error import HTTPError, URLError
from urllib.parse import urlsplit
from urllib.request import Request, urlopen

from matchedpair.elsewhere import FIELDS
from matchedpair.errors import InputError

ASK_SECONDS = 120.0
RESTS_SECONDS, MOST_WAIT_SECONDS = 1.0, 600.0
ENVIRONMENT = "MATCHEDPAIR_TOKEN"


def add_send(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    command = commands.add_parser("send", help=words)
    command.add_argument("files", type=Path, nargs="+", metavar="FILE")
    command.add_argument("--to", required=True, metavar="URL", help="such as http://127.0.0.1:8321")
    command.add_argument(
        "--token", default=os.environ.get(ENVIRONMENT, ""), help=f"by default what {ENVIRONMENT} holds"
    )
    command.add_argument(
        "--set", dest="title", required=True, metavar="TITLE", help="made when there is none so called"
    )
    command.add_argument("--pattern", default="", help="how the names are made, for a new set")
    command.add_argument("--value", action="append", default=[], metavar="NAME=VALUE", help="what is known of them all")
    command.add_argument("--wait", action="store_true", help="until each file has stopped growing")
    command.add_argument("--json", action="store_true")
    command.set_defaults(run=_send)


def _send(parsed: argparse.Namespace) -> str:
    server = _Server(parsed.to, parsed.token)
    values = _values(parsed.value)
    missing = [path.name for path in parsed.files if not path.is_file() and not parsed.wait]
    if missing:
        raise InputError(f"{missing[0]}: no such file")
    number = server.set_called(parsed.title, parsed.pattern)
    rows = []
    for path in parsed.files:
        if parsed.wait:
            _wait_until_it_rests(path)
        rows.append(server.send(number, path))
    good = [row["id"] for row in rows if not row["problem"]]
    if values and good:
        fields = {name: value for name, value in values.items() if name in FIELDS}
        settings = {name: value for name, value in values.items() if name not in FIELDS}
        server.ask("POST", "/api/imports/fill-in/", {"renders": good, "values": fields, "settings": settings})
    if parsed.json:
        report = json.dumps({"set": number, "renders": rows}, indent=1, ensure_ascii=False)
    else:
        lines = [f"{row['name']}: {row['problem'] or 'imported'}" for row in rows]
        report = "\n".join([*lines, f"{len(good)} of {len(rows)} are in {parsed.title}."])
    if len(good) < len(rows):
        bad = next(row for row in rows if row["problem"])
        raise InputError(
            f"{len(rows) - len(good)} of {len(rows)} could not be imported: {bad['name']}: {bad['problem']}"
        )
    return report


class _Server:
    """The API of a server, with a token."""

    def __init__(self, base: str, token: str) -> None:
        if urlsplit(base).scheme not in ("http", "https"):
            raise InputError(f"--to: expected an address that begins with http, got {base!r}")
        if not token:
            raise InputError(f"a token is needed: --token, or {ENVIRONMENT}; manage.py script_token tells it")
        self._base, self._token = base.rstrip("/"), token

    def set_called(self, title: str, pattern: str) -> int:
        """The number of the set of this title, made when there is none."""
        for row in self.ask("GET", "/api/imports/"):
            if row["title"] == title:
                return int(row["id"])
        made = self.ask("POST", "/api/imports/", {"title": title, "source": "browser", "pattern": pattern})
        return int(made["id"])

    def send(self, number: int, path: Path) -> dict[str, Any]:
        """Send one file; its row."""
        mark = uuid.uuid4().hex
        name = path.name.replace('"', "_")
        try:
            contents = path.read_bytes()
        except OSError as error:
            raise InputError(f"{path.name}: cannot be read: {error.strerror}") from error
        body = b"".join([
            f'--{mark}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n'.encode(),
            b"Content-Type: application/octet-stream\r\n\r\n", contents, f"\r\n--{mark}--\r\n".encode(),
        ])  # fmt: skip
        kind = f"multipart/form-data; boundary={mark}"
        return dict(self._asked(Request(self._base + f"/api/imports/{number}/files/", body, method="POST"), kind))

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """The answer to a call. Raises `InputError` with what the server says."""
        data = None if body is None else json.dumps(body).encode()
        return self._asked(Request(self._base + path, data, method=method), "application/json")

    def _asked(self, request: Request, kind: str) -> Any:
        request.add_header("Authorization", f"Bearer {self._token}")
        if request.data is not None:
            request.add_header("Content-Type", kind)
        try:
            with urlopen(request, timeout=ASK_SECONDS) as answer:
                return json.loads(answer.read() or b"null")
        except HTTPError as error:
            raise InputError(f"the server refuses: {_detail(error)}") from error
        except (URLError, OSError, ValueError) as error:
            raise InputError(
                f"the server at {self._base} cannot be asked: {getattr(error, 'reason', error)}"
            ) from error


def _detail(error: HTTPError) -> str:
    try:
        return str(json.loads(error.read())["detail"])
    except (ValueError, KeyError, TypeError, OSError):
        return f"status {error.code}"


def _values(texts: list[str]) -> dict[str, str]:
    values = {}
    for text in texts:
        name, mark, value = text.partition("=")
        if not mark or not name.strip():
            raise InputError(f"--value: expected NAME=VALUE, got {text!r}")
        values[name.strip()] = value.strip()
    return values


def _wait_until_it_rests(path: Path) -> None:
    """Until a file is there and has not grown for a while. Raises `InputError` when that does not come."""
    until = time.monotonic() + MOST_WAIT_SECONDS
    size, since = -1, time.monotonic()
    while time.monotonic() < until:
        now = path.stat().st_size if path.is_file() else -1
        if now != size:
            size, since = now, time.monotonic()
        elif size > 0 and time.monotonic() - since >= RESTS_SECONDS:
            return
        time.sleep(0.1)
    raise InputError(f"{path.name}: has not come to rest in {MOST_WAIT_SECONDS:g} s")
