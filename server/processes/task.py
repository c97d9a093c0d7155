"""What a worker does: one render from a plain description to plain results, without Django and database."""

from __future__ import annotations

import shutil
import tempfile
import threading
from collections.abc import Callable
from dataclasses import asdict, replace
from itertools import count
from pathlib import Path
from typing import Any

from matchedpair.engines import (
    EngineDefinition,
    OwnFiles,
    RenderJob,
    describe_machine,
    engine_version,
    find_program,
    lay_out,
    placed,
    render,
)
from matchedpair.engines.process import Progress
from matchedpair.errors import MatchedPairError

MOST_LIVE_BYTES = 32_000_000
Report = Callable[[Progress, float | None, bytes | None], None]
_versions: dict[tuple[str, str, tuple[int, ...]], str] = {}
_to_stop: set[str] = set()
_lock = threading.Lock()


def ask_stop(key: str) -> None:
    """Have the render of this key end; called on the worker while the render goes on."""
    with _lock:
        _to_stop.add(key)


def render_task(definition: EngineDefinition, description: dict[str, Any], report: Report) -> dict[str, Any]:
    """Render once.

    Parameters
    ----------
    description : dict
        ``key``, ``scene`` (contents of the file), ``textures`` (by path, where it is kept or its contents), ``view``,
        ``frame``, ``width``, ``height``, ``seed``, ``threads``, ``settings``, ``time_limit_seconds``, ``build``,
        ``variant``, ``crop``, ``quantities``, ``brightness``, ``passes``, ``depth``, ``on_the_way``, ``frames``,
        ``scene_name``, ``own_files`` (what `OwnFiles` takes, for a scene in the engine's own format, else None),
        ``of_scene``, ``work`` (folder to work in, or None for the system's own), ``hand_over`` (a folder that the
        caller reads too, or None).
    report : callable
        Called several times a second while the engine runs, with the quality knob and the bytes of a picture on the
        way when there is a new one.

    Returns
    -------
    dict
        The outcome's fields, ``picture``, each of ``passes``, of ``on_the_way`` and of ``frames`` as a file in
        ``hand_over``, else as the file's bytes, or None; ``machine`` and ``engine_version``.
    """
    key = description["key"]
    folder = Path(tempfile.mkdtemp(prefix="render-", dir=description["work"]))
    try:
        version = _version(definition, description["build"])
        textures = {
            file: stored if isinstance(stored, bytes) else Path(stored)
            for file, stored in description["textures"].items()
        }
        own = description.get("own_files")
        if own is None:
            scene = lay_out(folder, description["scene_name"], description["scene"], textures)
        else:
            scene = placed(folder, OwnFiles(**own))
        made = folder / "made"
        made.mkdir()
        places = (
            "view", "frame", "width", "height", "seed", "threads", "settings", "time_limit_seconds", "build", "variant",
            "crop", "quantities", "brightness", "passes", "depth", "on_the_way", "frames",
        )  # fmt: skip
        given_with = {name: description[name] for name in places}
        job = RenderJob(scene=scene, **given_with, of_scene=description.get("of_scene", {}))
        outcome = render(definition, job, made, on_progress=_with_pictures(report), should_stop=lambda: key in _to_stop)
        given = _handed_over(description.get("hand_over"))
        result = asdict(outcome)
        result["on_the_way"] = [
            {"level": row.level, "wall_seconds": row.wall_seconds, "cpu_seconds": row.cpu_seconds,
             "picture": given(row.path)}
            for row in outcome.on_the_way
        ]  # fmt: skip
        result["frames"] = [
            {"frame": row.frame, "wall_seconds": row.wall_seconds, "cpu_seconds": row.cpu_seconds,
             "reached": row.reached, "picture": given(row.path),
             "passes": {name: given(path) for name, path in row.passes.items()}}
            for row in outcome.frames
        ]  # fmt: skip
        result["picture"] = given(outcome.picture) if outcome.picture else None
        result["passes"] = {name: given(path) for name, path in outcome.passes.items()}
        # where this machine keeps its programs and its work is nobody's business in a shared bundle
        program, *words = outcome.command
        result["command"] = [Path(program).name, *(word.replace(str(folder), "…") for word in words)]
    except (MatchedPairError, OSError) as error:
        result = _not_started(str(error))
        version = ""
    finally:
        with _lock:
            _to_stop.discard(key)
        shutil.rmtree(folder, ignore_errors=True)
    return result | {"machine": asdict(describe_machine()), "engine_version": version}


def _handed_over(folder: str | None) -> Callable[[Path], Path | bytes]:
    """How a picture goes to the caller. A ladder of large ones is too much for a machine's memory, and once is enough
    for it to be written.
    """
    if folder is None:
        return lambda path: path.read_bytes()
    place = Path(tempfile.mkdtemp(prefix="made-", dir=folder))
    numbers = count()  # the layers of every frame are called alike
    return lambda path: Path(shutil.move(path, place / f"{next(numbers)}-{path.name}"))


def _version(definition: EngineDefinition, build: str) -> str:
    """Asked once for each state of the program and the scripts it is given: asking takes as long as starting it."""
    program = find_program(definition.build(build).program, definition)
    files = [program, *(word for word in definition.version if Path(word).is_file())]
    key = (program, build, tuple(Path(file).stat().st_mtime_ns for file in files))
    if key not in _versions:
        _versions[key] = engine_version(definition, build)
    return _versions[key]


def _with_pictures(report: Report) -> Callable[[Progress], None]:
    """Sends a picture on the way along once; a very large one is left to be seen at the end."""
    sent: list[float] = []

    def on_progress(progress: Progress) -> None:
        latest, plain = progress.latest, replace(progress, latest=None)
        if latest is None or latest.level in sent:
            report(plain, None, None)
            return
        sent.append(latest.level)
        small = latest.path.stat().st_size <= MOST_LIVE_BYTES
        report(plain, latest.level if small else None, latest.path.read_bytes() if small else None)

    return on_progress


def _not_started(reason: str) -> dict[str, Any]:
    unknown = (
        "wall_seconds",
        "ready_seconds",
        "cpu_seconds",
        "cpu_ready_seconds",
        "peak_memory_bytes",
        "exit_code",
        "structures_bytes",
        "reached",
        "frames_per_second",
    )
    return {
        "state": "failed", "reason": reason, "command": [], "picture": None, "passes": {}, "log": "", "on_the_way": [],
        "frames": [], "load_before": None, **dict.fromkeys(unknown),
    }  # fmt: skip
