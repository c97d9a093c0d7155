"""Writes down what a render gave: its picture and those it wrote on the way, stored, checked, and said in one go."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.utils import timezone
from matchedpair.measures import FileCheck, check_file, stops
from matchedpair.measures.file_checks import identical, pixel_hash

from server.catalogue.engines import has_twins
from server.runs.habits import forget
from server.runs.models import Run, RunState
from server.store.files import keep, keep_file, path_of
from server.store.notices import RUNS, ring_after_commit
from server.store.pixels import PICTURE
from server.store.tiles import cut_up
from server.studies.models import AS_CONTROL, Option

SETTING_DID_NOTHING = ", although the settings differ; the setting had no effect, is something else switched off"
SEED_DID_NOTHING = ", although the seeds differ; check that the engine uses its seed"
KNOWN = (
    "wall_seconds", "ready_seconds", "cpu_seconds", "cpu_ready_seconds", "peak_memory_bytes", "structures_bytes",
    "load_before", "exit_code", "machine", "engine_version", "command", "log", "state", "reason", "reached",
    "frames_per_second",
)  # fmt: skip
ALIKE = (
    "ready_seconds", "cpu_ready_seconds", "peak_memory_bytes", "structures_bytes", "load_before", "exit_code",
    "machine", "engine_version", "command",
)  # fmt: skip


def record_result(run_id: int, result: dict[str, Any]) -> None:
    """Keep the pictures, check them, and write the outcome of the run and of those that came with it, all or nothing.

    The pictures are safe in the store before the rows say so; killed in between, the run is made again and the pictures
    stored under the same hashes.

    Raises
    ------
    OSError
        When a picture cannot be stored, as on a full disk; nothing is written then.
    """
    run = Run.objects.select_related("study", "option__setup").get(pk=run_id)
    fields = {key: result[key] for key in KNOWN}
    fields["machine_name"] = _machine_name(result)
    if result["picture"] is not None:
        picture, size = _kept(result["picture"])
        passes = {name: _kept(handed) for name, handed in result["passes"].items()}
        fields |= {
            "picture": picture, "passes": {name: digest for name, (digest, _) in passes.items()},
            "picture_bytes": size + sum(each for _, each in passes.values()),
        }  # fmt: skip
    brought = [] if run.warm_up else _brought(run, result)
    # decoding takes long, so that nobody else's write may wait for it
    looked_at = [_looked_at(run, fields), *(_looked_at(run, row) for _, row in brought)]
    with transaction.atomic():
        if looked_at[0] is not None:
            fields |= _judged(run, fields, looked_at[0])
        written = Run.objects.filter(pk=run_id, state=RunState.RUNNING).update(
            **fields, share_done=None, elapsed_seconds=None, stop_asked=False, ended_at=timezone.now()
        )
        forget()
        if written and fields["state"] == RunState.FINISHED:
            for (option, row), seen in zip(brought, looked_at[1:], strict=True):
                _write_brought(run, option, row, seen)
        ring_after_commit(RUNS)


def cut_up_pictures(run_id: int) -> None:
    """Make the viewer's tiles of what a run gave, between renders, so that the first look at it does not wait."""
    for run in Run.objects.filter(Q(pk=run_id) | Q(made_by=run_id), warm_up=False).exclude(picture=""):
        cut_up(run.picture)


def _brought(run: Run, result: dict[str, Any]) -> list[tuple[Option, dict[str, Any]]]:
    """The pictures on the way and the further frames that belong to an option, stored, each with the row it becomes."""
    frames, levels = run.option.brought()
    rows = []
    for made in result.get("on_the_way", []):
        rows.append((levels.get(made["level"]), made | {"reached": made["level"]}, {}))
    # getting ready was done once, for the first of them
    at_once = {key: None if result[key] is None else 0.0 for key in ("ready_seconds", "cpu_ready_seconds")}
    for made in result.get("frames", []):
        rows.append((frames.get(made["frame"]), made, at_once))
    return [(option, _row_of(run, result, made) | other) for option, made, other in rows if option is not None]


