"""A study's figures as the core's answers take them: options and pairs as plain values."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from statistics import median
from typing import Any

from matchedpair.answers import LevelFact, OptionFact, PairFact, StudyFacts
from matchedpair.engines.setting import is_number
from matchedpair.measures.cost import APART, CPU
from matchedpair.measures.cost import VERSION as COST_VERSION
from matchedpair.measures.figure import Figure
from matchedpair.measures.zones import WHOLE
from matchedpair.plans.plan_kind import ENGINE, QUALITY, VERSION, is_place

from server.answers.question_facts import apparent_figures, convergence_fact, near_facts, pass_fact
from server.catalogue.engines import engines_now, knobs_that_go_down, refining
from server.catalogue.scenes import stresses_by_scene
from server.measuring.measuring import figure_of
from server.measuring.models import Measure
from server.measuring.option_facts import OptionFacts, place_names
from server.measuring.question_measures import NAMES
from server.measuring.which_reference import References, place_of, reference_pictures
from server.pairs.look_facts import cell_facts, island_facts
from server.pairs.pair import PairFigures
from server.references.models import Reference
from server.studies.models import Option, Study

OF_EACH = (
    "noise", "noise_worst", "visible_noise", "visible", "stops", "colour", "detail", "fireflies", "blotches",
)  # fmt: skip
MEASURED = (*OF_EACH, *NAMES)
BY_REFERENCE = ("visible", "stops", "colour", "detail")
LEAST_PATCH = 2.0  # pixels of radius
BUSY = "times are from a busy machine, so processor seconds are compared"


def study_facts(
    study: Study,
    pairs: Sequence[PairFigures],
    options: Sequence[OptionFacts],
    references: References,
    *,
    reference_to_come: bool,
) -> StudyFacts:
    """All that an answer rests on. The option facts need the measures of `MEASURED`."""
    places = place_names(own.option.setup for own in options)
    lacks = _lacks({(own.option.engine, own.option.setup.scene.name) for own in options})
    down = knobs_that_go_down()
    rows = tuple(
        _option(own, places[place_of(own.option.setup)], references,
                lacks.get((own.option.engine, own.option.setup.scene.name), ()), down)
        for own in options
    )  # fmt: skip
    there = {row.key for row in rows}
    told = tuple(_pair(found) for found in pairs if {found.pair.control_id, found.pair.trial_id} <= there)
    judged = next((found for own in options if (found := references.of(own.option.setup)) is not None), None)
    # what another render brings on the way is no render of its own
    done = sum(run.made_by_id is None for own in options for run in own.counted)
    rendered = sum(own.option.comes_with_id is None for own in options)
    return StudyFacts(
        study.asked or "own", study.question, rows, told, judged.title if judged else "", done,
        max(rendered * study.repeats, done),
        left_out=tuple(dict.fromkeys(each.name for own in options for each in own.zones.get(WHOLE, []))),
        reference_engine=str(judged.details.get("engine") or "") if judged else "",
        reference_quality=_quality(judged, options),
        reference_to_come=reference_to_come, reference_problem=_problem(options, references),
        has_photograph=study.asked == "light"
        and any(references.photograph_of(own.option.setup) is not None for own in options),
    )  # fmt: skip


def _quality(reference: Reference | None, options: Sequence[OptionFacts]) -> float | None:
    """How much a reference has of the quality knob of the options of its engine; None where that is not known."""
    details = reference.details if reference is not None else {}
    knobs = (own.option.quality_knob for own in options if own.option.engine_title == details.get("engine"))
    value = (details.get("settings") or {}).get(next(knobs, ""))
    return float(value) if is_number(value) else None


def _problem(options: Sequence[OptionFacts], references: References) -> str:
    """Why the first option that has a reference cannot be judged by it; empty where it can, or is not measured yet."""
    judges = ((own, references.of(own.option.setup)) for own in options)
    others = (own for own, reference in judges if reference is not None and not _is_own(reference, own))
    rows = (own.measure("visible", WHOLE, references) for own in others)
    return next((row.refused for row in rows if row is not None and row.refused), "")


def _is_own(reference: Reference | None, own: OptionFacts) -> bool:
    """Whether a reference is one of an option's own renders."""
    return any(run.picture in reference_pictures(reference) for run in own.runs)


