"""What can be done with references."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

import numpy as np
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Exists, OuterRef
from matchedpair.elsewhere import DISPLAY, LINEAR, Taken, plain_name
from matchedpair.engines.setting import is_number
from matchedpair.errors import InputError, RefusedError
from matchedpair.measures.drawn_zones import DrawnZone, measured_mask
from matchedpair.pictures import write_exr
from matchedpair.pictures.panorama import panorama_figures
from matchedpair.pictures.photograph import PhotographMatch, match_photograph
from matchedpair.scenes import Setup as SetupDescription
from matchedpair.scenes import require_fits

from server.catalogue.scenes import keep_revision, known_scene
from server.catalogue.zones import zones_of
from server.references.models import Panorama, Reference, ReferenceKind
from server.runs.models import OPEN_STATES, Run, RunState
from server.store.files import keep_file
from server.store.pixels import PICTURE, stored_picture
from server.store.uploads import keep_light, upload_on_disk, work_folder
from server.studies.actions import keep_setup
from server.studies.models import Option, Purpose

MOST_MATCHED_SIDE = 960


@transaction.atomic
def from_option(option: Option, title: str = "") -> Reference:
    """Make an option's first two seeds a reference: picture and twin. Raises `InputError` without a finished run."""
    pictured = option.runs.filter(state=RunState.FINISHED, warm_up=False, encoding=LINEAR).exclude(picture="")
    runs = list(pictured.order_by("seed")[:2])
    if not runs:
        raise InputError("this side has no finished render in linear light to judge others by")
    seconds = [run.wall_seconds for run in runs if run.wall_seconds is not None]
    details = {
        "engine": option.engine_title, "version": runs[0].engine_version, "settings": option.settings,
        "seeds": [run.seed for run in runs], "seconds": sum(seconds) or None, "study": option.study_id,
    }  # fmt: skip
    title = (title or f"{option.engine_title}, {_quality(option) or option.study.question}")[:200]
    return Reference.objects.create(
        setup=option.setup, kind=ReferenceKind.RENDER, title=title,
        picture=runs[0].picture, twin=runs[1].picture if len(runs) > 1 else "", details=details,
    )  # fmt: skip


def rendered_to_judge() -> list[Option]:
    """Options that were rendered to be references, are done, and are none yet."""
    ended = Run.objects.filter(state=RunState.FINISHED, study__removed_at=None).exclude(picture="")
    done = Option.objects.filter(purpose=Purpose.REFERENCE, pk__in=ended.values("option"))
    open_runs = Run.objects.filter(option=OuterRef("pk"), state__in=OPEN_STATES)
    known = Run.objects.filter(option=OuterRef("pk"), picture__in=Reference.objects.values("picture"))
    rows = done.filter(~Exists(open_runs), ~Exists(known)).select_related("study", "setup__scene")
    return [row for row in rows if _sound(row)]


def _sound(option: Option) -> bool:
    """Whether nothing was found on its pictures that forbids measuring."""
    runs = option.runs.filter(state=RunState.FINISHED, warm_up=False)
    return all(check["severity"] != "stop" for run in runs for check in run.checks)


def _quality(option: Option) -> str:
    """Its value of the quality knob in words; empty without one."""
    value = option.settings.get(option.quality_knob)
    return f"{value:g} {option.quality_knob.replace('_', ' ')}" if is_number(value) else ""


