"""Makes the demo data anew: sets up the studies of *Lantern Street*, really renders them, and writes demo/data.

    MATCHEDPAIR_HOME=$(mktemp -d) MATCHEDPAIR_MACHINE=lane-bench python demo/make_data.py

Takes some minutes on a quiet machine; the times in the data are those of the machine it ran on. `manage.py load_data`
loads what it writes.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import django
import numpy as np
import OpenImageIO as oiio

sys.path.insert(0, str(Path(__file__).parents[1]))

from demo.searched_data import motion, searches, textures
from demo.studies import ESTIMATE, SEDGE, TANSY, engines, factor, finish, put_away, run

HERE = Path(__file__).parent
DATA = HERE / "data"
PART_BYTES = 3_000_000  # of one file of rows, so that a change shows as one


def main() -> None:
    """Make everything, then write it."""
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    looks()
    zones()
    references(without_noise())
    panorama()
    renders_from_elsewhere()
    together()
    plans()
    motion()
    searches()
    textures()
    decisions()
    studies()
    write()
    os._exit(0)


def looks() -> None:
    """A quick look at every view as it is, and at every variant of each scene's first view."""
    from server.catalogue.engines import engine_named
    from server.catalogue.scenes import scenes_now, take_look

    alder = engine_named("alder")
    for scene in scenes_now(())[0]:
        wanted = {(view.name, "as-is") for view in scene.views}
        wanted |= {(scene.views[0].name, variant.name) for variant in scene.variants}
        for view, variant in sorted(wanted):
            take_look(scene, view, variant, scene.first_frame, alder)
        print(f"looked at {scene.title}", flush=True)


def zones() -> None:
    """Dark places, fine texture and metal to measure; visible bulbs to leave out."""
    from server.catalogue.zones import add_zone

    rows = [
        ("marble-stall", "counter", "Deep shelf", "measure", "rectangle", [[0.51, 0.24], [0.78, 0.54]]),
        ("marble-stall", "counter", "Brass tray", "measure", "polygon",
         [[0.2, 0.65], [0.41, 0.65], [0.42, 0.72], [0.19, 0.72]]),
        ("marble-stall", "counter", "Bulbs", "leave out", "rectangle", [[0.02, 0.1], [0.98, 0.19]]),
        ("marble-stall", "shelf", "Lower board", "measure", "rectangle", [[0.1, 0.5], [0.9, 0.85]]),
        ("cloth-corner", "counter", "Back wall", "measure", "rectangle", [[0.36, 0.04], [0.86, 0.26]]),
        ("cloth-corner", "counter", "Striped bolts", "measure", "rectangle", [[0.32, 0.32], [0.94, 0.62]]),
        ("mist-lane", "lane", "Dark air", "measure", "rectangle", [[0.4, 0.05], [0.62, 0.34]]),
        ("shutter-wall", "street", "Painted band", "measure", "rectangle", [[0.34, 0.41], [0.66, 0.55]]),
        ("shutter-wall", "street", "Flagstones", "measure", "rectangle", [[0.02, 0.84], [0.98, 0.99]]),
        ("shutter-wall", "street", "Notice", "measure", "rectangle", [[0.165, 0.285], [0.275, 0.47]]),
        ("shutter-wall", "street", "Lamps", "leave out", "polygon",
         [[0.03, 0.38], [0.5, 0.36], [0.78, 0.34], [0.78, 0.52], [0.03, 0.56]]),
        ("glass-cabinet", "cabinet", "Behind both panes", "measure", "rectangle", [[0.55, 0.18], [0.67, 0.78]]),
    ]  # fmt: skip
    for scene, view, name, kind, shape, points in rows:
        add_zone(scene, view, {"name": name, "kind": kind, "shape": shape, "points": points})


def without_noise() -> Any:
    """Long renders with a twin each of the places that engines are judged at, as their references. Returns the last."""
    from server.references.actions import from_option

    for scene, place in (("marble-stall", "stall"), ("cloth-corner", "corner")):
        study = run(
            f"What does the {place} look like without noise?", kind="range", scene=scene,
            settings={"samples": 192} | ESTIMATE, factors=[factor("samples", 64)],
        )  # fmt: skip
        from_option(study.options.get(control=None), "192 samples of Alder")
        put_away(study)
    return study


