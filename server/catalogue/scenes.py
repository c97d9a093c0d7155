"""The scenes in the operator's folder, keeping the revision a study uses, and quick looks at their views."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from matchedpair.engines import AS_IS, EngineDefinition, OwnFiles, RenderJob, lay_out, placed, render
from matchedpair.errors import InputError
from matchedpair.measures.drawn_zones import DrawnZone
from matchedpair.plain_files import parsed_json
from matchedpair.scenes import Scene, Setup, Stress, read_scene, read_scenes, read_stresses, require_fits
from matchedpair.scenes.digests import BeingReadError
from matchedpair.scenes.proposed import description_name, description_of, places_without
from matchedpair.scenes.scene import DESCRIBED, SceneVariant, SceneView
from matchedpair.scenes.textures import SceneTexture, textures_of

from server.catalogue.models import Look, SceneRevision, Zone
from server.store.files import keep, keep_file, path_of
from server.store.pixels import PICTURE

SCENE, TEXTURE = ".scene.json", ".texture"
LOOK_SIZE = (320, 180)
LOOK_LIMIT_SECONDS = 120


def scenes_now(stresses: Sequence[Stress]) -> tuple[list[Scene], list[str]]:
    """Scenes that can be used now, and what is wrong with the others or is not in the list of stresses."""
    scenes, problems = read_scenes(settings.SCENES)
    known = {stress.name for stress in stresses}
    for scene in scenes:
        missing = scene.files.problem() if scene.files else ""
        if missing:
            problems.append(f"{scene.name}: {missing}")
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


def stresses_by_scene() -> dict[str, dict[str, str]]:
    """By scene, the titles of what it stresses by name. Reads the folder of scenes once."""
    stresses, _ = stresses_now()
    titles = {stress.name: stress.title for stress in stresses}
    return {
        scene.name: {each: titles.get(each, each.replace("-", " ")) for each in scene.stresses}
        for scene in scenes_now(stresses)[0]
    }


def undescribed() -> list[dict[str, str]]:
    """The folders and files among the scenes that none uses, each with a description proposed for it."""
    scenes, _ = read_scenes(settings.SCENES)
    places = [Path(settings.SCENES) / name for name in places_without(settings.SCENES, scenes)]
    return [{"place": each.name, "text": description_of(each), "kept_as": description_name(each)} for each in places]


def describe(place: str, text: str) -> Scene:
    """Write a description for a folder or file among the scenes, once it is good. Raises `InputError`."""
    scenes, _ = read_scenes(settings.SCENES)
    if place not in places_without(settings.SCENES, scenes):
        raise InputError(f"there is no {place!r} without a scene")
    target = Path(settings.SCENES) / description_name(Path(settings.SCENES) / place)
    try:
        with tempfile.TemporaryDirectory(prefix=".describing-", dir=settings.SCENES) as folder:
            tried = Path(folder) / target.name
            tried.write_text(text, encoding="utf-8")
            (Path(folder) / place).symlink_to(Path("..") / place)
            try:
                scene = read_scene(tried)
            except BeingReadError:  # it is good, and there as soon as its files are read
                os.link(tried, target)
                raise
            if any(each.name == scene.name for each in scenes):
                raise InputError(f"the name {scene.name!r} is taken by another scene")
            os.link(tried, target)  # fails where there is one
    except FileExistsError:
        raise InputError(f"{target.name} is there already") from None
    except OSError as error:
        raise InputError(
            f"the folder of scenes cannot be written ({error.strerror}); save this as {target.name} in it by hand"
        ) from error
    return scene_named(scene.name)


def scene_named(name: str) -> Scene:
    """Raises `InputError` listing the scenes there are."""
    scenes, _ = read_scenes(settings.SCENES)
    for scene in scenes:
        if scene.name == name:
            return scene
    known = ", ".join(scene.name for scene in scenes) or "none"
    raise InputError(f"there is no scene {name!r}; there are: {known}")


def known_scene(name: str) -> Scene:
    """A scene of the folder, or one that only renders made elsewhere tell of. Raises `InputError`."""
    try:
        return scene_named(name)
    except InputError:
        row = SceneRevision.objects.filter(name=name, revision="").first()
        if row is None:
            raise
        return _stated(row)


def stated_scenes(others: Collection[str]) -> list[Scene]:
    """The scenes that only renders made elsewhere tell of, but for these names."""
    return [_stated(row) for row in SceneRevision.objects.filter(revision="").exclude(name__in=others).order_by("name")]


def state_scene(name: str, view: str, variant: str, frame: int) -> SceneRevision:
    """The row of a scene known by name only, told of a view, a variant and a frame."""
    row, _ = SceneRevision.objects.get_or_create(name=name, revision="", defaults={"title": name, "views": []})
    variants = row.stated.get("variants", [])
    frames = [*row.stated.get("frames", []), frame]
    stated = {"variants": sorted({*variants, variant}), "frames": [min(frames), max(frames)]}
    views = row.views
    if view not in {each["name"] for each in views}:
        views = [*views, {"name": view, "title": view}]
    if (views, stated) != (row.views, row.stated):
        row.views, row.stated = views, stated
        row.save(update_fields=["views", "stated"])
    return row


def _stated(row: SceneRevision) -> Scene:
    first, last = row.stated.get("frames") or (1, 1)
    variants = tuple(
        SceneVariant(name, "As is" if name == AS_IS else name, "") for name in row.stated.get("variants") or [AS_IS]
    )
    return Scene(
        row.name, row.title, "Known from renders made elsewhere.", (),
        tuple(SceneView(each["name"], each["title"]) for each in row.views), variants, (), first, last, "", b"",
    )  # fmt: skip


def keep_revision(scene: Scene) -> SceneRevision:
    """Store the scene's contents with its textures and their reduced copies, and give its row; the same revision is
    kept once. Raises `InputError` when a texture cannot be read any more.
    """
    if not scene.revision:  # of which there is no file
        return SceneRevision.objects.get(name=scene.name, revision="")
    keep(scene.contents, SCENE)
    take_zones(scene)
    views = [{"name": view.name, "title": view.title} for view in scene.views]
    textures = {each.file: _kept_texture(scene, each) for each in scene.textures}
    row, _ = SceneRevision.objects.get_or_create(
        name=scene.name, revision=scene.revision, defaults={"title": scene.title, "views": views, "textures": textures}
    )
    reduced = {
        variant.name: {file: _kept_texture(scene, copy) for file, copy in variant.textures.items()}
        for variant in scene.variants
        if variant.textures and variant.name not in row.reduced
    }
    if reduced:
        row.reduced = {**row.reduced, **reduced}
        row.save()
    return row


def take_zones(scene: Scene) -> None:
    """Draw the zones that a scene's description has and that were not taken before; people may have changed those."""
    described = [(view.name, drawn) for view in scene.views for drawn in view.zones]
    if not described:
        return
    known = Zone.objects.filter(scene=scene.name)
    before = {(zone.view, name) for zone in known for name in (zone.described, "" if zone.removed_at else zone.name)}
    Zone.objects.bulk_create(
        (
            Zone(scene=scene.name, view=view, described=drawn.name, **zone_fields(drawn))
            for view, drawn in described
            if (view, drawn.name) not in before
        ),
        ignore_conflicts=True,  # somebody else opened the same screen
    )


