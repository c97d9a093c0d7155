"""Carries searches out: asks the core what to compare next, renders it small, and confirms the result at full size."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace

from django.db import transaction
from django.utils import timezone
from matchedpair.choose.raising import Change, Compared, Ladder, RaisingStep, next_raise
from matchedpair.engines.setting import Value
from matchedpair.errors import InputError, MatchedPairError, SettingsError

from server.catalogue.engines import engine_named, missing_reason
from server.findings.models import Comparison
from server.findings.pairs import pair_findings, with_all
from server.findings.partners import as_side
from server.runs.actions import must_be_ours, queue_options, stop_runs
from server.runs.models import BAD_STATES, OPEN_STATES, Run
from server.searches.models import Search, SearchState
from server.studies.actions import any_pair, keep_variant
from server.studies.models import Option, Pair, Purpose, Study

GOING_ON = (SearchState.SEARCHING, SearchState.CONFIRMING)
PENDING = "pending"


@dataclass(frozen=True)
class Thresholds:
    """Above which a change counts: stops of brightness, ΔE00 of colour, percent in a cell that differs by itself."""

    stops: float
    colour: float
    percent: float


@transaction.atomic
def begin(
    base: Option, ladders: Sequence[Ladder], *, scale: float, thresholds: Thresholds, most_renders: int | None
) -> Search:
    """Begin a search from an option's settings; its first renders are queued at once.

    Raises
    ------
    InputError, SettingsError
        Where its renders were made elsewhere, its engine is missing, a level does not fit, or a search is under way.
    """
    study = base.study
    must_be_ours(study)
    _check(base, ladders)
    if study.searches.filter(state__in=GOING_ON).exists():
        raise InputError("a search of this study is under way; stop it first")
    row = Search.objects.create(
        study=study, base=base, ladders=[asdict(ladder) for ladder in ladders], scale=scale,
        most_stops=thresholds.stops, most_colour=thresholds.colour, most_percent=thresholds.percent,
        most_renders=most_renders,
    )  # fmt: skip
    advance(row)
    return row


def advance_all() -> int:
    """Take the next step of every search whose last is rendered and compared. Returns how many renders."""
    queued = 0
    for row in Search.objects.filter(state__in=GOING_ON, study__removed_at=None).select_related("study"):
        try:
            queued += advance(row)
        except MatchedPairError as error:  # its engine or scene is another by now
            _end(row, SearchState.FAILED, str(error))
    return queued


@transaction.atomic
def advance(row: Search) -> int:
    """Take a search's next step, if its last is done. Returns how many renders were queued."""
    if row.state == SearchState.CONFIRMING:
        return _confirmed(row)
    compared = []
    for each in row.compared:
        change = _change(row, each["pair"])
        if change == PENDING:
            return 0
        assert not isinstance(change, str)
        compared.append(Compared(each["lower"], each["upper"], change))
    ladders = [Ladder(each["setting"], tuple(each["levels"])) for each in row.ladders]
    step = next_raise(ladders, row.base.settings, compared, most_renders=row.most_renders)
    _note(row, step)
    if step.state == "render":
        return _compare(row, step)
    if step.state == "done":
        return _confirm(row, step)
    return _end(row, SearchState.FAILED if step.state == "failed" else SearchState.OUT_OF_BUDGET, step.words)


@transaction.atomic
def stop(row: Search) -> None:
    """Stop a search and its renders to come; what is rendered stays. Raises `InputError`."""
    if row.state not in GOING_ON:
        raise InputError("this search is over")
    stop_runs(Run.objects.filter(option__in=_options(row), state__in=OPEN_STATES))
    _end(row, SearchState.STOPPED, "stopped by hand; what was compared stays")


@transaction.atomic
def go_on(row: Search, most_renders: int | None = None) -> int:
    """Go on with a search that was stopped, failed or ran out of budget; bad renders are made again.

    Raises `InputError`.
    """
    if row.state in (*GOING_ON, SearchState.DONE):
        raise InputError("only a search that was stopped, failed or ran out of budget can go on")
    if most_renders is not None:
        row.most_renders = most_renders
    row.state, row.ended_at, row.words = SearchState.SEARCHING, None, "goes on"
    row.save()
    bad = list(Option.objects.filter(pk__in=_options(row), runs__state__in=BAD_STATES).distinct())
    queued = queue_options(row.study, bad) if bad else 0
    return queued or advance(row)


def _check(base: Option, ladders: Sequence[Ladder]) -> None:
    definition = engine_named(base.engine)
    missing = missing_reason(definition, base.build)
    if missing:
        raise InputError(missing)
    if not ladders:
        raise InputError("choose at least one setting to raise")
    if len({ladder.setting for ladder in ladders}) < len(ladders):
        raise InputError("a setting stands there twice; put all its levels into one row")
    problems = {}
    for ladder in ladders:
        setting = definition.setting(ladder.setting)
        wrong = next((problem for level in ladder.levels if (problem := setting.problem_with(level))), None)
        if wrong:
            problems[ladder.setting] = wrong
        elif list(ladder.levels) != sorted(set(ladder.levels)):  # type: ignore[type-var]  # numbers, as was checked
            problems[ladder.setting] = "the levels must rise"
    if problems:
        raise SettingsError(problems)
    as_side(base)


def _compare(row: Search, step: RaisingStep) -> int:
    """Queue the two ways of rendering, and make the pair that compares them."""
    lower, upper = (_option(row, settings, scale=row.scale) for settings in (step.lower, step.upper))
    pair = _pair(upper, lower)
    row.compared = [*row.compared, {"lower": step.lower, "upper": step.upper, "pair": pair.pk}]
    row.save()
    return queue_options(row.study, [upper, lower])