def _row_of(run: Run, result: dict[str, Any], made: dict[str, Any]) -> dict[str, Any]:
    """A picture that another run brought, stored, as the fields of its own."""
    digest, size = _kept(made["picture"])
    passes = {name: _kept(handed) for name, handed in made.get("passes", {}).items()}
    return {key: result[key] for key in ALIKE} | {
        "state": RunState.FINISHED, "wall_seconds": made["wall_seconds"], "cpu_seconds": made["cpu_seconds"],
        "reached": made["reached"], "picture": digest, "passes": {name: digest for name, (digest, _) in passes.items()},
        "picture_bytes": size + sum(each for _, each in passes.values()), "attempt": run.attempt,
        "started_at": run.started_at, "machine_name": _machine_name(result),
        "log": f"Rendered by run {run.pk}; its log is there.",
    }  # fmt: skip


def _kept(handed: Path | bytes) -> tuple[str, int]:
    """Hash and size of a picture that was handed over as a file or as its contents, now in the store."""
    if isinstance(handed, Path):
        return keep_file(handed, PICTURE), handed.stat().st_size
    return keep(handed, PICTURE), len(handed)


def _write_brought(run: Run, option: Option, fields: dict[str, Any], seen: _LookedAt | None) -> None:
    place = {"study": run.study, "position": run.position, "made_by": run}
    row, _ = Run.objects.get_or_create(
        option=option, seed=run.seed, warm_up=False, for_machine="", defaults={**place, "state": RunState.STOPPED}
    )
    if seen is not None:
        fields = fields | _judged(row, fields, seen)
    Run.objects.filter(pk=row.pk).update(**fields, **place, ended_at=timezone.now())


@dataclass(frozen=True)
class _LookedAt:
    """What a stored picture shows by itself: its pixels' hash, empty where it cannot be read, and what was found."""

    pixels: str
    found: list[FileCheck]


def _looked_at(run: Run, fields: dict[str, Any]) -> _LookedAt | None:
    """Decode and check the picture that these fields name; None where they name none."""
    if not fields.get("picture"):
        return None
    picture, found = check_file(path_of(fields["picture"], PICTURE), run.option.setup.description().picture_size)
    return _LookedAt("" if picture is None else pixel_hash(picture), found)


def _judged(run: Run, fields: dict[str, Any], seen: _LookedAt) -> dict[str, Any]:
    """The checks on the stored picture; a finding that stops all measuring makes the run a failed one.

    A picture that can be read is kept all the same, for looking at what went wrong.
    """
    found = list(seen.found)
    judged: dict[str, Any] = {}
    if seen.pixels:
        judged["pixel_hash"] = seen.pixels
        if not stops(found) and not run.warm_up:
            found += _identical_to_others(run, seen.pixels)
    judged["checks"] = [check.row() for check in found]
    worst = next((check for check in judged["checks"] if check["severity"] == "stop"), None)
    if worst and fields["state"] == RunState.FINISHED:
        judged |= {"state": RunState.FAILED, "reason": worst["message"]}
    if worst and worst["code"] == "unreadable":
        judged |= {"picture": "", "picture_bytes": None, "checks": []}
    return judged


def _identical_to_others(run: Run, pixels: str) -> list[FileCheck]:
    """Bit-equal pictures of other settings at the same seed, or of other seeds."""
    others = Run.objects.filter(study=run.study, state=RunState.FINISHED, pixel_hash=pixels, warm_up=False)
    if not has_twins(run.option.engine):
        others = others.exclude(option=run.option)
    found = []
    for other in others.exclude(pk=run.pk).select_related("option"):
        same_option = other.option_id == run.option_id
        if same_option or other.seed == run.seed:
            although = SEED_DID_NOTHING if same_option else SETTING_DID_NOTHING
            found.append(identical(f"{_named(other)} seed {other.seed}", although))
    return found


def _machine_name(result: dict[str, Any]) -> str:
    return str((result["machine"] or {}).get("name", ""))[:200]


def _named(run: Run) -> str:
    option = run.option
    return option.side if not option.title or option.title == AS_CONTROL else f"{option.side} {option.title}"
