"""The scenes in the operator's folder, and keeping the revision a study uses."""

from __future__ import annotations

from django.conf import settings
from matchedpair.errors import InputError
from matchedpair.trials import Scene, read_scenes

from server.catalogue.models import SceneRevision
from server.store.files import keep

SCENE = ".scene.json"


def scenes_now() -> tuple[list[Scene], list[str]]:
    """Scenes that can be used now, and what is wrong with the others."""
    return read_scenes(settings.SCENES)


def scene_named(name: str) -> Scene:
    """Raises `InputError` listing the scenes there are."""
    scenes, _ = scenes_now()
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
