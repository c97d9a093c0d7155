"""A study before it exists: checked, with its options, its match sheets and its plan."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from matchedpair.conditions import MatchSheet, match_sheet, merged_sheet
from matchedpair.engines.definition import Effect
from matchedpair.errors import InputError, MatchedPairError, SettingsError
from matchedpair.pictures.view_transform import view_transforms
from matchedpair.plans import (
    CONTROL,
    TRIAL,
    PlannedRun,
    PlanOption,
    combinations,
    controls,
    is_place,
    kind_named,
    kind_problem,
    render_order,
)
from matchedpair.plans.plan import Combination
from matchedpair.plans.plan_kind import ENGINE, PRESET, SCENE, SIZE, VIEW
from matchedpair.scenes import Scene, Setup, setup_problems

from server.catalogue.engines import engine_named, missing_reason
from server.catalogue.scenes import scene_named
from server.studies.levels import (
    ORDER,
    Level,
    ShownLevel,
    changed_quantities,
    differing_levels,
    in_words,
    level_problem,
    level_shown,
    level_value,
    subject_title,
    tested_by,
    under_test,
    with_level,
)
from server.studies.models import AS_CONTROL, warm_key
from server.studies.side import SideDraft, make_side

Problems = dict[str, list[str]]
Found = TypeVar("Found")
BY_HAND = "left out by hand"
LADDER = "ladder"
MOST_NOTES = 6
SPEAK_FOR_THEMSELVES = (SCENE, VIEW, SIZE)  # where something is, without the word for what it is


@dataclass(frozen=True)
class OptionDraft:
    """One option of the plan: how it is rendered, which levels that is, and which option is its control.

    `comes_with` is the option whose render brings it: on its way, or `in_one_go` as a further frame.
    """

    side: SideDraft
    levels: tuple[ShownLevel, ...]
    control: int | None
    key: str
    left_out: str = ""
    comes_with: int | None = None
    small: bool = False
    in_one_go: bool = False

    @property
    def role(self) -> str:
        """Control or trial."""
        return CONTROL if self.control is None else TRIAL

    @property
    def title(self) -> str:
        """In words what is changed, or where a further control stands."""
        words = (level.words(self.side.knob) for level in self.levels if level.changed)
        return ", ".join(words) or AS_CONTROL

    def warms(self) -> str:
        """What a warm-up for it gets ready."""
        return warm_key(self.side.engine.name, self.side.build.name, self.side.scene.name, self.side.setup.revision)


@dataclass(frozen=True)
class Draft:
    """What the study form holds, resolved. Options are named by their place in `options`."""

    values: dict[str, Any]
    options: tuple[OptionDraft, ...]
    repeats: int

    @property
    def passes(self) -> tuple[str, ...]:
        """Passes to write besides the picture."""
        return tuple(self.values.get("passes") or ())

    def kept(self) -> list[int]:
        """The options that are rendered."""
        return [number for number, option in enumerate(self.options) if not option.left_out]

    def plan(self) -> list[PlannedRun]:
        """The renders it will make, by the options' places."""
        kept = self.kept()
        places = {number: place for place, number in enumerate(kept)}
        rows = []
        for number in kept:
            option = self.options[number]
            with_ = None if option.comes_with is None else places[option.comes_with]
            rows.append(PlanOption(option.warms(), with_))
        return [replace(row, option=kept[row.option]) for row in render_order(rows, self.repeats)]

    def trimmed(self, left_out: Mapping[int, str], repeats: int) -> Draft:
        """With more options left out, and why; never more repeats than before."""
        options = [
            replace(option, left_out=option.left_out or left_out.get(number, ""))
            for number, option in enumerate(self.options)
        ]
        return replace(self, options=tuple(_on_the_way(options, self.values)), repeats=repeats)

    def pairs(self) -> list[tuple[int, int]]:
        """Every trial with its control, of those that are rendered."""
        kept = set(self.kept())
        rows = [(option.control, number) for number, option in enumerate(self.options) if option.control is not None]
        return [(control, trial) for control, trial in rows if {control, trial} <= kept]

    def under_test(self, control: int, trial: int) -> list[str]:
        """What may differ between two options: conditions and settings by name."""
        first, second = self.options[control], self.options[trial]
        differing = differing_levels(first.levels, second.levels)
        return under_test(differing, same_engine=first.side.engine.name == second.side.engine.name)

    def subject(self, control: int, trial: int) -> str:
        """What the trial is, in words: its levels that its control lacks, and where that is."""
        first, second = self.options[control], self.options[trial]
        place = [b for a, b in zip(first.levels, second.levels, strict=True) if a.shown == b.shown and b.changed]
        changed = in_words(differing_levels(first.levels, second.levels))
        where = ", ".join(each.shown if each.subject in SPEAK_FOR_THEMSELVES else each.words() for each in place)
        return changed + (f" on {where}" if where else "")

    def match_sheet(self) -> MatchSheet | None:
        """The sheet of the whole plan as far as it is known before anything has run; None without a pair."""
        sheets = [
            match_sheet(self._conditions(control), self._conditions(trial), self.under_test(control, trial))
            for control, trial in self.pairs()
        ]
        return merged_sheet(sheets) if sheets else None

    def notes(self) -> list[str]:
        """What may surprise when it has run: a switch that is off elsewhere, brightness not brought together."""
        found = []
        for control, trial in self.pairs():
            sides = self.options[control].side, self.options[trial].side
            tested = self.under_test(control, trial)
            found += [_off(effect, *sides) for effect in sides[1].engine.effects if set(tested) & set(effect.needs)]
            for side in sides:
                idle = side.engine.without_effect(side.settings, side.build.name, tested)
                titles = {name: side.engine.setting(name).title for name in idle}
                found += [f"{titles[name]} {reason}, so both sides will be alike." for name, reason in idle.items()]
            if "engine" in tested and not sides[0].brightness and not sides[1].brightness:
                both = f"{sides[0].engine.title} and {sides[1].engine.title}"
                found.append(
                    f"{both} have not been brought together in brightness; "
                    "their pair offers it once both have rendered."
                )
        return list(dict.fromkeys(note for note in found if note))[:MOST_NOTES]

    def _conditions(self, number: int) -> dict[str, Any]:
        seeds = ", ".join(str(seed + 1) for seed in range(self.repeats))
        threads = self.values["threads"]
        return self.options[number].side.conditions() | {
            "threads": threads, "seeds": seeds, "seed_count": self.repeats, "warm_up": "thrown away",
        }  # fmt: skip


