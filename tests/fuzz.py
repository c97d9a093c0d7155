"""Odd requests to every operation of the schema: ``python -m tests.fuzz [REQUESTS]``, `make fuzz`.

A server of its own, with a small home of a study and all that hangs on it, is asked what the schema allows and what it
forbids, made up from the schema itself. Found is every answer with 500, every answer that the schema does not know, and
every one that ended the server. Exits with 1 when there is any.
"""

from __future__ import annotations

import os
import random
import shutil
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.checks import CHECKS, load_all_checks
from schemathesis.core.failures import FailureGroup

from tests.engines import add_engine
from tests.warm import run_python

ROOT = Path(__file__).parents[1]
HOME = ROOT / "tests" / "data" / "home-1"
USUAL = 5000
WAIT_SECONDS = 60
HELD = ("not_a_server_error", "content_type_conformance", "response_schema_conformance")
ENDLESS = "/api/events/"


def main(words: list[str]) -> int:
    """Ask; returns the exit code."""
    wanted = int(words[0]) if words else USUAL
    load_all_checks()
    with serving() as (address, _):
        found, statuses = _asked(address, wanted)
    print(
        f"{sum(statuses.values())} requests: "
        + ", ".join(f"{many} × {code}" for code, many in sorted(statuses.items()))
    )
    for text, many in found.most_common():
        print(f"{many} × {text}")
    print(f"Found: {len(found)}." if found else "Nothing found.")
    return 1 if found or not statuses else 0


@contextmanager
def serving() -> Iterator[tuple[str, Path]]:
    """A server with a home of its own; its address and that home."""
    with tempfile.TemporaryDirectory(prefix="matchedpair-fuzz-") as folder:
        home = Path(folder)
        shutil.copytree(HOME / "store", home / "store")
        for kind in ("engines", "imports", "textures"):
            (home / kind).mkdir()
        add_engine(home / "engines", "good")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        environment = environment_of(home)
        _brought_up(home / "db.sqlite3", environment)
        command = next(
            line.split(": ", 1)[1] for line in (ROOT / "Procfile").read_text().splitlines() if line.startswith("server")
        )
        words = command.replace("${MATCHEDPAIR_PORT}", str(port)).split()
        with (home / "server.log").open("w") as log:
            server = subprocess.Popen([sys.executable, "-m", *words], cwd=ROOT, env=environment, stdout=log, stderr=log)
        try:
            address = f"http://127.0.0.1:{port}"
            _wait_for(f"{address}/api/session/")
            yield address, home
        finally:
            server.terminate()
            server.wait()
            tell = [line for line in (home / "server.log").read_text().splitlines() if "unforeseen" in line]
            print("\n".join(tell[:40]))


def _brought_up(database: Path, environment: dict[str, str]) -> None:
    """The older home's database at this version; kept beside the one that `python -m tests` makes, where there is one,
    since migrating takes long and several suites serve this home.
    """
    made = os.environ.get("MATCHEDPAIR_TEST_DATABASE")
    kept = Path(made).with_name("older-home.sqlite3") if made else None
    if kept is not None and kept.is_file():
        shutil.copyfile(kept, database)
        return
    with closing(sqlite3.connect(database)) as older:
        older.executescript((HOME / "database.sql").read_text(encoding="utf-8"))
    run_python(["manage.py", "prepare"], environment).check_returncode()
    if kept is not None:
        with (
            tempfile.NamedTemporaryFile(dir=kept.parent, delete=False) as part,
            closing(sqlite3.connect(database)) as brought,
            closing(sqlite3.connect(part.name)) as copy,
        ):
            brought.backup(copy)
        Path(part.name).replace(kept)  # whole or not at all, whichever suite comes first


def environment_of(home: Path) -> dict[str, str]:
    """What a process of this home needs to know."""
    return os.environ | {
        "DJANGO_SETTINGS_MODULE": "server.config.settings", "MATCHEDPAIR_HOME": str(home),
        "MATCHEDPAIR_ENGINES": str(home / "engines"),
        "MATCHEDPAIR_IMPORTS": str(home / "imports"), "MATCHEDPAIR_TEXTURES": str(home / "textures"),
    }  # fmt: skip


def _wait_for(url: str) -> None:
    until = time.monotonic() + WAIT_SECONDS
    while True:
        try:
            requests.get(url, timeout=WAIT_SECONDS).raise_for_status()
        except requests.RequestException:
            if time.monotonic() > until:
                raise
            time.sleep(0.2)
        else:
            return


def _asked(address: str, wanted: int) -> tuple[Counter[str], Counter[int]]:
    """What was found, and how often each status came."""
    session = requests.Session()
    session.get(f"{address}/api/session/", timeout=WAIT_SECONDS)
    session.headers["X-CSRFToken"] = session.cookies.get("csrftoken", "")
    schema = schemathesis.openapi.from_path(ROOT / "server" / "openapi.json")
    operations = [operation for result in schema.get_all_operations() if (operation := result.ok()).path != ENDLESS]
    each = max(wanted // (2 * len(operations)), 1)
    found: Counter[str] = Counter()
    statuses: Counter[int] = Counter()
    dice = random.Random(1)
    for number, operation in enumerate(operations):
        for mode in (schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE):

            @seed(number)
            @settings(max_examples=each, deadline=None, database=None, phases=[Phase.generate],
                      suppress_health_check=list(HealthCheck))  # fmt: skip
            @given(case=operation.as_strategy(generation_mode=mode))
            def ask(case: Any) -> None:
                for name, value in (case.path_parameters or {}).items():
                    if isinstance(value, int) and dice.random() < 0.7:
                        case.path_parameters[name] = dice.randint(1, 4)  # what there is
                _ask(case, address, session, found, statuses)

            try:
                ask()
            except Exception as error:
                if type(error).__name__ != "Unsatisfiable":  # nothing can be wrong with what takes nothing
                    raise
    return found, statuses


def _ask(case: Any, address: str, session: requests.Session, found: Counter[str], statuses: Counter[int]) -> None:
    where = f"{case.method} {case.operation.path}"
    try:
        answer = case.call(base_url=address, session=session, timeout=WAIT_SECONDS)
    except requests.RequestException as error:
        found[f"{where}: {type(error).__name__}"] += 1
        return
    statuses[answer.status_code] += 1
    checks = [check for check in CHECKS.get_all() if check.__name__ in HELD]
    try:
        case.validate_response(answer, checks=checks)
    except FailureGroup as group:
        reasons = " ".join(str(group.exceptions[0]).split())
        found[f"{where}: {answer.status_code}: {reasons[:300]}"] += 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
