"""A study of any number of options made elsewhere: its factors are what its renders differ in."""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from django.db import transaction
from matchedpair.conditions.match_sheet import shown
from matchedpair.elsewhere import Facts, called_references
from matchedpair.engines.setting import is_number
from matchedpair.errors import InputError
from matchedpair.plans import CONTROL, TRIAL
from matchedpair.plans.plan_kind import ENGINE, FRAME, LIGHT, QUALITY, SCENE, SIZE, VERSION, VIEW, is_place
from matchedpair.plans.questions import QUESTIONS

from server.imports.judged_by import keep_references, kept_pictures
from server.imports.models import ImportedRender
from server.imports.pairing import MOST_SEEDS, keep_option, keep_run, keep_setup, keep_time, usable
from server.imports.passes import NONE, Passes
from server.imports.times_alone import TimeAlone
from server.studies.levels import ShownLevel
from server.studies.models import AS_CONTROL, Option, Pair, Study

MOST_OPTIONS = 500
FEW = 3
FACTORS = {  # in the order in which they are told: subject, title, and which conditions it lets differ
    "engine": (ENGINE, "Engine", ["engine", "settings", "quality", "denoiser", "version", "device"]),
    "version": (VERSION, "Version", ["version", "device"]),
    "scene": (SCENE, "Scene", ["scene", "view", "frame", "light", "quantities"]), "view": (VIEW, "View", ["view"]),
    "variant": (LIGHT, "Variant", ["light"]), "frame": (FRAME, "Frame", ["frame"]), "size": (SIZE, "Size", ["size"]),
}  # fmt: skip
PLACES = ("scene", "view", "variant", "frame", "size")


@dataclass(frozen=True)
class Group:
    """Renders alike in all but the seed."""

    place: tuple[Any, ...]
    how: tuple[Any, ...]
    rows: tuple[tuple[ImportedRender, Facts], ...]
    times: tuple[TimeAlone, ...] = ()

    @property
    def key(self) -> str:
        """What tells it from all others of its study."""
        return hashlib.sha256(json.dumps([self.place, self.how], default=str).encode()).hexdigest()

    @property
    def facts(self) -> Facts:
        """What they have in common."""
        return self.rows[0][1]


@dataclass(frozen=True)
class Made:
    """A study, and what was left out of it, each with the reason."""

    study: Study
    left_out: list[str]


@transaction.atomic
def make_study(
    question: str,
    rows: Sequence[ImportedRender],
    *,
    asked: str = "own",
    knobs: Mapping[str, bool] | None = None,
    control: int | None = None,
    times: Sequence[TimeAlone] = (),
    passes: Passes = NONE,
    references: Sequence[ImportedRender] = (),
) -> Made:
    """Gather renders into options and options into pairs; what cannot be used is left out and told.

    Parameters
    ----------
    asked : str
        The question it answers, by name.
    knobs : mapping
        Settings that buy less noise for more time, and whether less of them does; of each option the first that it has
        as a number is its own.
    control : int or None
        A render of the option that all others are compared with; without one that of the engine with the
        most renders at the middle step of its knob.
    times : sequence of TimeAlone
        Times of which there is no picture; they join the option that was rendered so.
    passes : Passes
        A layer of the files that is a pass of theirs.
    references : sequence of ImportedRender
        Renders that the others are judged by; these are no options.

    Raises
    ------
    InputError
        When fewer than two options are left, or more than `MOST_OPTIONS`.
    """
    if asked not in {each.name for each in QUESTIONS}:
        raise InputError(f"there is no question {asked!r}")
    names = dict(knobs or {})
    judges = {row.pk for row in references}
    groups, left_out = _grouped([row for row in rows if row.pk not in judges])
    groups = _with_times(groups, times, left_out)
    _must_be_some(groups, left_out)
    baseline = _baseline(groups, names, control)
    study = Study.objects.create(
        question=question, asked=asked, kind=_kind(_varied(groups), names), threads=1, from_elsewhere=True,
        setup=keep_setup(*baseline.rows[0]), passes=[passes.name] if passes.name else [],
    )  # fmt: skip
    _write(study, groups, baseline, names, passes)
    left_out += keep_references(study, references, _places(study, groups))
    return Made(study, [*left_out, *passes.left_out])