def together() -> None:
    """Bring the brightness of Alder and Tansy together, by a pair that shows both."""
    from django.shortcuts import get_object_or_404

    from server.catalogue.models import Zone
    from server.pairs.brightness import bring_together
    from server.pairs.pair import pair_figures, with_all
    from server.studies.models import Pair

    study = run(
        "How far apart are Alder and Tansy in brightness?", scene="cloth-corner", settings={"samples": 32} | ESTIMATE,
        factors=[TANSY], width=320, height=180,
    )  # fmt: skip
    put_away(study)
    pair = with_all(Pair.objects.filter(study=study)).get()
    factor_, _ = bring_together(pair_figures(pair), get_object_or_404(Zone, name="Back wall"))
    print(f"Tansy's light times {factor_.factor:.4f}", flush=True)


def studies() -> None:
    """The studies that answer one question each, the one that shows best what all of this is for last."""
    from server.catalogue.models import EffectEvidence
    from server.studies.models import Pair

    run(
        "Did Alder 2 change anything in the mist?", asked="version", kind="versions", scene="mist-lane", view="lane",
        settings={"samples": 32} | ESTIMATE, build="1", factors=[factor("version", "2")], repeats=3,
    )  # fmt: skip
    run(
        "How many bounces does the glass cabinet need?", asked="bounces", kind="range", scene="glass-cabinet",
        view="cabinet", settings={"samples": 48, "bounces": 16} | ESTIMATE, factors=[factor("bounces", 2, 4, 8, 12)],
    )  # fmt: skip
    run(
        "Do clamp and light picking help each other in the stall?", kind="table", settings={"samples": 24},
        factors=[factor("light_picking", "estimate"), factor("indirect_clamp", 4.0)],
    )  # fmt: skip
    focused = run(
        "Is focused light worth its time in the basin?", asked="feature", scene="cloth-corner", view="basin",
        engine="sorrel", settings={"samples": 48, "photons": 1000000}, repeats=3,
        factors=[factor("focused_light", True)], passes=["focused", "depth"],
    )  # fmt: skip
    EffectEvidence.objects.create(
        engine="sorrel", effect="focused-by-metal", version="0.9", shown_by="pair",
        number=Pair.objects.get(study=focused).pk, note="Bright curves inside the basin with it, none without.",
    )  # fmt: skip
    run(
        "Is picking lights by estimate worth its time at the counter?", asked="feature",
        settings={"samples": 48, "indirect_clamp": 4.0}, factors=[factor("light_picking", "estimate")], repeats=3,
    )  # fmt: skip
    run(
        "How many samples are enough for the stall?", asked="samples", kind="ladder",
        settings={"samples": 16} | ESTIMATE, factors=[factor("samples", 4, 8, 32, 64)],
    )  # fmt: skip
    run(
        "Which engine for the stall and the corner?", asked="engine", kind="engines-scenes", match_on="noise",
        scene="cloth-corner", settings={"samples": 48} | ESTIMATE, factors=[
            engines({"value": "tansy", "settings": {"gather_rays": 256, "direct_samples": 32}},
                    {"value": "sorrel", "settings": {"samples": 48, "focused_light": True}}, SEDGE),
            factor("scene", "marble-stall"),
        ],
    )  # fmt: skip
    judgements()


