"""``matchedpair import``: puts renders made elsewhere into the inbox of an installation.

The command checks every file itself and writes to the inbox whole or not at all; the runner takes it in.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import shutil
import tempfile
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from matchedpair.elsewhere import (
    Facts,
    NamePattern,
    facts_of,
    header_facts,
    merged,
    missing_fields,
    plain_name,
    proposed_pattern,
    read_table,
    row_for,
    take,
)
from matchedpair.elsewhere.intake import ENDINGS, EVERYTHING, INBOX, MANIFEST, NOTICES
from matchedpair.elsewhere.table import rows_without
from matchedpair.errors import InputError, MatchedPairError

MOST_FILES = 10_000


def add_import(commands: Any, words: str) -> None:
    """Add the command, and what it does in words, to the parser's."""
    parser = commands.add_parser("import", help=words)
    parser.add_argument("files", nargs="+", type=Path, metavar="FILE", help="pictures, or folders of them")
    parser.add_argument("--title", default="", help="name of this set of renders")
    parser.add_argument("--table", type=Path, metavar="F", help="CSV or JSON with a row for each file")
    parser.add_argument("--pattern", metavar="P", help="how the names are made, such as {view}_{samples}spp_s{seed}")
    parser.add_argument("--set", action="append", default=[], metavar="NAME=VALUE", help="holds for all files")
    parser.add_argument("--transform", default="", help="what display-encoded values went through, or 'linear'")
    parser.add_argument("--layer", default="", help="which layer of each file is the picture, where none is called so")
    parser.add_argument("--home", type=Path, default=Path(os.environ.get("MATCHEDPAIR_HOME") or "var"))
    parser.add_argument("--dry-run", action="store_true", help="check and tell, but hand nothing over")
    parser.add_argument("--json", action="store_true")
    parser.set_defaults(run=import_renders)


def import_renders(parsed: argparse.Namespace) -> str:
    """Check all files and hand the good ones over; the bad ones are listed with reasons. Raises `InputError`."""
    stated = facts_of(dict(_pair(text) for text in parsed.set), "command")
    pattern = NamePattern(parsed.pattern) if parsed.pattern else None
    rows = read_table(_contents(parsed.table), parsed.table.name) if parsed.table else {}
    files = sorted(set(_pictures(parsed.files)))
    if not files:
        raise InputError(f"there are no pictures; expected files that end in {', '.join(ENDINGS)}")
    if len(files) > MOST_FILES:
        raise InputError(f"there are {len(files)} pictures; the most at once is {MOST_FILES}")
    good: list[dict[str, Any]] = []
    bad: list[dict[str, str]] = []
    with tempfile.TemporaryDirectory() as folder:
        for path in files:
            try:
                facts = _facts(path, pattern, rows, stated)
                taken = take(path, Path(folder) / "linear.exr", parsed.transform, parsed.layer)
                row = {"name": plain_name(path.name), "path": path, "facts": facts, "encoding": taken.encoding}
                good.append(row | {"missing": missing_fields(facts)})
            except (MatchedPairError, OSError) as error:
                bad.append({"name": plain_name(path.name), "reason": str(error)})
    if not good:
        raise InputError(f"none of {len(files)} files can be taken; the first: {bad[0]['name']}: {bad[0]['reason']}")
    times = rows_without(rows, [row["name"] for row in [*good, *bad]])
    handed = "" if parsed.dry_run else str(_hand_over(parsed, good, times))
    proposed = "" if pattern or rows else proposed_pattern([row["name"] for row in good])
    return _told(good, bad, handed, proposed, as_json=parsed.json)


def _facts(path: Path, pattern: NamePattern | None, rows: Mapping[str, Mapping[str, Any]], stated: Facts) -> Facts:
    by_name = (pattern.read(path.name) if pattern else None) or Facts()
    return merged(row_for(rows, path.name), by_name, stated, header_facts(path))


def _hand_over(parsed: argparse.Namespace, good: list[dict[str, Any]], times: Mapping[str, Mapping[str, Any]]) -> Path:
    """Copy into a hidden folder of the inbox and rename it when all is there."""
    inbox = parsed.home / INBOX
    inbox.mkdir(parents=True, exist_ok=True)
    unfinished = Path(tempfile.mkdtemp(prefix=".part-", dir=inbox))
    try:
        files = []
        for index, row in enumerate(good):
            kept = f"{index:05d}{row['path'].suffix.lower()}"
            shutil.copyfile(row["path"], unfinished / kept)
            facts: Facts = row["facts"]
            files.append({
                "name": row["name"], "file": kept, "values": {**facts.fields, "settings": dict(facts.settings)},
            })  # fmt: skip
        title = parsed.title or f"{len(good)} renders from {parsed.files[0].name}"
        manifest = {
            "format": 1, "title": title, "transform": parsed.transform, "layer": parsed.layer, "files": files,
            "times": times,
        }  # fmt: skip
        (unfinished / MANIFEST).write_text(json.dumps(manifest, indent=1), encoding="utf-8")
        finished: Path = inbox / f"{time.strftime('%Y%m%d-%H%M%S')}-{unfinished.name.removeprefix('.part-')}"
        unfinished.rename(finished)
        _tell(parsed.home / NOTICES)
    except BaseException:
        shutil.rmtree(unfinished, ignore_errors=True)
        raise
    return finished


def _told(good: list[dict[str, Any]], bad: list[dict[str, str]], handed: str, proposed: str, *, as_json: bool) -> str:
    if as_json:
        rows = [
            {"name": row["name"], "encoding": row["encoding"], "missing": row["missing"],
             "fields": dict(row["facts"].fields), "settings": dict(row["facts"].settings)}
            for row in good
        ]  # fmt: skip
        return json.dumps({"taken": rows, "bad": bad, "handed_over": bool(handed), "proposed": proposed}, indent=1)
    lines = [f"{len(good)} taken, {len(bad)} not."]
    lines += [f"  {row['name']}: {row['reason']}" for row in bad]
    lacking = sorted({name for row in good for name in row["missing"]})
    if lacking:
        lines.append(f"Not known yet, to be filled in there: {', '.join(lacking)}.")
    lines += [f"  {row['name']}: display-encoded, for looking only; see --transform" for row in good
              if row["encoding"] == "display"]  # fmt: skip
    if proposed:
        lines.append(f"The names look like --pattern '{proposed}'; without a pattern they say nothing.")
    lines.append("They are imported between renders." if handed else "Nothing was handed over.")
    return "\n".join(lines)


def _pictures(paths: list[Path]) -> Iterator[Path]:
    for path in paths:
        if path.is_dir():
            yield from (each for each in path.rglob("*") if each.suffix.lower() in ENDINGS and each.is_file())
        elif path.is_file():
            yield path
        else:
            raise InputError(f"{path}: no such file or folder")


def _pair(text: str) -> tuple[str, str]:
    name, found, value = text.partition("=")
    if not found or not name:
        raise InputError(f"expected NAME=VALUE, got {text!r}")
    return name, value


def _contents(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise InputError(f"{path}: cannot be read: {error.strerror}") from error


def _tell(notices: Path) -> None:
    """A line that whoever takes in waits for; without it the folder is found a little later."""
    with contextlib.suppress(OSError), notices.open("a", encoding="ascii") as file:
        file.write(f"{EVERYTHING}\n")
