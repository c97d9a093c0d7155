"""Recipes: made from what a study decides, read from files, rendered again, compared."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone
from matchedpair.choose import Recipe, RecipeUse, read_recipe, recipe_of, settings_for
from matchedpair.choose.recipe import document
from matchedpair.errors import InputError

from server.catalogue.engines import engine_named
from server.decisions.deciding import Decided, DecidedUse, decided
from server.decisions.models import RecipeVersion
from server.runs.actions import queue_study
from server.studies.forms import study_from
from server.studies.models import Option, Pair, Study

MOST_EVIDENCE = 20


@transaction.atomic
def save_recipe(
    study: Study, *, name: str, author: str, note: str = "", uses: list[str] | None = None
) -> RecipeVersion:
    """Save what the study decides as the next version of a recipe.

    Raises `InputError` when none of the uses has a choice.
    """
    found = decided(study)
    chosen = [row for row in found.uses if row.chosen is not None and (not uses or row.use.name in uses)]
    if not chosen:
        raise InputError("none of these uses has a choice; loosen a limit or choose by hand")
    scenes = dict.fromkeys(facts.option.setup.scene.title for row in chosen for facts in _options(row))
    return keep_version(
        study, name, author, note, ", ".join(scenes), {row.use.name: _use(study, found, row) for row in chosen}
    )


def keep_version(
    study: Study, name: str, author: str, note: str, scene: str, uses: dict[str, RecipeUse]
) -> RecipeVersion:
    """Write the next version of a recipe."""
    version = (RecipeVersion.objects.filter(name=name).aggregate(last=Max("version"))["last"] or 0) + 1
    recipe = Recipe(name, version, author, timezone.now().isoformat(timespec="seconds"), scene, note, uses)
    return RecipeVersion.objects.create(
        study=study, name=name, version=version, author=author, note=note, document=document(recipe)
    )


@transaction.atomic
def take_recipe(content: bytes) -> RecipeVersion:
    """Keep a recipe that came as a file. Raises `InputError` when it is none, or is here already and says otherwise."""
    recipe = read_recipe(content)
    values = document(recipe)
    there = RecipeVersion.objects.filter(name=recipe.name, version=recipe.version).first()
    if there is not None:
        if there.document != values:
            raise InputError(f"{recipe.name}, version {recipe.version}, is here already and says something else")
        RecipeVersion.objects.filter(pk=there.pk).update(removed_at=None)
        return there
    return RecipeVersion.objects.create(
        name=recipe.name[:120], version=recipe.version, author=recipe.author[:80], note=recipe.note, document=values
    )


def remove_recipe(row: RecipeVersion, *, on: bool) -> None:
    """Take a version out of the list, or put it back."""
    RecipeVersion.objects.filter(pk=row.pk).update(removed_at=timezone.now() if on else None)


def render_with(row: RecipeVersion, use: str, place: dict[str, Any]) -> Study:
    """Render a recipe at a place of one's choice, against the baseline that it was found with (or the defaults).

    Parameters
    ----------
    place : mapping
        scene, view, and maybe frame, variant, width, height.

    Raises
    ------
    InputError, SettingsError
        When the engine is not here, does not take the settings, or the place is not there.
    """
    recipe = recipe_of(row.document)
    chosen = recipe.use(use)
    engine = engine_named(chosen.engine)
    settings = settings_for(chosen, engine)
    baseline = row.study.options.filter(control=None).order_by("number").first() if row.study else None
    if baseline is not None and baseline.engine == engine.name and baseline.settings == settings:
        baseline = None  # the recipe is the baseline itself: hold it against the engine's defaults
    if baseline is None and settings == engine.defaults():
        raise InputError(f"the recipe is {engine.title} at its defaults: there is nothing to compare it with")
    cast: dict[str, Any] = {"threads": 1, "time_limit_seconds": 1800.0}
    if row.study is not None:
        cast = {"threads": row.study.threads, "time_limit_seconds": row.study.time_limit_seconds}
    values = {
        "question": f"{recipe.name}, version {recipe.version}, {chosen.title.lower()}: does it hold here?"[:300],
        "kind": "on-off", "width": chosen.output.get("width"), "height": chosen.output.get("height"),
        "engine": baseline.engine if baseline else engine.name,
        "build": chosen.build if baseline is None or baseline.engine == engine.name else baseline.build,
        "settings": baseline.settings if baseline else {}, "repeats": 2, "passes": [], "quantities": {},
        **cast,
        "factors": [{"subject": "engine", "levels": [{"value": engine.name, "settings": settings}]}],
        **{key: value for key, value in place.items() if value not in (None, "")},
    }  # fmt: skip
    with transaction.atomic():
        study = study_from(values)
        queue_study(study)
    return study


def _options(row: DecidedUse) -> list[Any]:
    return list(row.chosen.options.values()) if row.chosen else []


def output_of(study: Study, option: Option) -> dict[str, Any]:
    """How an option's pictures are written, as a recipe has it."""
    setup = option.setup
    return {
        "width": setup.width, "height": setup.height, "format": setup.output_format,
        "view_transform": setup.view_transform, "passes": list(study.passes),
        "brightness_factor": option.brightness["factor"] if option.brightness else None,
    }  # fmt: skip