def judgements() -> None:
    """What the people of Kettle Lane Pictures, made up like their film, concluded: a verdict, pins, blind rounds."""
    from server.pairs.pair import with_all
    from server.studies.models import Pair
    from server.verdicts.actions import give_verdict, put_pin

    def pair_of(question: str, **more: Any) -> Any:
        return with_all(Pair.objects.filter(study__question__startswith=question, **more)).get()

    picking, corner = (
        pair_of("Is picking lights"),
        pair_of("Which engine for", trial__engine="tansy", trial__setup__scene__name="cloth-corner"),
    )
    for question, chosen, author, reasons in (
        ("Is focused light worth", "trial", "Rosa, Kettle Lane", "Without it the basin has no light to look at."),
        ("Did Alder 2", "neither", "Ben, Kettle Lane", "I cannot tell them apart. We stay on the new one."),
    ):  # fmt: skip
        give_verdict(pair_of(question), chosen=chosen, author=author, reasons=reasons)
    give_verdict(
        picking, chosen="trial", author="Rosa, Kettle Lane",
        reasons="Cleaner on the posts and around the bulbs. The tray keeps its sparkle in both.",
        marks={"Noise": "trial", "Shadows": "trial", "Highlights": "alike", "Detail": "alike"},
        less_than_fair="One view of one scene, and the one with the most bulbs.",
    )  # fmt: skip
    for x, y, note in (
        (0.86, 0.68, "Bright specks under the bowl: Alder finds these paths by luck, Tansy not at all."),
        (0.8, 0.2, "The wall is smooth in the trial; look for slow patches."),
    ):
        put_pin(corner, x=x, y=y, note=note, author="Rosa, Kettle Lane")
    blind_rounds(corner, "same", "Ben, Kettle Lane", wrong=(5, 11))
    blind_rounds(corner, "better", "Rosa, Kettle Lane", wrong=(2, 3, 7, 8, 12, 14))


def blind_rounds(pair: Any, kind: str, author: str, wrong: tuple[int, ...]) -> None:
    """Sixteen rounds over two places, answered rightly or for the trial but in those named."""
    from random import Random

    from server.verdicts.blind import begin_test, give_answer, open_round

    zones = ["", "Back wall"]
    test = begin_test(pair, kind=kind, rounds=16, zones=zones, author=author, dice=Random(len(author)))
    while (waiting := open_round(test)) is not None:
        right = waiting.number not in wrong
        if kind == "same":
            answer = "different" if (waiting.left_side != waiting.right_side) == right else "same"
        else:
            answer = "left" if (waiting.left_side == "trial") == right else "right"
        give_answer(test, number=waiting.number, answer=answer, seconds=4.0 + waiting.number % 5)
        test.refresh_from_db()


def plans() -> None:
    """One study of each further kind of plan, small."""
    run(
        "Which engine should make the ambient occlusion of the cabinet?", asked="pass", kind="range",
        match_on="time", scene="glass-cabinet", view="cabinet", settings={"samples": 16}, passes=["occlusion"],
        factors=[engines({"value": "tansy", "settings": {}}, SEDGE)],
    )  # fmt: skip
    run(
        "More pixels or more samples at the counter?", asked="pixels", kind="same-time", match_on="time",
        settings={"samples": 12} | ESTIMATE, repeats=3,
        factors=[factor("size", "240x135"), factor("samples", 48)],
    )  # fmt: skip
    run(
        "Which light set-up comes nearest the photograph of the corner?", asked="light", kind="range",
        scene="cloth-corner", settings={"samples": 48} | ESTIMATE,
        factors=[factor("light", "lanterns-only", "dusk-only")],
    )  # fmt: skip


def decisions() -> None:
    """Two engines through a ladder in two scenes: a matched pair, uses, recipes."""
    from server.decisions.models import Production
    from server.decisions.recipes import save_recipe
    from server.decisions.uses import change_use
    from server.searches.same_noise import begin

    study = run(
        "What should the night shots of Lantern Street be rendered with?", asked="engine", kind="table",
        match_on="noise", scene="cloth-corner", settings={"samples": 32} | ESTIMATE,
        factors=[
            engines({"value": "tansy", "settings": {"gather_rays": 32, "direct_samples": 16}}),
            factor("quality", 8, 16), factor("scene", "marble-stall"),
        ],
    )  # fmt: skip
    control = study.options.get(number=0)
    tansy = study.options.get(
        control=control, setup__scene=control.setup.scene, engine="tansy", settings__gather_rays=32
    )
    found = begin(control, tansy, "noise", "whole")
    finish()
    found.refresh_from_db()
    print(f"Tansy matched on noise: {found.state}, {found.words}", flush=True)
    change_use(study, "preview", {"limits": {"noise": 30.0}})
    change_use(study, "animation", {"limits": {"noise": 20.0, "visible": 3.0, "stops": 0.05}})
    change_use(study, "still", {"limits": {"seconds": 60.0, "visible": 2.0, "stops": 0.05}})
    Production.objects.create(
        study=study, frames=2880, shots=12, machines=3, hours_a_day=10.0, cost_per_machine_hour=0.35, currency="EUR",
        width=1920, height=1080,
    )  # fmt: skip
    save_recipe(study, name="Lantern Street, night shots", author="Rosa, Kettle Lane", note="First try.",
                uses=["animation"])  # fmt: skip
    change_use(study, "animation", {"limits": {"noise": 16.0, "visible": 2.5, "stops": 0.05}})
    save_recipe(study, name="Lantern Street, night shots", author="Rosa, Kettle Lane",
                note="The shelf was still grainy on the wall; less noise.")  # fmt: skip