def resolve(values: dict[str, Any]) -> tuple[Draft | None, Problems]:
    """A draft from the form's checked values, or what is wrong with them by field."""
    baseline, problems = baseline_of(values)
    if baseline is None:
        return None, problems
    titles, levels = _levels(problems, baseline, values["factors"])
    kind = _found(problems, "kind", lambda: kind_named(values["kind"]))
    if problems or kind is None:
        return None, problems
    subjects = [factor["subject"] for factor in values["factors"]]
    counts = [len(row) for row in levels]
    wrong = kind_problem(kind, subjects, counts, baseline.knob)
    rows = None if wrong else _found(problems, "factors", lambda: combinations(kind.shape, counts))
    if rows is None:
        return None, problems or {"factors": [wrong or ""]}
    numbers = controls(kind.shape, rows, [is_place(subject) for subject in subjects])
    factors = _Factors(subjects, titles, levels)
    options = _options(problems, baseline, factors, list(zip(rows, numbers, strict=True)), values)
    if problems:
        return None, problems
    draft = Draft(values, tuple(_on_the_way(options, values)), values["repeats"])
    return (draft, {}) if draft.pairs() else (None, {"left_out": ["every trial is left out; keep at least one"]})


@dataclass(frozen=True)
class _Factors:
    subjects: list[str]
    titles: list[str]
    levels: list[list[Level]]


