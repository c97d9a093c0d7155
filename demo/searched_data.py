"""Demo data of the shutter wall: a sequence in three engines, searches in both ways, and a texture plan."""

from __future__ import annotations

from typing import Any

from demo.studies import COMMON, ESTIMATE, SEDGE, engines, factor, finish, put_away, run

SMALL: dict[str, Any] = {"width": 192, "height": 108}  # what is rendered by the dozen, to keep the data small


def motion() -> None:
    """A carried lantern and a lamp that goes out: three engines, long renders as references, a setting that lags."""
    from server.motion.sequences import sequences_of
    from server.references.actions import from_option

    run(
        "Which engine stays calm while the lantern is carried past?", asked="engine", kind="table",
        scene="shutter-wall", view="street", settings={"samples": 16} | ESTIMATE, **SMALL,
        factors=[
            engines({"value": "tansy", "settings": {"gather_rays": 128, "direct_samples": 16}}, SEDGE),
            factor("frame", *range(2, 17)),
        ],
    )  # fmt: skip
    long = run(
        "What do the frames of the shutter wall look like without noise?", kind="range", scene="shutter-wall",
        view="street", settings={"samples": 48} | ESTIMATE, **SMALL,
        factors=[factor("frame", *range(2, 17))],
    )  # fmt: skip
    for frame in sequences_of(long)[0].frames:
        from_option(frame.facts.option, "48 samples of Alder")
    put_away(long)
    run(
        "Does blending in earlier frames calm Sedge, and what does it cost?", asked="feature", kind="table",
        scene="shutter-wall", view="street", engine="sedge", settings={}, **SMALL,
        factors=[factor("history", 4), factor("frame", *range(2, 17))],
    )  # fmt: skip


def searches() -> None:
    """The least settings of one study by exploring, then raised at two frames; in half the width, where the glass ball
    hardly shows, and at full size, which is saved as a recipe.
    """
    from matchedpair.search.raising import Ladder

    from server.decisions.from_search import save_found
    from server.searches.changes import Thresholds
    from server.searches.searching import Asked, begin

    study = run(
        "How little will do for previews of the shutter wall?", kind="on-off", scene="shutter-wall", view="street",
        settings={"samples": 24, "bounces": 8} | ESTIMATE, **SMALL,
        factors=[factor("indirect_clamp", 4.0)], rounds=0,
    )  # fmt: skip
    base = study.options.get(control=None)
    ladders = [
        Ladder("bounces", (1, 2, 4, 8)), Ladder("matte_bounces", (1, 2, 64)), Ladder("metal_bounces", (1, 64)),
    ]  # fmt: skip
    at = (1, 11)
    most = Thresholds(0.15, 4.0, 30.0, 25.0)
    for asked in (
        Asked(most, scale=0.5, way="explore", most_renders=8), Asked(most, scale=0.5, frames=at, most_renders=40),
        Asked(most, scale=1.0, frames=at, most_renders=40),
    ):  # fmt: skip
        row = begin(base, ladders, asked)
        finish()
        row.refresh_from_db()
        print(f"search: {row.state}, {row.words}, {row.found}", flush=True)
    if row.state == "done":
        save_found(row, name="Lantern Street, wall previews", author="Rosa, Kettle Lane", note="By range of frames.")


def textures() -> None:
    """The shutter wall's maps: their use told by Alder, reduced copies, and the pair of before and after."""
    from server.textures.acting import ask_use, render_before_and_after, write_reduced
    from server.textures.places import place_named

    key = "scene:shutter-wall"
    ask_use(place_named(key), "alder", 1920, 1080)
    while (copies := write_reduced(place_named(key)).copies) is None:
        pass
    print(copies.title(), flush=True)
    how = {**COMMON, "view": "street", "settings": {"samples": 32} | ESTIMATE}
    render_before_and_after(place_named(key), copies.name, how)
    finish()