@transaction.atomic
def join_study(
    study: Study, rows: Sequence[ImportedRender], knobs: Mapping[str, bool], times: Sequence[TimeAlone] = (),
    passes: Passes = NONE,
) -> list[str]:  # fmt: skip
    """Bring a study up to what there is of its set by now: more seeds, and more options; what it has stays.

    Where it is judged by references, what is called one is one, also of what comes later. Returns what was left out.
    Raises `InputError` when its control is not among the renders any more.
    """
    kept = kept_pictures(study)
    called = called_references([row.name for row in rows]) if kept else frozenset()
    more = [row for row in rows if row.name in called and row.picture not in kept]
    groups, left_out = _grouped([row for row in rows if row.name not in called and row.picture not in kept])
    groups = _with_times(groups, times, left_out)
    _must_be_some(groups, left_out)
    first = study.options.order_by("number", "pk").first()
    baseline = next((each for each in groups if first is not None and each.key == first.key), None)
    if baseline is None:
        raise InputError(f"the control of “{study.question}” is not among these renders any more")
    _write(study, groups, baseline, knobs, passes)
    return [*left_out, *keep_references(study, more, _places(study, groups))]


def _places(study: Study, groups: Sequence[Group]) -> dict[tuple[Any, ...], Option]:
    """An option of each place, with its setup."""
    options = {option.key: option for option in study.options.select_related("setup")}
    return {group.place: options[group.key] for group in groups}


def _must_be_some(groups: Sequence[Group], left_out: Sequence[str]) -> None:
    if len(groups) < 2:
        more = f" ({left_out[0]})" if left_out else ""
        raise InputError(f"a study needs two options that differ in more than the seed; there is {len(groups)}{more}")
    if len(groups) > MOST_OPTIONS:
        raise InputError(f"these are {len(groups)} options; a study has at most {MOST_OPTIONS}")


def _write(study: Study, groups: list[Group], baseline: Group, knobs: Mapping[str, bool], passes: Passes) -> None:
    """Write options, runs and pairs as far as they are not there."""
    groups.sort(key=lambda each: (each is not baseline, each.place != baseline.place))
    varied = _varied(groups)
    known = {option.key: option for option in study.options.all()}
    number = 1 + max((option.number for option in known.values()), default=-1)
    options: dict[str, Option] = {}
    for group in groups:
        option = known.get(group.key)
        if option is None:
            option = keep_option(study, CONTROL, keep_setup(*group.rows[0]), group.facts, number=number, key=group.key)
            number += 1
        _describe(option, group, baseline, varied, knobs)
        _keep_runs(study, option, group, passes)
        _keep_times(study, option, group)
        options[group.key] = option
    controls = {group.place: options[group.key] for group in groups if group.how == baseline.how}
    for group in groups:
        option = options[group.key]
        if group.how != baseline.how:
            option.side, option.control = TRIAL, controls.get(group.place, options[baseline.key])
            option.save()
            if group.place in controls:
                _pair(study, controls[group.place], option)
    study.repeats = max(2, *(len(each.rows) for each in groups))
    study.kind = _kind(varied, knobs)
    study.save()


def _keep_runs(study: Study, option: Option, group: Group, passes: Passes) -> None:
    there = list(option.runs.values_list("picture", "seed"))
    pictures, seeds = {picture for picture, _ in there}, {seed for _, seed in there}
    index = 1 + max(seeds, default=-1)
    for row, facts in group.rows:
        if row.picture in pictures or facts.fields.get("seed") in seeds:
            continue
        keep_run(study, option, row, facts, index, passes.of(row))
        seeds.add(int(facts.fields.get("seed", index + 1)))
        index = 1 + max(seeds)