def _options(
    problems: Problems, baseline: SideDraft, factors: _Factors, rows: Sequence[tuple[Combination, int | None]],
    values: dict[str, Any],
) -> list[OptionDraft]:  # fmt: skip
    """The options of these combinations, each with its control's number; two that come to the same are planned once."""
    options: dict[str, OptionDraft] = {}
    made: dict[Combination, SideDraft] = {}
    places: list[int] = []
    for row, control in rows:
        try:
            side = _combined(baseline, factors, row, made)
        except MatchedPairError as error:
            problems["factors"] = [level_problem(error)]
            return []
        problems |= _cannot(side, values)
        side, small = _small(side, values.get("small"))
        key = side.key()
        places.append(list(options).index(key) if key in options else len(options))
        if key not in options:
            own = [_by_itself(baseline, side, factors, place, index) for place, index in enumerate(row)]
            shown = tuple(
                ShownLevel(subject, title, level_value(level, subject), level_shown(level, subject), index > 0,
                           tested_by(side, subject))
                for subject, title, index, level in zip(factors.subjects, factors.titles, row, own, strict=True)
            )  # fmt: skip
            left_out = BY_HAND if key in (values.get("left_out") or ()) and control is not None else ""
            numbered = None if control is None else places[control]
            options[key] = OptionDraft(side, shown, numbered, key, left_out, None, small)
    return list(options.values())


def _by_itself(baseline: SideDraft, side: SideDraft, factors: _Factors, place: int, index: int) -> SideDraft:
    """The side that names a factor's level: an engine or preset is named without what other factors change in it."""
    subject = factors.subjects[place]
    if subject not in (ENGINE, PRESET):
        return side
    return with_level(baseline, subject, factors.levels[place][index - 1]) if index else baseline


def baseline_of(values: dict[str, Any]) -> tuple[SideDraft | None, Problems]:
    """The control that a draft's values describe, whatever its factors; or what is wrong with it by field."""
    problems: Problems = {}
    scene = _found(problems, "scene", lambda: scene_named(values["scene"]))
    engine = _found(problems, "engine", lambda: engine_named(values["engine"]))
    if scene is None or engine is None:
        return None, problems
    setup = _setup(scene, values)
    problems |= {part: [text] for part, text in setup_problems(setup, scene).items()}
    _found(problems, "view_transform", lambda: _known_transform(setup.view_transform))
    build, settings = values.get("build") or "", values["settings"]
    side = _found(problems, "settings", lambda: make_side(scene, setup, engine, build, settings))
    if side and not problems:
        problems |= _cannot(side, values)
    return (None, problems) if problems else (side, {})


def _setup(scene: Scene, values: dict[str, Any]) -> Setup:
    crop = values.get("crop")
    return Setup(
        scene=scene.title, revision=scene.revision, view=values["view"], width=values["width"], height=values["height"],
        variant=values.get("variant") or "as-is", frame=values.get("frame", scene.first_frame),
        crop=(crop["x"], crop["y"], crop["width"], crop["height"]) if crop else None,
        quantities=changed_quantities(scene, values.get("quantities") or {}),
        output_format=values.get("output_format") or "exr-half",
        view_transform=values.get("view_transform") or view_transforms().default,
    )  # fmt: skip


def _levels(
    problems: Problems, baseline: SideDraft, factors: Sequence[dict[str, Any]]
) -> tuple[list[str], list[list[Level]]]:
    """Title and levels of each factor, those left out that are the baseline's own or stand there twice."""
    titles: list[str] = []
    levels: list[list[Level]] = []
    for place, factor in enumerate(factors):
        subject = factor["subject"]
        titles.append(_found(problems, f"factors.{place}", lambda s=subject: subject_title(baseline, s)) or "")  # type: ignore[misc]  # bound at once
        kept: dict[str, Level] = {}
        for index, row in enumerate(factor["levels"]):
            level = Level(row["value"], row.get("settings"))
            try:
                key = with_level(baseline, subject, level).key()
            except MatchedPairError as error:
                problems.setdefault(f"factors.{place}.{index}", []).append(level_problem(error))
                continue
            if key != baseline.key():
                kept.setdefault(key, level)
        levels.append(list(kept.values()))
    return titles, levels