def references(study: Any) -> None:
    """A made-up photograph of the corner from its long render, and the test ball in closed form."""
    from demo.lantern_street.grey_ball import true_picture
    from server.references.actions import from_upload, lay_over_render
    from server.runs.models import Run
    from server.store.pixels import stored_picture

    option = study.options.get(control=None)
    long = stored_picture(Run.objects.get(option=option, seed=1, warm_up=False).picture).pixels
    photograph = from_upload(
        uploaded("cloth-corner-photograph.jpg", photographed(long)),
        {
            "kind": "photograph", "title": "Photograph of the model", "scene": "cloth-corner", "view": "counter",
            "transform": "sRGB - Display / Un-tone-mapped",
            "details": {
                "exposure": "1/15 s, f/5.6, ISO 400", "lens": "35 mm", "field_of_view_degrees": 42.0,
                "taken_at": "9 October 2026, 18:40", "capture_seconds": 0.07,
            },
        },
    )  # fmt: skip
    lay_over_render(photograph)
    print(f"photograph: {photograph.match}", flush=True)
    from_upload(
        uploaded("test-ball-front.exr", true_picture(320, 180)),
        {
            "kind": "analytic", "title": "The ball in closed form", "scene": "test-ball", "view": "front",
            "details": {"notes": "Reflectance 0.5 in even light of 1; edges by 16 × 16 places a pixel"},
        },
    )  # fmt: skip


def photographed(light: np.ndarray) -> np.ndarray:
    """As a camera might have seen it: darker, warmer, from a little beside, with a soft edge; values 0 to 255."""
    from scipy.ndimage import affine_transform, gaussian_filter

    from server.store.pixels import srgb

    scale, down, right = 1 / 1.03, -3.0, 5.0
    moved = np.stack(
        [affine_transform(light[..., k], [scale, scale], offset=(down, right), mode="nearest") for k in range(3)],
        axis=-1,
    )
    y, x = np.mgrid[-1 : 1 : light.shape[0] * 1j, -1 : 1 : light.shape[1] * 1j]
    lens = 1.0 - 0.12 * (x * x + y * y)
    seen = gaussian_filter(moved, (0.5, 0.5, 0)) * lens[..., None] * np.array([0.86, 0.7, 0.56])
    grain = np.random.default_rng(9).normal(0.0, 0.01, seen.shape) * np.sqrt(np.maximum(seen, 0.0))
    return np.round(255 * srgb((seen + grain).astype(np.float32)))