def from_upload(upload: UploadedFile, values: dict[str, Any], twin: UploadedFile | None = None) -> Reference:
    """Take an uploaded photograph, analytic picture or long render in as a reference of a setup.

    Raises
    ------
    InputError
        When the file is no picture, the setup does not fit the scene, or a measured kind is display-encoded.
    """
    scene = known_scene(values["scene"])
    kind, name = values["kind"], plain_name(upload.name or "")
    taken, digest = _taken(upload, values.get("transform", ""))
    if kind != ReferenceKind.PHOTOGRAPH and taken.encoding == DISPLAY:
        raise InputError(f"{name} is display-encoded; only a photograph may be. State its view transform, or use EXR")
    width, height = taken.picture.size
    setup = SetupDescription(
        scene.title, scene.revision, values["view"], width, height, values.get("variant") or "as-is",
        values.get("frame") or scene.first_frame,
    )  # fmt: skip
    require_fits(setup, scene)
    second = _taken(twin, values.get("transform", ""))[1] if twin else ""
    if second and stored_picture(second).size != taken.picture.size:
        raise InputError("the twin has another size than the reference")
    with transaction.atomic():
        return Reference.objects.create(
            setup=keep_setup(keep_revision(scene), setup), kind=kind, title=values.get("title") or name, picture=digest,
            twin=second, encoding=taken.encoding, details=values.get("details", {}),
        )  # fmt: skip


def lay_over_render(reference: Reference, run: Run | None = None) -> Reference:
    """Match a photograph to a render of its setup, for viewing; the zones left out of the view count nowhere.

    Raises
    ------
    InputError, RefusedError
        When it is no photograph, there is no render of its view, or both do not look alike.
    """
    if reference.kind != ReferenceKind.PHOTOGRAPH:
        raise InputError("only a photograph is laid over a render; the others fit by themselves")
    run = run or _latest_render(reference)
    if run is None:
        raise InputError("there is no finished render of this view and variant yet; make one first, then match")
    render, photograph = stored_picture(run.picture), stored_picture(reference.picture)
    setup = run.option.setup.description()
    within = [zone.drawn() for zone in zones_of(run.option.setup.scene.name, setup.view)]
    counted = measured_mask(within, (setup.width, setup.height), setup.crop, render.valid)
    if max(render.size) > MOST_MATCHED_SIDE:
        raise RefusedError(
            "photograph", f"match it on a render of at most {MOST_MATCHED_SIDE} pixels; this is a slow fit"
        )
    found = match_photograph(photograph.pixels, np.where(counted[..., None], render.pixels, 0.0), counted)
    return keep_match(reference, run, found, within)


def keep_match(reference: Reference, run: Run, found: PhotographMatch, within: Iterable[DrawnZone]) -> Reference:
    """Keep how a photograph was laid over a render, with the zones that its view has."""
    height, width = found.pixels.shape[:2]
    with work_folder() as folder:
        path = folder / "matched.exr"
        write_exr(path, found.pixels)
        digest = keep_file(path, PICTURE)
    report = {key: value for key, value in asdict(found).items() if key != "pixels"}
    reference.matched_picture = digest
    reference.match = report | {
        "run": run.pk, "study": run.study_id, "width": width, "height": height,
        "left_out": [each.name for each in within if each.kind == "leave out"],
    }  # fmt: skip
    reference.save(update_fields=["matched_picture", "match"])
    return reference


def take_panorama(upload: UploadedFile, title: str) -> Panorama:
    """Import a light panorama and measure it. Raises `InputError`."""
    taken, digest = _taken(upload, "")
    figures = panorama_figures(taken.picture)
    return Panorama.objects.create(
        title=title or plain_name(upload.name or ""), picture=digest, figures=asdict(figures)
    )


def _latest_render(reference: Reference) -> Run | None:
    setup = reference.setup
    runs = Run.objects.filter(
        state=RunState.FINISHED, encoding=LINEAR, option__setup__scene__name=setup.scene.name,
        option__setup__view=setup.view, option__setup__variant=setup.variant, option__setup__crop__isnull=True,
        option__setup__width__lte=MOST_MATCHED_SIDE,
    )  # fmt: skip
    return runs.select_related("option__setup__scene").order_by("-option__setup__width", "-ended_at").first()


def _taken(upload: UploadedFile, transform: str) -> tuple[Taken, str]:
    """The picture, and the hash under which its linear light is stored."""
    name = plain_name(upload.name or "")
    with upload_on_disk(upload, name) as path:
        try:
            return keep_light(path, transform)
        except InputError as error:
            raise InputError(f"{name}: {error}") from error
