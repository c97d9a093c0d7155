"""Carries a search out: asks the core what to render next, queues it, and makes the pair when it is over."""

from __future__ import annotations

from dataclasses import replace
from statistics import median
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from matchedpair.engines import EngineDefinition
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError, MatchedPairError
from matchedpair.measures.cost import time_basis
from matchedpair.measures.figure import three
from matchedpair.plans.plan_kind import QUALITY
from matchedpair.search.same_noise import Knob, Step, Tried, next_step

from server.catalogue.engines import engine_named, missing_reason
from server.catalogue.zones import zones_by_view
from server.measuring.inputs import zones_to_measure
from server.measuring.option_facts import OptionFacts, all_facts
from server.measuring.paired import paired_noise
from server.pairs.partners import as_side
from server.runs.actions import must_be_ours, queue_options, stop_runs
from server.runs.models import BAD_STATES, OPEN_STATES
from server.searches.models import MatchedOn, Matching, MatchingState
from server.studies.actions import any_pair, keep_variant
from server.studies.levels import level_shown, level_value
from server.studies.models import Option, Study
from server.studies.side import SideDraft

ENDED = {
    "sure": MatchingState.SURE, "closest": MatchingState.CLOSEST, "not_reachable": MatchingState.NOT_REACHABLE,
    "failed": MatchingState.FAILED,
}  # fmt: skip
LEAST_SEEDS = 2
KNOWN_WITHIN = 0.1
LEAST_SHARE = 1e-6  # of the most that a number takes: 0 would turn a target off


@transaction.atomic
def begin(control: Option, trial: Option, on: str, zone: str, knob: str = "") -> Matching:
    """Begin to match a trial to a control by its quality knob or the named one; its first step is taken at once.

    Raises
    ------
    InputError
        Where the two are of different studies or places, an engine is missing or has no knob that is a number, the
        control has no figure yet, or the same search is under way.
    """
    study = control.study
    must_be_ours(study)
    knob = _checked(control, trial, zone, knob)
    facts = _facts(study)
    if _figure(on, facts[control.pk], facts[control.pk], zone) is None:
        what = "noise" if on == MatchedOn.NOISE else "time"
        raise InputError(f"the control's {what} is not known yet; wait until it is rendered and measured")
    if Matching.objects.filter(study=study, control=control, on=on, zone=zone, state=MatchingState.SEARCHING,
                               trial=trial, knob=knob).exists():  # fmt: skip
        raise InputError("this search is under way already")
    row = Matching.objects.create(study=study, control=control, trial=trial, on=on, zone=zone, knob=knob)
    row.tried = [
        {"quality": float(each.option.settings[knob]), "option": each.option.pk, "before": True, "refining": False}
        for each in _alike(trial, knob, facts) if _figure(on, facts[control.pk], each, zone) is not None
    ]  # fmt: skip
    row.save()
    advance(row)
    return row


def advance_all() -> int:
    """Take the next step of every search whose last step is rendered and measured. Returns how many renders."""
    searching = Matching.objects.filter(state=MatchingState.SEARCHING, study__removed_at=None)
    queued = 0
    for row in searching.select_related("study", "control", "trial"):
        try:
            queued += advance(row)
        except MatchedPairError as error:  # its engine or scene is another by now
            _end(row, MatchingState.FAILED, str(error))
    return queued


@transaction.atomic
def advance(row: Matching) -> int:
    """Take a search's next step, if its last is done. Returns how many renders were queued."""
    facts = _facts(row.study)
    if row.control_id not in facts or row.trial_id not in facts:
        return _end(row, MatchingState.FAILED, "an option of it is no longer in the plan")
    mine = [facts[each["option"]] for each in row.tried if each["option"] in facts]
    if any(each.open for each in [*mine, facts[row.control_id]]):
        return 0
    wanted = _figure(row.on, facts[row.control_id], facts[row.control_id], row.zone)
    if wanted is None:
        return _end(row, MatchingState.FAILED, "the control's figure is no longer there; render it again")
    seeds = max(row.study.repeats, LEAST_SEEDS)
    tried = [_tried(row, each, facts, seeds) for each in row.tried if each["option"] in facts]
    if any(each is None for each in tried):
        return 0  # rendered, and measured a moment later
    definition = engine_named(row.trial.engine)
    step = next_step(
        row.on, wanted, [each for each in tried if each is not None], _knob(definition, row.knob),
        begin=_begin(definition, row), renders_each=seeds,
    )  # fmt: skip
    if step.wanted is None or step.quality is None:
        return _over(row, step, _doubt(row, facts[row.control_id]))
    option = _option_at(row, definition, step.quality)
    row.tried = [
        *row.tried,
        {"quality": step.quality, "option": option.pk, "before": False, "refining": step.state == "refine"},
    ]
    row.words = step.words
    row.save()
    return queue_options(row.study, [option])


