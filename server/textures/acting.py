"""Acts on the maps of a place: ask for their use, write and delete copies, render before and after."""

from __future__ import annotations

import tempfile
from concurrent.futures import ThreadPoolExecutor
from functools import reduce
from pathlib import Path
from typing import Any

from django.db import transaction
from matchedpair.engines import AS_IS, EngineDefinition, RenderJob, ask_texture_use, lay_out
from matchedpair.errors import InputError
from matchedpair.scenes import Scene, Setup, require_fits
from matchedpair.textures import MapUse, Writing, delete_copies, discard, write_some

from server.catalogue.engines import engine_named, missing_reason
from server.catalogue.scenes import keep_revision, texture_files
from server.runs.actions import queue_study
from server.studies.forms import study_from
from server.studies.models import Study
from server.textures.models import AskedUse
from server.textures.places import Place
from server.textures.planning import plan_of

WHOLE_PLAN_SECONDS = 120.0
MOST_FRAMES = 3
LIMIT_SECONDS = 3600
ASKED_AT_ONCE = 2
WRITING_SECONDS = 2.0


def ask_use(place: Place, engine_name: str, width: int, height: int) -> AskedUse:
    """Ask an engine how large all views of a scene show its maps, at the first, a middle and the last frame.

    Raises `InputError`, `SettingsError` or `EngineMissingError`.
    """
    scene = _scene(place)
    engine = engine_named(engine_name)
    missing = missing_reason(engine)
    if missing:
        raise InputError(missing)
    frames = sorted({scene.first_frame, (scene.first_frame + scene.last_frame) // 2, scene.last_frame})[:MOST_FRAMES]
    if engine.cannot("frame"):
        frames = [scene.first_frame]
    with tempfile.TemporaryDirectory(prefix="texture-use-", ignore_cleanup_errors=True) as folder:
        laid = lay_out(Path(folder), scene.name, scene.contents, texture_files(keep_revision(scene), AS_IS))
        with ThreadPoolExecutor(ASKED_AT_ONCE) as pool:
            answers = pool.map(
                lambda shot: _asked(engine, scene, laid, *shot, (width, height)),
                [(view.name, frame) for view in scene.views for frame in frames],
            )
            found = reduce(_joined, answers)
    row, _ = AskedUse.objects.update_or_create(place=place.key, defaults={
        "revision": scene.revision, "engine": engine.name, "engine_title": engine.title, "width": width,
        "height": height, "views": [view.title for view in scene.views], "frames": frames,
        "rows": {name: [use.shown_percent, use.pixels_across] for name, use in found.items()},
    })  # fmt: skip
    return row


def _joined(some: dict[str, MapUse], others: dict[str, MapUse]) -> dict[str, MapUse]:
    return some | {name: use.joined(some[name]) if name in some else use for name, use in others.items()}


def _asked(
    engine: EngineDefinition, scene: Scene, laid: Path, view: str, frame: int, size: tuple[int, int]
) -> dict[str, MapUse]:
    require_fits(Setup(scene.title, scene.revision, view, *size, frame=frame), scene)
    with tempfile.TemporaryDirectory(dir=laid.parent) as made:
        job = RenderJob(laid, view, frame, *size, 1, 1, engine.defaults(), LIMIT_SECONDS)
        return ask_texture_use(engine, job, Path(made))


def write_reduced(place: Place) -> Writing:
    """Write copies that the plan asks for now, for a few seconds; the next call goes on from there.

    Raises `InputError` or `PictureError`.
    """
    found = plan_of(place, WHOLE_PLAN_SECONDS)
    if found.unread:
        raise InputError(f"{found.unread} maps are not read yet; wait until all are")
    return write_some(place.base, found.plan, WRITING_SECONDS)


def discard_unfinished(place: Place) -> None:
    """Delete what a writing that was stopped has written so far."""
    discard(place.base, plan_of(place).plan)


def delete_reduced(place: Place, name: str) -> None:
    """Delete one folder of copies; renders that used them keep what they used. Raises `InputError`."""
    delete_copies(place.base, name)


@transaction.atomic
def render_before_and_after(place: Place, copies: str, values: dict[str, Any]) -> Study:
    """A study of the scene as it is against the scene with reduced copies, queued: a pair alike in all but the maps.

    Raises `InputError`.
    """
    scene = _scene(place)
    if copies not in [variant.name for variant in scene.variants]:
        raise InputError(f"the copies {copies!r} are not here, or were made of other originals")
    study = study_from({
        **values, "scene": scene.name, "variant": AS_IS, "kind": "on-off",
        "question": f"What do the reduced maps of {scene.title} change?",
        "factors": [{"subject": "light", "levels": [{"value": copies}]}],
    })  # fmt: skip
    queue_study(study)
    return study


def _scene(place: Place) -> Scene:
    if place.scene is None:
        raise InputError("these maps belong to no scene that could be rendered")
    return place.scene