def _use(study: Study, found: Decided, row: DecidedUse) -> RecipeUse:
    assert row.chosen is not None
    option = row.chosen.first
    versions = sorted({run.engine_version for facts in _options(row) for run in facts.runs if run.engine_version})
    production = found.production
    output = output_of(study, option)
    output |= {"width": production.width or output["width"], "height": production.height or output["height"]}
    return RecipeUse(
        row.use.title, option.engine, option.build, ", ".join(versions), option.settings, output, row.use.limits,
        tuple(_evidence(study, row)), _forecast(found, row),
    )  # fmt: skip


def _evidence(study: Study, row: DecidedUse) -> list[dict[str, Any]]:
    """Every figure that it was chosen by, then the pairs and pictures that show it."""
    assert row.chosen is not None
    candidate = row.chosen.candidate
    rows: list[dict[str, Any]] = [
        {
            "what": name.replace("_", " "), "value": figure.value, "unit": figure.unit,
            "interval": list(figure.interval) if figure.interval else None, "method": figure.method,
            "where": candidate.where.get(name, ""),
        }
        for name, figure in sorted(candidate.figures.items())
    ]  # fmt: skip
    options = [facts.option.pk for facts in _options(row)]
    rows += [
        {"what": f"pair: {pair.subject}", "study": study.pk, "pair": pair.pk}
        for pair in Pair.objects.filter(study=study, trial__in=options).order_by("pk")[:MOST_EVIDENCE]
    ]
    rows += [
        {
            "what": f"picture: {place}, seed {run.seed}", "picture": run.picture,
            "machine": run.machine_name, "quiet": t.quiet if (t := run.times()) else None,
        }
        for place, facts in row.chosen.options.items() for run in facts.runs[:2]
    ]  # fmt: skip
    if row.by_hand:
        rows.append({"what": f"chosen by hand: {row.use.reasons or 'no reasons given'}"})
    return rows


def _forecast(found: Decided, row: DecidedUse) -> dict[str, Any]:
    if row.cost is None:
        return {}
    made, production = row.cost.forecast, found.production
    values: dict[str, Any] = {
        "frames": production.frames, "shots": production.shots, "machines": production.machines,
        "hours_a_day": production.hours_a_day, "cost_per_machine_hour": production.cost_per_machine_hour,
        "currency": production.currency, "ready_per": production.ready_per, "frame_seconds": made.frame_seconds,
        "machine_hours": made.machine_hours, "hours": made.hours, "nights": made.nights, "cost": made.cost,
    }  # fmt: skip
    if row.cost.saving is not None:
        values["saving"] = row.cost.saving.share
        values["saving_interval"] = list(row.cost.saving.interval) if row.cost.saving.interval else None
    return values