def panorama() -> None:
    """Dusk sky, dark street, and one lantern, in all directions."""
    from server.references.actions import take_panorama

    height, width = 128, 256
    up = np.pi * (0.5 - (np.arange(height) + 0.5) / height)[:, None]
    around = 2 * np.pi * ((np.arange(width) + 0.5) / width - 0.5)[None, :]
    sky = np.clip(up / 1.57, 0, 1)[..., None] * np.array([0.03, 0.05, 0.12]) + np.array([0.02, 0.02, 0.03])
    light = np.where(up[..., None] > 0, sky, np.array([0.008, 0.007, 0.006])) * np.ones((height, width, 3))
    for azimuth, elevation, size, colour in (
        (-38.0, 24.0, 5.0, (42.0, 22.0, 8.0)), (70.0, 12.0, 2.5, (9.0, 4.0, 2.4)), (140.0, 8.0, 2.5, (6.0, 3.2, 1.2)),
    ):  # fmt: skip
        a, e = np.radians(azimuth), np.radians(elevation)
        cosine = np.sin(up) * np.sin(e) + np.cos(up) * np.cos(e) * np.cos(around - a)
        light[cosine > np.cos(np.radians(size))] = colour
    take_panorama(uploaded("lane-at-dusk.exr", light), "Lane at dusk, by the first lantern")


def renders_from_elsewhere() -> None:
    """What a farm might send: two sample counts in two seeds each, one for looking only, and one broken file."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    from server.imports.actions import take_upload
    from server.imports.models import ImportSet
    from server.store.pixels import srgb

    made = ImportSet.objects.create(
        title="Farm test, glass cabinet", source="browser", pattern="{scene}_{view}_{samples}spp_s{seed}"
    )
    with tempfile.TemporaryDirectory() as folder:
        for samples in (16, 64):
            for seed in (1, 2):
                path = Path(folder) / f"glass-cabinet_cabinet_{samples}spp_s{seed}.exr"
                words = ["--scene", HERE / "scenes" / "glass-cabinet.json", "--view", "cabinet", "--size", "320x180"]
                words += ["--samples", samples, "--seed", seed, "--output", path]
                subprocess.run(["alder", *map(str, words)], check=True, stdout=subprocess.DEVNULL)
                take_upload(made, SimpleUploadedFile(path.name, path.read_bytes()))
        kept = np.asarray(oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT))
    take_upload(made, uploaded("cabinet-from-another-program.png", np.round(255 * srgb(kept))))
    take_upload(made, SimpleUploadedFile("glass-cabinet_cabinet_64spp_s3.exr", b"v/1\x01 cut short on its way"))


def uploaded(name: str, values: np.ndarray) -> Any:
    """A picture as it comes with a request: integers when the name says JPEG or PNG, else half floats."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    eight = not name.endswith(".exr")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        height, width = values.shape[:2]
        output = oiio.ImageOutput.create(str(path))
        output.open(str(path), oiio.ImageSpec(width, height, 3, "uint8" if eight else "half"))
        output.write_image(np.ascontiguousarray(values, dtype=np.uint8 if eight else np.float32))
        output.close()
        return SimpleUploadedFile(name, path.read_bytes())


def write() -> None:
    """All rows in parts of some megabytes, and the stored files that they name."""
    from django.conf import settings
    from django.core.management import call_command

    from server.runs.models import Run

    Run.objects.filter(warm_up=True).update(picture="", passes={})  # nobody looks at them
    shutil.rmtree(DATA, ignore_errors=True)
    (DATA / "store").mkdir(parents=True)
    apps = (
        "catalogue", "studies", "runs", "imports", "references", "findings", "verdicts", "matching", "motion",
        "searches", "textures", "decisions",
    )  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        rows = Path(folder) / "rows.json"
        # where this machine keeps its files is nobody's business, and what they hold is read again
        call_command("dumpdata", *apps, exclude=["textures.mapfacts"], indent=1, output=str(rows), verbosity=0)
        text = rows.read_text(encoding="utf-8")
    parts: list[list[str]] = [[]]
    for row in json.loads(text):
        told = json.dumps(row, indent=1, ensure_ascii=False)
        if sum(map(len, parts[-1])) + len(told) > PART_BYTES:
            parts.append([])
        parts[-1].append(told)
    for number, part in enumerate(parts, start=1):
        (DATA / f"rows-{number:02}.json").write_text("[\n" + ",\n".join(part) + "\n]\n", encoding="utf-8")
    for path in sorted((Path(settings.HOME) / "store").glob("*/*")):
        if path.name[:64] in text and ".thumbnail." not in path.name:
            shutil.copyfile(path, DATA / "store" / path.name)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    os.environ["PATH"] = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    django.setup()
    main()