@transaction.atomic
def stop(row: Matching) -> None:
    """Stop a search and its renders that are still to come; what is rendered stays. Raises `InputError`."""
    if row.state != MatchingState.SEARCHING:
        raise InputError("this search is over")
    options = [each["option"] for each in row.tried if not each["before"]]
    stop_runs(row.study.runs.filter(option__in=options, state__in=OPEN_STATES))
    _end(row, MatchingState.STOPPED, "stopped by hand; its renders stay, and another search begins with them")


@transaction.atomic
def go_on(row: Matching) -> int:
    """Go on with a search that was stopped or failed. Returns how many renders. Raises `InputError`."""
    if row.state not in (MatchingState.STOPPED, MatchingState.FAILED):
        raise InputError("only a search that was stopped or failed can go on")
    options = [each["option"] for each in row.tried if not each["before"]]
    bad = list(row.study.options.filter(pk__in=options, runs__state__in=BAD_STATES).distinct())
    row.state, row.ended_at, row.words = MatchingState.SEARCHING, None, "goes on"
    row.save()
    queued = queue_options(row.study, bad) if bad else 0
    return queued or advance(row)


def with_figures(rows: QuerySet[Matching]) -> list[tuple[Matching, dict[int, float | None], float | None]]:
    """Searches, each with the figures of its options so far and the control's, which is the target."""
    found = []
    facts: dict[int, dict[int, OptionFacts]] = {}
    for row in rows:
        if row.study_id not in facts:
            facts[row.study_id] = _facts(row.study)
        own = facts[row.study_id]
        control = own.get(row.control_id)
        figures = {
            each["option"]: _figure(row.on, control, own[each["option"]], row.zone) if control else None
            for each in row.tried if each["option"] in own
        }  # fmt: skip
        found.append((row, figures, _figure(row.on, control, control, row.zone) if control else None))
    return found


def _doubt(row: Matching, control: OptionFacts) -> str:
    """That the target itself is hardly known, where rare bright pixels rule it; empty where it is known well enough."""
    measure = control.noise(row.zone) if row.on == MatchedOn.NOISE else None
    if measure is None or not measure.value or measure.low is None or measure.high is None:
        return ""
    if (measure.high - measure.low) / 2.0 <= KNOWN_WITHIN * measure.value:
        return ""
    ends = f"{three(measure.low)} to {three(measure.high)} %"
    return f"; but the control's noise itself is known only from {ends}: add seeds, or match in a zone"


def _over(row: Matching, step: Step, doubt: str) -> int:
    found = next((each["option"] for each in reversed(row.tried) if each["quality"] == step.quality), None)
    if found is not None and step.state in ("sure", "closest"):
        pair = any_pair(row.control, Option.objects.get(pk=found))
        row.pair = pair
        knob = row.knob
        if knob not in pair.under_test and "engine" not in pair.under_test:
            pair.under_test = [*pair.under_test, knob]
        pair.matched_on, pair.matched_zone = row.on, row.zone
        pair.save()
    return _end(row, ENDED[step.state], step.words + (doubt if step.state in ("sure", "closest") else ""))


def _end(row: Matching, state: MatchingState, words: str) -> int:
    row.state, row.words, row.ended_at = state, words, timezone.now()
    row.save()
    return 0


def _checked(control: Option, trial: Option, zone: str, name: str) -> str:
    """The name of the setting that is searched. Raises `InputError`."""
    if control.study_id != trial.study_id:
        raise InputError("control and trial belong to different studies")
    first, second = control.setup.description(), trial.setup.description()
    if replace(first, view_transform="") != replace(second, view_transform=""):
        raise InputError("control and trial show different places or sizes; match those of one place")
    definition = engine_named(trial.engine)
    missing = missing_reason(definition, trial.build)
    if missing:
        raise InputError(missing)
    knob = definition.setting(name) if name else definition.quality_knob
    if knob is None or knob.kind not in ("integer", "number"):
        raise InputError(f"{definition.title} marks no quality knob that is a number, so nothing can be searched")
    alike = as_side(control).key(but_for=knob.name) == as_side(trial).key(but_for=knob.name)
    # a target that the control does without is what such a search is for; another sample count of the control is not
    if control.pk == trial.pk or (alike and knob.name == control.quality_knob):
        raise InputError(f"control and trial differ in nothing but {knob.title.lower()}; choose another trial")
    if zone not in zones_to_measure(control.setup, zones_by_view()):
        raise InputError(f"there is no zone {zone!r} on this view")
    return knob.name