def _combined(
    baseline: SideDraft, factors: _Factors, row: Combination, made: dict[Combination, SideDraft]
) -> SideDraft:
    """The baseline with the row's levels taken; what rows have in common, scenes above all, is read and made once."""
    side = baseline
    taken = [0] * len(row)
    for place in sorted(range(len(row)), key=lambda place: ORDER.get(factors.subjects[place], len(ORDER))):
        if row[place]:
            taken[place] = row[place]
            so_far = tuple(taken)
            if so_far not in made:
                made[so_far] = with_level(side, factors.subjects[place], factors.levels[place][row[place] - 1])
            side = made[so_far]
    return side


def _cannot(side: SideDraft, values: dict[str, Any]) -> Problems:
    """What its engine has no way to be asked, or that it is not on this machine."""
    wrong = {name: [text] for name, text in side.unsupported(tuple(values.get("passes") or ())).items()}
    missing = missing_reason(side.engine, side.build.name)
    return wrong | ({"engine": [missing]} if missing else {})


def _small(side: SideDraft, small: dict[str, Any] | None) -> tuple[SideDraft, bool]:
    if not small:
        return side, False
    if small.get("scale"):
        return side.smaller(small["scale"]), True
    crop = small.get("crop")
    if not crop:
        return side, False
    part = (crop["x"], crop["y"], crop["width"], crop["height"])
    return replace(side, setup=replace(side.setup, crop=part)), True


def _on_the_way(options: list[OptionDraft], values: dict[str, Any]) -> list[OptionDraft]:
    """In a ladder, options that the render of a higher one writes on the way; else frames by one process."""
    options = [replace(option, comes_with=None, in_one_go=False) for option in options]
    if values["kind"] != LADDER or not values.get("on_the_way", True) or values.get("passes"):
        return _in_one_go(options) if values.get("in_one_go", True) else options
    groups: dict[str, list[int]] = {}
    for number, option in enumerate(options):
        side = option.side
        budget = side.engine.time_budget
        timed = bool(budget and side.settings[budget.name])
        if side.engine.writes_on_the_way and not option.left_out and not timed:
            groups.setdefault(side.key(but_for=side.knob), []).append(number)
    for numbers in groups.values():
        top = max(numbers, key=lambda number: float(options[number].side.settings[options[number].side.knob]))
        for number in numbers:
            if number != top:
                options[number] = replace(options[number], comes_with=top)
    return options


def _in_one_go(options: list[OptionDraft]) -> list[OptionDraft]:
    """Frames that follow each other come with the first of them, where the engine renders them by one process."""
    groups: dict[str, list[int]] = {}
    for number, option in enumerate(options):
        if option.side.engine.renders_sequences and not option.left_out:
            still = replace(option.side, setup=replace(option.side.setup, frame=0))
            groups.setdefault(still.key(), []).append(number)
    for numbers in groups.values():
        first = last = None
        for number in sorted(numbers, key=lambda each: options[each].side.setup.frame):
            frame = options[number].side.setup.frame
            if first is None or last is None or frame != last + 1:
                first = number
            else:
                options[number] = replace(options[number], comes_with=first, in_one_go=True)
            last = frame
    return options


def _off(effect: Effect, control: SideDraft, trial: SideDraft) -> str:
    off = trial.engine.switched_off(effect, trial.settings)
    if not off or not control.engine.switched_off(effect, control.settings):
        return ""
    names = " and ".join(trial.engine.setting(name).title for name in off)
    title = effect.effect.replace("-", " ").capitalize()
    return f"{title} stays off on both sides: {names} must be on as well. The pictures will come out the same."


def _known_transform(name: str) -> bool:
    if name not in view_transforms().names:
        raise InputError(view_transforms().unknown(name))
    return True


def _found(problems: Problems, field: str, find: Callable[[], Found]) -> Found | None:
    try:
        return find()
    except SettingsError as error:
        rows = error.problems.items()
        if field == "settings":
            problems |= {name if name == "build" else f"settings.{name}": [text] for name, text in rows}
        else:
            problems[field] = [text for _, text in rows]
    except (InputError, ValueError) as error:
        problems[field] = [str(error)]
    return None