def _pair(control: Option, trial: Option) -> Pair:
    """Their pair, with the settings under test in which they differ."""
    pair = any_pair(control, trial)
    differing = sorted(name for name, value in trial.settings.items() if control.settings.get(name) != value)
    pair.under_test = list(dict.fromkeys([*pair.under_test, *differing]))
    pair.save()
    return pair


def _confirm(row: Search, step: RaisingStep) -> int:
    """The result against the present settings, at full size; nothing when it is the same."""
    option = _option(row, step.settings, scale=1.0)
    if option.pk == row.base.pk:
        return _end(row, SearchState.DONE, "the present settings are the least already")
    row.pair = _pair(row.base, option)
    row.state, row.words = SearchState.CONFIRMING, "rendered at full size beside the present settings"
    row.save()
    return queue_options(row.study, [row.base, option]) or _confirmed(row)


def _confirmed(row: Search) -> int:
    if row.pair is None:
        return _end(row, SearchState.FAILED, "the pair of the result is gone")
    change = _change(row, row.pair.pk)
    if change == PENDING:
        return 0
    assert not isinstance(change, str)
    if change is None:
        return _end(row, SearchState.FAILED, "the result could not be rendered at full size")
    words = "nothing that can be told" if not change.found else change.words or "less than the threshold"
    kept = "It holds at full size" if change.amount <= 1.0 else "At full size it changes more than the threshold"
    return _end(row, SearchState.DONE, f"{kept}: {words}")


def _option(row: Search, settings: Mapping[str, Value], *, scale: float) -> Option:
    side = replace(as_side(row.base), settings=dict(settings))
    if scale < 1.0:
        side = side.smaller(scale)
    changed = [f"{name.replace('_', ' ')} {value:g}" for name, value in settings.items()
               if value != row.base.settings.get(name) and isinstance(value, int | float)]  # fmt: skip
    small = [] if scale >= 1.0 else [f"{side.setup.width} × {side.setup.height}"]
    return keep_variant(
        row.base,
        side,
        ", ".join([*changed, *small]) or "as the control",
        control=row.base.control,
        purpose=Purpose.COUNTED if scale >= 1.0 else Purpose.SEARCH,
    )


def _change(row: Search, pair: int) -> Change | str | None:
    """What a pair's trial changes; None when a side could not be rendered, `PENDING` while it is to come."""
    kept = with_all(Pair.objects.filter(pk=pair)).first()
    if kept is None:
        return None
    found = pair_findings(kept)
    runs = [run for option in (kept.control, kept.trial) for run in option.runs.all() if not run.warm_up]
    if any(run.state in OPEN_STATES for run in runs):
        return PENDING
    if len(found.control.runs) < 2 or len(found.trial.runs) < 2:
        return None
    if found.comparison is None:
        return PENDING
    zones = [("", found.comparison), *((zone.zone, zone.comparison) for zone in found.zones if zone.comparison)]
    thresholds = Thresholds(row.most_stops, row.most_colour, row.most_percent)
    parts = [part for zone, comparison in zones for part in _parts(zone, comparison, thresholds)]
    differs = any(comparison.difference and comparison.difference["found"] for _, comparison in zones)
    amount, words = max(parts, default=(0.0, ""))
    return Change(differs or amount > 0.0, amount, words)


def _parts(zone: str, comparison: Comparison, most: Thresholds) -> list[tuple[float, str]]:
    """Each way in which the pictures differ in a zone, as a share of its threshold, in words; chance is none."""
    where = f" in {zone}" if zone else ""
    found = []
    look, difference = comparison.look, comparison.difference
    if look and look["interval"] and look["interval"][0] * look["interval"][1] > 0.0:
        found.append((abs(look["stops"]) / most.stops, f"{look['stops']:+.3f} stops{where}".replace("-", "−")))
    if difference and difference["found"]:
        if look:
            colour = look["delta_e_after_gain"]
            found.append((colour / most.colour, f"{colour:.2f} ΔE00 of colour{where}"))
        cells = [cell for cell in difference["zones"] if abs(cell["percent"]) > cell["smallest_seen_percent"]]
        if cells:
            worst = max(cells, key=lambda cell: abs(cell["percent"]))
            told = f"{worst['percent']:+.2g} % in row {worst['row'] + 1}, column {worst['column'] + 1}{where}"
            found.append((abs(worst["percent"]) / most.percent, told.replace("-", "−")))
    return found


def _note(row: Search, step: RaisingStep) -> None:
    row.trace = [
        {
            "pass": each.passed, "setting": each.setting, "level": each.level, "outcome": each.outcome,
            "words": each.words, "change": each.change.words if each.change else "",
            "amount": each.change.amount if each.change else None,
        }
        for each in step.trace
    ]  # fmt: skip
    row.unused, row.found, row.words = list(step.unused), step.settings, step.words
    row.save()


def _end(row: Search, state: SearchState, words: str) -> int:
    row.state, row.words, row.ended_at = state, words, timezone.now()
    row.save()
    return 0


def _options(row: Search) -> list[int]:
    pairs = Pair.objects.filter(pk__in=[each["pair"] for each in row.compared] + ([row.pair_id] if row.pair_id else []))
    own = {pk for pair in pairs.values_list("control", "trial") for pk in pair}
    return sorted(own - {row.base_id})


def study_searches(study: Study) -> list[Search]:
    """The searches of a study, newest first."""
    return list(study.searches.select_related("base"))