def zone_fields(drawn: DrawnZone) -> dict[str, Any]:
    """A zone's values as they are kept."""
    return {"name": drawn.name, "kind": drawn.kind, "shape": drawn.shape, "points": [list(p) for p in drawn.points]}


def _kept_texture(scene: Scene, texture: SceneTexture) -> str:
    if scene.folder is None:
        raise InputError(f"{scene.title}: its textures are not here")
    if path_of(texture.digest, TEXTURE).is_file():
        return texture.digest
    try:
        digest = keep_file(scene.folder / texture.file, TEXTURE)
    except OSError as error:
        raise InputError(f"{texture.file}: cannot be kept: {error.strerror}") from error
    if digest != texture.digest:
        raise InputError(f"{texture.file}: was changed while it was read; try again")
    return digest


def texture_files(revision: SceneRevision, variant: str) -> dict[str, Path]:
    """Where the kept textures of a scene lie in a variant, by the path that the scene names."""
    digests = {**revision.textures, **revision.reduced.get(variant, {})}
    return {file: path_of(digest, TEXTURE) for file, digest in digests.items()}


def own_files(revision: SceneRevision, engine: EngineDefinition, variant: str) -> tuple[OwnFiles, Scene] | None:
    """Of a scene in its engines' own format, what an engine is given, and the scene; None for all others.

    Raises `InputError` when its files are not here, or not those any more that a study was planned with: they are used
    where they lie, and another picture must not come under the same name.
    """
    if _description(revision) is None:
        return None
    scene = scene_named(revision.name)
    if scene.files is None or scene.revision != revision.revision:
        raise InputError(f"the files of {scene.title} changed since this was planned; plan it anew with them")
    problem = scene.problem_for(engine.name, variant)
    if problem or scene.root is None:
        raise InputError(problem or f"the files of {scene.title} are not here")
    file = scene.files.file_for(engine.name, variant)
    return OwnFiles(str(scene.root), file, tuple(scene.files.digests), engine.gathers), scene


def used_in_place(revision: SceneRevision) -> list[str]:
    """The files, below its root, that a scene in its engines' own format is rendered from and that are not kept here;
    none for all others.
    """
    raw = _description(revision) or {}
    return sorted(raw.get("sha256", {}))


def _description(revision: SceneRevision) -> dict[str, Any] | None:
    """What was kept of a scene in its engines' own format; None for all others."""
    if not revision.revision:  # known by its name alone
        return None
    path = path_of(revision.revision, SCENE)
    if not path.is_file():
        return None
    raw = parsed_json(path.read_bytes(), revision.title)
    return raw if isinstance(raw, dict) and raw.get("format") == DESCRIBED else None


def drawn_as(revision: SceneRevision, variant: str) -> str:
    """The variant that an engine is asked for: as is, where only textures are replaced."""
    return AS_IS if variant in revision.reduced else variant


def textures_in(contents: bytes) -> dict[str, str]:
    """The hashes of the textures that a kept scene names, by file; none for what is no such scene."""
    try:
        raw = json.loads(contents)
        return {each.file: each.digest for each in textures_of(raw, "the scene")} if isinstance(raw, dict) else {}
    except (ValueError, RecursionError, AttributeError, InputError):
        return {}


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
        kept = keep_revision(scene)
        own = own_files(kept, engine, variant)
        if own is None:
            laid = lay_out(folder, scene.name, scene.contents, texture_files(kept, variant))
        else:
            laid = placed(folder, own[0])
        handed = scene.handed_over(view, variant)
        job = RenderJob(
            laid, handed.get("view.camera", view), frame, width, height, 1, 1, preview, LOOK_LIMIT_SECONDS,
            variant=AS_IS if own else drawn_as(kept, variant), of_scene=handed,
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