def _facts(study: Study) -> dict[int, OptionFacts]:
    rows = all_facts(study.options.filter(in_plan=True, left_out=""), zones_by_view())
    return {each.option.pk: each for each in rows}


def _alike(trial: Option, knob: str, facts: dict[int, OptionFacts]) -> list[OptionFacts]:
    """The trial and what differs from it in this setting alone, where it is above 0: 0 turns a target off."""
    own = as_side(trial).key(but_for=knob)
    found = []
    for each in facts.values():
        same = (each.option.engine, each.option.build, each.option.setup.scene_id) == (
            trial.engine, trial.build, trial.setup.scene_id,
        )  # fmt: skip
        if same and each.option.settings[knob] > 0 and as_side(each.option).key(but_for=knob) == own:
            found.append(each)
    return found


def _figure(on: str, control: OptionFacts, own: OptionFacts, zone: str) -> float | None:
    """Noise in the zone, place by place against the control's, or the median of rendering; both sides on one basis."""
    if on == MatchedOn.NOISE:
        figure = paired_noise(control.noise(zone), own.noise(zone))
        return figure.value if figure and figure.method == "twin" else None
    both = control.times + own.times
    times = own.times
    if not times:
        return None
    basis = time_basis(both)
    rendering = [seconds for t in times if (seconds := t.render_seconds(basis)) is not None]
    apart = all(t.render_seconds(basis) is not None for t in both)
    return median(rendering if apart else [t.seconds(basis) for t in times])


def _tried(row: Matching, each: dict[str, Any], facts: dict[int, OptionFacts], seeds: int) -> Tried | None:
    """What a step gave; None while it is rendered but not measured yet."""
    own = facts[each["option"]]
    figure = _figure(row.on, facts[row.control_id], own, row.zone)
    if figure is None and len(own.runs) >= LEAST_SEEDS and not own.measures:
        return None
    return Tried(each["quality"], figure, each["refining"], seeds)


def _knob(definition: EngineDefinition, name: str) -> Knob:
    setting = definition.setting(name)
    low = setting.minimum if setting.minimum is not None else 0.0
    high = setting.maximum if setting.maximum is not None else 1e9
    least = max(low, LEAST_SHARE * high if setting.kind == "number" else 1.0)
    return Knob(name, least, high, setting.kind == "integer")


def _begin(definition: EngineDefinition, row: Matching) -> float:
    """The trial's own value; where that turns the knob off, a tenth of the most it takes."""
    own = float(row.trial.settings[row.knob])
    return own if own > 0.0 else 0.1 * _knob(definition, row.knob).maximum


def _option_at(row: Matching, definition: EngineDefinition, quality: float) -> Option:
    """The option with the knob at this value: the one that is there, or a new one."""
    trial = row.trial
    setting = definition.setting(row.knob)
    value: Value = setting.cleaned(quality)
    side = as_side(trial)
    side = replace(side, settings={**side.settings, setting.name: value})
    levels = [_level(side, row.knob, each, own) for each, own in zip(trial.levels, row.control.levels, strict=True)]
    start = "" if trial.control_id is None else f"{trial.title}, "
    title = f"{start}{setting.title[:1].lower()}{setting.title[1:]} {value:g}"
    return keep_variant(trial, side, title, control=trial.control or row.control, levels=levels)


def _level(side: SideDraft, knob: str, level: dict[str, Any], control: dict[str, Any]) -> dict[str, Any]:
    """A factor's level as this side has it: only that of the knob may be another."""
    if level["subject"] not in (knob, QUALITY if knob == side.knob else knob):
        return level
    value = level_value(side, level["subject"])
    changed = level["changed"] or value != control["value"]
    return {**level, "value": value, "shown": level_shown(side, level["subject"]), "changed": changed}