def _option(
    own: OptionFacts, place: str, references: References, lacks: tuple[str, ...], down: set[tuple[str, str]]
) -> OptionFact:
    option = own.option
    figures = {name: own.measure(name, WHOLE, references if name in BY_REFERENCE else None) for name in OF_EACH}
    blotches = own.measure("blotches", WHOLE, references) or figures["blotches"]
    fireflies = own.measure("fireflies", WHOLE, references) or figures["fireflies"]
    seen, visible, detail = figures["visible_noise"], figures["visible"], figures["detail"]
    seconds, ready = _times(own)
    reference = references.of(option.setup)
    itself = _is_own(reference, own)  # then it says nothing of it
    apparent_error, apparent_detail = (None, None) if itself else apparent_figures(own)
    near, not_near = near_facts(own, references)
    refines, finest = refining(option.engine, option.settings, option.quality_knob)
    memory = [run.peak_memory_bytes for run in own.runs if run.peak_memory_bytes is not None]
    quality = option.settings.get(option.quality_knob)
    return OptionFact(
        key=option.pk, name=option_name(option), engine=option.engine_title, control=option.control_id or 0,
        place=place,
        levels=tuple(
            LevelFact(row["subject"], row["title"], row["value"], row["shown"], row["changed"]) for row in option.levels
        ),
        knob=option.quality_knob.replace("_", " "), quality=float(quality) if is_number(quality) else None,
        seeds=len(own.runs), open=own.open, seconds=seconds, ready=ready,
        noise=_figure(figures["noise"], "twin"), noise_worst=_value(figures["noise_worst"]),
        visible_noise=_figure(seen, "twin"), visible_worst=seen.details.get("worst_tenth") if seen else None,
        visible_mean=seen.details.get("mean") if seen else None, visible_error=_value(visible),
        stops=_figure(figures["stops"]), colour=_figure(figures["colour"]), detail=_figure(detail),
        fireflies=_figure(fireflies), patches=_patches(blotches),
        lasting_patches=bool(blotches is not None and blotches.details.get("lasting")),
        memory=float(max(memory)) if memory else None, structures=_structures(own), lacks=lacks,
        size=option.setup.description().picture_size,
        apparent_error=apparent_error, apparent_detail=apparent_detail, passed=pass_fact(own), near=near,
        not_near=not_near,
        goes_down=own.goes_down(option.quality_knob, down), reached=own.reached,
        convergence=convergence_fact(own, reference) if visible is not None and visible.value is not None else None,
        refines=refines, finest=finest, judged=reference is not None and not itself,
    )  # fmt: skip


def _structures(own: OptionFacts) -> float | None:
    sizes = [run.structures_bytes for run in own.runs if run.structures_bytes is not None]
    return float(median(sizes)) if sizes else None


def option_name(option: Option) -> str:
    """What tells an option from its control, the shortest first: ``48 samples``, ``Tansy, 64 gather rays``."""
    knob = option.quality_knob.replace("_", " ")
    parts, engine = [], option.engine_title
    other_engine = any(row["subject"] == ENGINE and row["changed"] for row in option.levels)
    for row in option.levels:
        if row["subject"] == VERSION and row["value"] is not None:
            engine = row["shown"] if row["shown"].startswith(engine) else f"{engine} {row['shown']}"
        if not row["changed"] or is_place(row["subject"]) or (other_engine and row["value"] is None):
            continue
        of_knob = row["subject"] in (QUALITY, option.quality_knob)
        value = option.settings.get(option.quality_knob)
        if of_knob and isinstance(value, int | float):
            parts.append(_quality_words(value, knob))
        elif row["subject"] == ENGINE:
            parts.append(row["shown"])
        elif row["subject"] == VERSION:
            parts.append(engine)
        else:
            parts.append(f"{row['title'].lower()} {row['shown']}")
    value = option.settings.get(option.quality_knob)
    quality = _quality_words(float(value), knob) if is_number(value) else ""
    if not parts:
        return option.found_as or ", ".join(filter(None, (engine, quality)))
    return ", ".join([*parts, quality] if other_engine and quality and quality not in parts else parts)


