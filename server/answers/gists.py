"""What the list of studies tells of each: the answer in short, kept from one start of the server to the next.

To gather what a study says takes a tenth of a second; two hundred would be waited for at each start.
"""

from __future__ import annotations

import hashlib
import json
import math
import sqlite3
import time
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection

from server.answers.studies import AnsweredStudy, answered_studies, stamps_of
from server.store.kept_answers import folders_stamp, was_passing
from server.store.program import program_stamp
from server.studies.models import Study
from server.studies.sheets import rail_row

FILE = "gists.sqlite3"  # below the home; may be deleted at any time
AT_ONCE, TOGETHER = 500, 8
Gist = dict[str, Any]


def gists_of(studies: Sequence[Study], seconds: float = math.inf) -> dict[int, Gist]:
    """By study its sentence, how sure it is, its pair that shows it, its match sheet, what changes with its proof, and
    the next step.

    What is not gathered within `seconds` is left out, the last of them first: ask again. Some always are gathered.
    """
    if connection.in_atomic_block:  # what is read here may never have been
        return {pk: _gist(says) for pk, says in answered_studies(studies).items()}
    said_by = (folders_stamp(), program_stamp())
    rests_on = {
        pk: hashlib.sha256(repr((stamp, said_by)).encode()).hexdigest() for pk, stamp in stamps_of(studies).items()
    }
    found = _read(rests_on)
    lacking = [each for each in studies if each.pk not in found]
    end = time.monotonic() + seconds
    for at in range(0, len(lacking), TOGETHER):
        made = {pk: _gist(says) for pk, says in answered_studies(lacking[at : at + TOGETHER]).items()}
        found |= made
        if not was_passing():
            _write({pk: (rests_on[pk], gist) for pk, gist in made.items()})
        if time.monotonic() > end:
            break
    return found


def _gist(says: AnsweredStudy) -> Gist:
    return {
        "sentence": says.sentence, "sure": says.answer.sure, "pair": _shown(says), "proof": _proof(says),
        "match_rail": rail_row(says.sheet) if says.sheet else None,
        "next": asdict(says.answer.next) if says.answer.next else None,
    }  # fmt: skip


def _proof(says: AnsweredStudy) -> str:
    """Changes with what proves the answer; empty where nothing does yet."""
    if says.answer.shown is None:
        return ""
    seeds = [len(side.runs) for row in says.pairs for side in (row.control, row.trial)]
    return hashlib.sha256(repr((says.answer.shown, says.sentence, seeds)).encode()).hexdigest()[:12]


def _shown(says: AnsweredStudy) -> int:
    """The pair that shows the answer, else the first there is."""
    shown = says.answer.shown.pair if says.answer.shown else 0
    return shown or (says.pairs[0].pair.pk if says.pairs else 0)


def _read(rests_on: dict[int, str]) -> dict[int, Gist]:
    found: dict[int, Gist] = {}
    with suppress(sqlite3.Error, ValueError), _opened() as kept:
        wanted = list(rests_on)
        for at in range(0, len(wanted), AT_ONCE):
            some = wanted[at : at + AT_ONCE]
            rows = kept.execute(
                f"SELECT study, rests_on, gist FROM gists WHERE study IN ({','.join('?' * len(some))})", some
            )
            found |= {pk: json.loads(gist) for pk, stamp, gist in rows if rests_on[pk] == stamp}
    return found


def _write(gists: dict[int, tuple[str, Gist]]) -> None:
    # one that is not kept is made again, no more
    with suppress(sqlite3.Error), _opened() as kept, kept:
        rows = [(pk, stamp, json.dumps(gist)) for pk, (stamp, gist) in gists.items()]
        kept.executemany("INSERT OR REPLACE INTO gists VALUES (?, ?, ?)", rows)


@contextmanager
def _opened() -> Iterator[sqlite3.Connection]:
    with closing(sqlite3.connect(Path(settings.HOME) / FILE, timeout=5.0)) as kept:
        kept.execute("PRAGMA synchronous = OFF")
        kept.execute("CREATE TABLE IF NOT EXISTS gists (study INTEGER PRIMARY KEY, rests_on TEXT, gist TEXT)")
        yield kept
