"""The scenes in the operator's folder, keeping the revision a study uses, and quick looks at their views."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path

from django.conf import settings
from matchedpair.engines import EngineDefinition, RenderJob, render
from matchedpair.errors import InputError
from matchedpair.trials import Scene, Setup, Stress, read_scenes, read_stresses, require_fits

from server.catalogue.models import Look, SceneRevision
from server.store.files import keep
from server.store.pixels import PICTURE

SCENE = ".scene.json"
LOOK_SIZE = (320, 180)
LOOK_LIMIT_SECONDS = 120


def scenes_now(stresses: Sequence[Stress]) -> tuple[list[Scene], list[str]]:
    """Scenes that can be used now, and what is wrong with the others or is not in the list of stresses."""
    scenes, problems = read_scenes(settings.SCENES)
    known = {stress.name for stress in stresses}
    for scene in scenes:
        unknown = [name for name in scene.stresses if name not in known]
        if unknown:
            problems.append(
                f"{scene.name}: stresses {', '.join(map(repr, unknown))}, which the list does not have; "
                "correct the scene or add it to stresses.toml"
            )
    return scenes, problems


def stresses_now() -> tuple[tuple[Stress, ...], list[str]]:
    """What scenes can stress, the studio's own additions among it."""
    return read_stresses(settings.SCENES)


def scene_named(name: str) -> Scene:
    """Raises `InputError` listing the scenes there are."""
    scenes, _ = read_scenes(settings.SCENES)
    for scene in scenes:
        if scene.name == name:
            return scene
    known = ", ".join(scene.name for scene in scenes) or "none"
    raise InputError(f"there is no scene {name!r}; there are: {known}")


def keep_revision(scene: Scene) -> SceneRevision:
    """Store the scene's contents and give its row; the same revision is kept once."""
    keep(scene.contents, SCENE)
    views = [{"name": view.name, "title": view.title} for view in scene.views]
    row, _ = SceneRevision.objects.get_or_create(
        name=scene.name, revision=scene.revision, defaults={"title": scene.title, "views": views}
    )
    return row


def take_look(scene: Scene, view: str, variant: str, frame: int, engine: EngineDefinition) -> Look:
    """Render a small picture of a view at the engine's preview preset, and keep it.

    Raises
    ------
    InputError, SettingsError, EngineMissingError
        When the view does not fit the scene, or the engine fails.
    """
    width, height = LOOK_SIZE
    require_fits(Setup(scene.title, scene.revision, view, width, height, variant, frame), scene)
    preview = next((preset.values for preset in engine.presets if preset.name == "preview"), {})
    folder = Path(tempfile.mkdtemp(prefix="look-"))
    try:
        (folder / "made").mkdir()
        (folder / f"{scene.name}.json").write_bytes(scene.contents)
        job = RenderJob(
            folder / f"{scene.name}.json", view, frame, width, height, 1, 1, preview, LOOK_LIMIT_SECONDS,
            variant=variant,
        )  # fmt: skip
        made = render(engine, job, folder / "made")
        if made.picture is None or made.state != "finished":
            raise InputError(f"no picture came out: {made.reason}")
        digest = keep(made.picture.read_bytes(), PICTURE)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    look, _ = Look.objects.update_or_create(
        scene=scene.name, revision=scene.revision, variant=variant, view=view, frame=frame,
        defaults={"picture": digest, "engine_title": engine.title},
    )  # fmt: skip
    return look