def _quality_words(value: float, knob: str) -> str:
    """``48 samples``; a part of one is told as ``noise threshold 0.12``."""
    return f"{value:g} {knob}" if float(value).is_integer() else f"{knob} {value:g}"


def _times(own: OptionFacts) -> tuple[Figure | None, float | None]:
    """Rendering with its interval, and getting ready where the engine tells it apart."""
    times = own.times
    seconds, basis = own.seconds()
    if not times or seconds is None or seconds <= 0:
        return None, None
    each = [t.render_seconds(basis) or t.seconds(basis) for t in times]
    low, high = own.interval(each)
    ready = [t.own_ready_seconds(basis) for t in times]
    known = [value for value in ready if value is not None]
    apart = sum(known) / len(known) if len(known) == len(ready) else None
    return Figure(seconds, "s", (low, high), basis, COST_VERSION), apart


def _lacks(wanted: set[tuple[str, str]]) -> dict[tuple[str, str], tuple[str, ...]]:
    """By engine and scene, effects that the scene stresses and the engine does not do at all; nothing for one engine,
    since it lacks the same on both sides.
    """
    if len({engine for engine, _ in wanted}) < 2:
        return {}
    missing = {
        engine.name: [effect.effect for effect in engine.effects if effect.does == "no"] for engine in engines_now()[0]
    }
    stressed = stresses_by_scene()
    return {
        (engine, scene): tuple(
            stressed[scene][effect].lower() for effect in missing.get(engine, ()) if effect in stressed.get(scene, {})
        )
        for engine, scene in wanted
    }


def _pair(found: PairFigures) -> PairFact:
    whole = found.comparison
    difference = whole.difference if whole is not None else None
    cells = cell_facts(whole)
    identical = found.identical
    refused = found.refused
    if whole is not None and difference is None and not identical:
        refused = refused | {"difference": whole.refused.get("difference", "")}
    return PairFact(
        found.pair.pk, found.pair.control_id, found.pair.trial_id, _subject(found.pair.trial, found.pair.subject),
        found.noise_ratio, found.visible_ratio, found.time_ratio, found.looks, cells, island_facts(whole, cells),
        difference["found"] if difference else None,
        difference["smallest_seen_percent"] if difference else None, identical, refused, found.pair.matched_on,
        found.pair.matched_zone, tuple(_caveats(found)), found.sharpness, found.denoised,
    )  # fmt: skip


def _subject(trial: Option, otherwise: str) -> str:
    name = option_name(trial)
    changed = any(row["changed"] and not is_place(row["subject"]) for row in trial.levels)
    return name if changed else otherwise


def _caveats(found: PairFigures) -> Iterable[str]:
    if found.time_ratio is not None and found.time_ratio.method == CPU:
        yield BUSY
    if found.time_ratio is not None and found.time_ratio.note == APART:
        yield f"both sides were {APART}, so times are less sure"
    for row in found.sheet.conditions:
        if row.state == "differs" and row.key != "load":
            yield f"{row.title.lower()} differs: {row.control or 'not known'} and {row.trial or 'not known'}"


def _figure(row: Any, method: str = "") -> Figure | None:
    figure = figure_of(row) if row is not None else None
    return None if figure is None or (method and figure.method != method) else replace(figure)


def _patches(blotches: Measure | None) -> float | None:
    """The spread of patches; None where they are so narrow that an eye takes them for the grain of a pixel filter."""
    scale = blotches.details.get("scale_pixels") if blotches is not None else None
    return None if scale is not None and scale < LEAST_PATCH else _value(blotches)


def _value(row: Any) -> float | None:
    return None if row is None else row.value