def _keep_times(study: Study, option: Option, group: Group) -> None:
    there = list(option.runs.filter(time_alone=True).values_list("seed", "log"))
    index, told = max((seed for seed, _ in there), default=0), {log for _, log in there}
    for each in group.times:
        log = f"Made elsewhere; its time, without a picture, stands in {each.name}."
        if log not in told:
            keep_time(study, option, each.facts, index, log)
            index += 1


def _with_times(groups: list[Group], times: Sequence[TimeAlone], left_out: list[str]) -> list[Group]:
    """Each time with the one option that was rendered so; what belongs to none, or may to several, is left out."""
    found: dict[int, list[TimeAlone]] = {}
    for each in times:
        own = [at for at, group in enumerate(groups) if _alike(each.facts) == _alike(group.facts)]
        if len(own) == 1:
            found.setdefault(own[0], []).append(each)
        elif own:
            left_out.append(f"{each.name}: renders like it have {len(own)} sizes; nobody can say whose time it is")
        else:
            left_out.append(f"{each.name}: no render here was made so; a time without a picture is no option")
    return [replace(group, times=tuple(found.get(at, ()))) for at, group in enumerate(groups)]


def _grouped(rows: Sequence[ImportedRender]) -> tuple[list[Group], list[str]]:
    left_out: list[str] = []
    found: dict[tuple[Any, ...], list[tuple[ImportedRender, Facts]]] = {}
    sizes: dict[tuple[Any, ...], Counter[tuple[int, int]]] = {}
    known = []
    for row in rows:
        try:
            facts = usable(row)
        except InputError as error:
            left_out.append(str(error))
            continue
        if row.stop and not _only_encoded(row):
            left_out.append(f"{row.name}: {row.stop}")
            continue
        known.append((row, facts))
        sizes.setdefault(_alike(facts), Counter())[row.width, row.height] += 1
    for row, facts in known:
        own_sizes = sizes[_alike(facts)]
        usual, many = own_sizes.most_common(1)[0]
        if own_sizes[row.width, row.height] == 1 and many >= FEW:  # one among many is a mishap, several are a choice
            left_out.append(
                f"{row.name}: is {row.width} × {row.height} pixels; the others like it are {usual[0]} × {usual[1]}"
            )
            continue
        place = (*(facts.fields.get(name) for name in PLACES[:-1]), f"{row.width} × {row.height}")
        own = found.setdefault((place, _how(facts)), [])
        seed = facts.fields.get("seed")
        if seed is not None and any(each.fields.get("seed") == seed for _, each in own):
            left_out.append(f"{row.name}: seed {seed} is there already for this option")
        elif len(own) >= MOST_SEEDS:
            left_out.append(f"{row.name}: an option has at most {MOST_SEEDS} seeds")
        else:
            own.append((row, facts))
    return [Group(place, how, tuple(own)) for (place, how), own in found.items()], left_out


def _only_encoded(row: ImportedRender) -> bool:
    """A picture for the screen can be looked at, though not measured."""
    return all(check["severity"] != "stop" or check["code"] == "encoded" for check in row.checks)


def _alike(facts: Facts) -> tuple[Any, ...]:
    """Of what one size is expected: a place, rendered in one way."""
    return (*(facts.fields.get(name) for name in PLACES[:-1]), _how(facts))


def _how(facts: Facts) -> tuple[Any, ...]:
    return (
        facts.fields.get("engine"), facts.fields.get("version"), facts.fields.get("device"),
        json.dumps(facts.settings, sort_keys=True),
    )  # fmt: skip


