"""Writes reduced copies some at a time, so that people see how far it is and nothing is done twice after an end.

What is written lies in a hidden folder named after the plan until all is; then that folder gets its manifest and its
name at once. So the copies are there whole or not at all.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

from matchedpair.errors import InputError, PictureError
from matchedpair.textures.copies import FORMAT, KIND, MANIFEST, CopiedMap, Copies, read_folder
from matchedpair.textures.maps import REDUCED, file_digest
from matchedpair.textures.plan import MapPlan, TexturePlan
from matchedpair.textures.reducing import reduce_map, write_map

WAY = 2  # another one is given when maps are reduced in another way, so that no half of the old one is gone on with
IN_HAND = ".in-hand-"
FORGOTTEN_SECONDS = 3600.0
SOME_SECONDS = 1.0


@dataclass(frozen=True)
class Writing:
    """How far the copies of a plan are written; `copies` once all are."""

    done: int
    of: int
    copies: Copies | None


def write_copies(base: Path, plan: TexturePlan, told: Callable[[Writing], None] | None = None) -> Copies:
    """Write all copies that a plan asks for; a set that is there already is given back.

    Parameters
    ----------
    told : callable, optional
        Called with each step, with how far it is.

    Raises
    ------
    InputError
        When the plan changes nothing, or the folder cannot be written.
    PictureError
        When an original cannot be read or is another than was planned for.
    """
    while True:
        writing = write_some(base, plan, SOME_SECONDS)
        if told:
            told(writing)
        if writing.copies is not None:
            return writing.copies


def write_some(base: Path, plan: TexturePlan, seconds: float) -> Writing:
    """Write copies for about that long, at least one, and go on from there at the next call; raises as `write_copies`.

    What cannot be written or read takes with it what was written so far.
    """
    end = time.monotonic() + seconds
    if not plan.changed:
        raise InputError("nothing is to be reduced: all maps stay as they are")
    part = _part(base, plan)
    try:
        _forget_others(part)
        part.mkdir(exist_ok=True)
        for row in plan.changed:
            if not (part / row.texture.file).is_file():
                _copy(base, part, row)
                if time.monotonic() > end:
                    break
        writing = so_far(base, plan)
        return writing if writing.done < writing.of else Writing(writing.of, writing.of, _finish(base, part, plan))
    except (OSError, PictureError) as error:
        shutil.rmtree(part, ignore_errors=True)
        if isinstance(error, PictureError):
            raise
        raise InputError(f"the copies cannot be written beside the originals: {error.strerror}") from error


def so_far(base: Path, plan: TexturePlan) -> Writing:
    """How far an earlier writing of this plan came, 0 when there was none."""
    part = _part(base, plan)
    return Writing(sum((part / row.texture.file).is_file() for row in plan.changed), len(plan.changed), None)


def discard(base: Path, plan: TexturePlan) -> None:
    """Delete what an earlier writing of this plan left unfinished."""
    shutil.rmtree(_part(base, plan), ignore_errors=True)


def _part(base: Path, plan: TexturePlan) -> Path:
    told = [row.copy_key for row in plan.changed]
    return base / f".{REDUCED}{hashlib.sha256(json.dumps([WAY, told]).encode()).hexdigest()[:16]}"


def _forget_others(part: Path) -> None:
    """Delete what other plans left unfinished a good while ago."""
    for other in part.parent.glob(f".{REDUCED}*"):
        if other != part and time.time() - other.stat().st_mtime > FORGOTTEN_SECONDS:
            shutil.rmtree(other, ignore_errors=True)


def _copy(base: Path, part: Path, row: MapPlan) -> None:
    texture = row.texture
    if file_digest(base / texture.file, texture.file) != texture.digest:
        raise PictureError(texture.file, "was changed since it was looked at; look again")
    target = part / texture.file
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=IN_HAND, dir=part) as folder:
        made = Path(folder) / target.name
        write_map(made, reduce_map(base / texture.file, row), texture.file, base / texture.file)
        made.replace(target)


def _finish(base: Path, part: Path, plan: TexturePlan) -> Copies:
    rows = [_copied(part, row) for row in plan.changed]
    document = {
        "format": FORMAT, "kind": KIND, "before_bytes": plan.before_bytes, "after_bytes": plan.after_bytes,
        "maps": [asdict(row) for row in rows],
    }  # fmt: skip
    named = base / _name(rows)
    for left in part.glob(f"{IN_HAND}*"):
        shutil.rmtree(left)
    (part / MANIFEST).write_text(json.dumps(document, indent=1), encoding="utf-8")
    if named.exists():
        shutil.rmtree(part)
    else:
        os.replace(part, named)  # noqa: PTH105 - fails where the target is there, as it should
    return read_folder(named)


def _copied(part: Path, row: MapPlan) -> CopiedMap:
    texture, (width, height) = row.texture, row.size
    return CopiedMap(
        texture.file, row.role, row.divisor, texture.digest, texture.width, texture.height, texture.memory_bytes,
        file_digest(part / texture.file, texture.file), width, height, row.channels, row.memory_bytes,
    )  # fmt: skip


def _name(rows: Sequence[CopiedMap]) -> str:
    told = json.dumps([(row.file, row.original_digest, row.digest) for row in rows])
    return REDUCED + hashlib.sha256(told.encode()).hexdigest()[:8]