def _baseline(groups: Sequence[Group], knobs: Iterable[str], control: int | None) -> Group:
    if control is not None:
        for group in groups:
            if any(row.pk == control for row, _ in group.rows):
                return group
        raise InputError("the control is not among the renders of this study")
    many = Counter(engine for group in groups for engine in [group.facts.fields.get("engine")] * len(group.rows))
    engine = many.most_common(1)[0][0]

    own = [each for each in groups if each.facts.fields.get("engine") == engine]
    own.sort(key=lambda each: float(each.facts.settings[knob]) if (knob := _knob(each.facts, knobs)) else 0.0)
    first = [each for each in own if each.place == own[0].place]
    return first[(len(first) - 1) // 2]


def _knob(facts: Facts, knobs: Iterable[str]) -> str:
    return next((name for name in knobs if is_number(facts.settings.get(name))), "")


def _varied(groups: Sequence[Group]) -> list[str]:
    """The fields, then the settings, in which the options differ."""
    fields = [name for name in FACTORS if name != "size" and len({_field(each, name) for each in groups}) > 1]
    if len({each.place[-1] for each in groups}) > 1:
        fields.append("size")
    names = sorted({name for each in groups for name in each.facts.settings})
    return [*fields, *(name for name in names if len({_shown(each, name) for each in groups}) > 1)]


def _field(group: Group, name: str) -> str:
    return str(group.facts.fields.get(name, ""))


def _shown(group: Group, name: str) -> str:
    value = group.facts.settings.get(name)
    return "not set" if value is None else shown(value)


def _levels(group: Group, baseline: Group, varied: Sequence[str], knob: str) -> list[ShownLevel]:
    found = []
    for name in varied:
        if name in FACTORS:
            subject, title, names = FACTORS[name]
            value = group.place[-1] if name == "size" else _field(group, name)
            before = baseline.place[-1] if name == "size" else _field(baseline, name)
            found.append(ShownLevel(subject, title, value, value or "as it is", value != before, names))
            continue
        value, before = _shown(group, name), _shown(baseline, name)
        subject = QUALITY if name == knob else name[:40]
        title = name.replace("_", " ").capitalize()
        found.append(ShownLevel(subject, title, group.facts.settings.get(name), value, value != before, [name[:40]]))
    return found


def _describe(option: Option, group: Group, baseline: Group, varied: Sequence[str], knobs: Mapping[str, bool]) -> None:
    """What it is called, and what it has at each factor."""
    knob = _knob(group.facts, knobs)
    levels = _levels(group, baseline, varied, knob)
    changed = [level.words(knob) for level in levels if level.changed]
    option.title = (", ".join(changed) or AS_CONTROL)[:300]
    option.levels, option.quality_knob = [asdict(level) for level in levels], knob[:40]
    option.knob_goes_down = knobs.get(knob, False)
    option.save()


def _pair(study: Study, control: Option, trial: Option) -> None:
    levels = {row["subject"]: row for row in control.levels}
    differ = [
        row for row in trial.levels
        if not is_place(row["subject"]) and row["value"] != levels.get(row["subject"], {}).get("value")
    ]  # fmt: skip
    whole = [row for row in differ if row["subject"] == ENGINE]
    tested = list(dict.fromkeys(name for row in whole or differ for name in row["names"])) or ["settings"]
    words = [f"{row['title'][:1].lower()}{row['title'][1:]} {row['shown']}" for row in differ]
    fields = {"under_test": tested, "subject": (", ".join(words) or "settings")[:300]}
    Pair.objects.update_or_create(control=control, trial=trial, defaults={"study": study, **fields})


def _kind(varied: Sequence[str], knobs: Container[str]) -> str:
    return "ladder" if len(varied) == 1 and varied[0] in knobs else "table"


def knobs_among(settings: Iterable[Mapping[str, Any]]) -> list[str]:
    """Settings that vary as numbers and are called as such knobs are."""
    values: dict[str, set[float]] = {}
    for each in settings:
        for name, value in each.items():
            if is_number(value):
                values.setdefault(name, set()).add(float(value))
    return sorted(
        name for name, seen in values.items() if len(seen) > 1 and any(word in name.lower() for word in CALLED)
    )


CALLED = ("sample", "spp", "quality", "rays", "passes", "iteration")
