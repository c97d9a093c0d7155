"""The match sheet: each condition of a control and a trial held, differing or unknown, and what that spoils."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

MOST_SHOWN = 6
State = Literal["held", "differs", "unknown", "under_test"]
Group = Literal["picture", "engine", "machine", "settings", "repeats"]


@dataclass(frozen=True)
class ConditionKind:
    """A condition that a comparison holds or varies, and what is spoiled in words when it differs unasked."""

    key: str
    title: str
    group: Group
    spoils: Mapping[str, str]


def _spoils(time: str = "", noise: str = "", look: str = "") -> Mapping[str, str]:
    return {name: words for name, words in (("time", time), ("noise", noise), ("look", look)) if words}


CONDITIONS: tuple[ConditionKind, ...] = (
    ConditionKind("scene", "Scene", "picture", _spoils(
        "other work was done", "another picture has other noise", "the pictures show different things")),
    ConditionKind("view", "View", "picture", _spoils(
        "other work was done", "another picture has other noise", "the pictures show different things")),
    ConditionKind("frame", "Frame", "picture", _spoils(
        "other work was done", "another picture has other noise", "the pictures show different moments")),
    ConditionKind("size", "Size", "picture", _spoils(
        "time grows with the pixels", "noise per pixel is not the noise seen", "detail differs with the pixels")),
    ConditionKind("light", "Light", "picture", _spoils(
        "paths differ", "noise follows the light", "brightness and colour differ by the light, not the setting")),
    ConditionKind("quantities", "Scene quantities", "picture", _spoils(
        "other work was done", "another scene has other noise", "the pictures show different things")),
    ConditionKind("exposure", "Exposure", "picture", _spoils(
        "", "", "brightness differs by the exposure, not the setting")),
    ConditionKind("format", "File format", "picture", _spoils(
        "", "coarser values hide or add noise", "coarser values shift dark places")),
    ConditionKind("brightness", "Brightness factor", "picture", _spoils(
        "", "noise is compared at different brightness", "brightness differs by the engines' units, not by the trial")),
    ConditionKind("engine", "Engine", "engine", _spoils(
        "the engines differ, not only a setting", "pixel filters differ", "the engines differ, not only a setting")),
    ConditionKind("version", "Version", "engine", _spoils(
        "another version may be faster by itself", "another version may sample otherwise",
        "another version may look different by itself")),
    ConditionKind("device", "Device", "engine", _spoils("times of different devices do not compare")),
    ConditionKind("machine", "Machine", "machine", _spoils("times of different machines do not compare")),
    ConditionKind("threads", "Threads", "machine", _spoils("wall time follows the threads")),
    ConditionKind("load", "Load", "machine", _spoils("the machine was busy, so CPU seconds are compared instead")),
    ConditionKind("settings", "Settings", "settings", _spoils(
        "more than one setting differs", "more than one setting differs", "more than one setting differs")),
    ConditionKind("quality", "Samples", "settings", _spoils(
        "a side was given more work", "a side was given more work")),
    ConditionKind("seeds", "Seeds", "repeats", _spoils(
        "", "a side without two different seeds has no noise figure")),
    ConditionKind("warm_up", "Warm-up", "repeats", _spoils("a first render includes compiling and loading")),
)  # fmt: skip


# may be under test besides a setting
WHOLE_CONDITIONS = ("scene", "view", "frame", "size", "light", "quantities", "engine", "version", "settings")


@dataclass(frozen=True)
class Condition:
    """One row of the sheet."""

    key: str
    title: str
    group: str
    state: State
    control: str
    trial: str
    spoils: dict[str, str]


@dataclass(frozen=True)
class MatchSheet:
    """All rows in the fixed order, and the overall sentence."""

    conditions: tuple[Condition, ...]
    summary: str

    @property
    def fair(self) -> bool:
        """Whether nothing but what is under test differs."""
        return all(row.state != "differs" for row in self.conditions)


def match_sheet(control: Mapping[str, Any], trial: Mapping[str, Any], under_test: Collection[str]) -> MatchSheet:
    """Hold two sets of conditions against each other.

    Parameters
    ----------
    control, trial : mapping
        Values by the keys of `CONDITIONS`; a missing key or None is unknown. ``settings`` is a mapping of setting
        names to values, ``quality_knob`` the name among them that counts as ``quality``.
    under_test : collection of str
        What is meant to differ: names of settings, or of `WHOLE_CONDITIONS`.
    """
    rows = []
    for kind in CONDITIONS:
        state, left, right = _compared(kind.key, control, trial, under_test)
        rows.append(
            Condition(
                kind.key,
                _title(kind, control),
                kind.group,
                state,
                left,
                right,
                dict(kind.spoils) if state == "differs" else {},
            )
        )
    return MatchSheet(tuple(rows), _summary(rows, under_test))


def merged_sheet(sheets: Sequence[MatchSheet]) -> MatchSheet:
    """One sheet for a whole plan: a condition is held when every pair holds it, and else what the worst pair says.

    Raises `ValueError` without a sheet.
    """
    if not sheets:
        raise ValueError("a plan without a pair has no match sheet")
    rows = []
    for column in zip(*(sheet.conditions for sheet in sheets), strict=True):
        state = next(
            state for state in ("differs", "under_test", "unknown", "held") if state in [r.state for r in column]
        )
        row = next(row for row in column if row.state == state)
        trials = list(dict.fromkeys(r.trial for r in column if r.state == state))
        shown_trials = ", ".join(trials[:MOST_SHOWN]) + (" …" if len(trials) > MOST_SHOWN else "")
        # held by every pair, it may still differ from pair to pair: both sides then have all of these in turn
        rows.append(replace(row, trial=shown_trials, control=shown_trials if state == "held" else row.control))
    worst = next((sheet for sheet in sheets if not sheet.fair), sheets[0])
    if len({sheet.summary for sheet in sheets}) == 1:
        return MatchSheet(tuple(rows), worst.summary)
    unfair = sum(not sheet.fair for sheet in sheets)
    tested = [row.title.lower() for row in rows if row.state == "under_test"]
    fair = f"All {len(sheets)} pairs are matched in all but {_list(tested)}."
    return MatchSheet(tuple(rows), f"{unfair} of {len(sheets)} pairs: {worst.summary}" if unfair else fair)


def _title(kind: ConditionKind, side: Mapping[str, Any]) -> str:
    knob = side.get("quality_knob")
    return str(knob).replace("_", " ").capitalize() if kind.key == "quality" and knob else kind.title


def _compared(
    key: str, control: Mapping[str, Any], trial: Mapping[str, Any], under_test: Collection[str]
) -> tuple[State, str, str]:
    engines = "engine" in under_test
    if key == "quality":
        knobs = [side.get("quality_knob") for side in (control, trial)]
        left, right = (
            (side.get("settings") or {}).get(knob) for side, knob in zip((control, trial), knobs, strict=True)
        )
        if None in knobs or knobs[0] != knobs[1] or engines:
            return "unknown", "", ""  # a sample of one engine is not a sample of another
        state = _state(left, right)
        tested = not {knobs[0], "settings"}.isdisjoint(under_test) and state == "differs"
        return ("under_test" if tested else state), shown(left), shown(right)
    if key == "settings":
        return ("under_test", "its own", "its own") if engines else _settings(control, trial, under_test)
    left, right = control.get(key), trial.get(key)
    if key == "brightness":
        return _brightness(left, right, engines)
    state = _state(left, right)
    belongs = (key in under_test and key in WHOLE_CONDITIONS) or (engines and key in ("version", "device"))
    return ("under_test" if belongs and state == "differs" else state), shown(left), shown(right)


def _brightness(left: Any, right: Any, engines: bool) -> tuple[State, str, str]:
    """Each side a mapping of ``factor`` and ``evidence``: where and from what pair the factor was got."""
    sides = [f"× {side['factor']:.4g}" if side else "× 1" for side in (left, right)]
    evidence = next((side["evidence"] for side in (right, left) if side and side.get("evidence")), "")
    if engines:
        if not evidence:
            return "unknown", "", ""
        together = f"{sides[0]} and {sides[1]}, {evidence}"
        return "held", together, together
    alike = (left or {}).get("factor", 1.0) == (right or {}).get("factor", 1.0)
    return ("held" if alike else "differs"), sides[0], sides[1]


def _settings(
    control: Mapping[str, Any], trial: Mapping[str, Any], under_test: Collection[str]
) -> tuple[State, str, str]:
    left, right = control.get("settings"), trial.get("settings")
    if left is None or right is None:
        return "unknown", "", ""
    knob = control.get("quality_knob")
    differing = sorted(n for n in {*left, *right} if n != knob and left.get(n) != right.get(n))
    if not differing:
        return "held", "all alike", "all alike"
    sides = [", ".join(f"{n.replace('_', ' ')} {shown(side.get(n))}" for n in differing) for side in (left, right)]
    tested = set(differing) <= set(under_test) or "settings" in under_test
    return ("under_test" if tested else "differs"), sides[0], sides[1]


def _state(left: Any, right: Any) -> State:
    if left is None or right is None:
        return "unknown"
    return "held" if left == right else "differs"


def shown(value: Any) -> str:
    """A condition's value in words; empty when unknown."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value)


def _summary(rows: Sequence[Condition], under_test: Collection[str]) -> str:
    differing = [row.title.lower() for row in rows if row.state == "differs"]
    unknown = [row.title.lower() for row in rows if row.state == "unknown"]
    tested = any(row.state == "under_test" for row in rows)
    titles = {row.key: row.title.lower() for row in rows if row.key in WHOLE_CONDITIONS}
    subject = _list([titles.get(name, name.replace("_", " ")) for name in under_test])
    if not tested and not differing:
        return f"Nothing differs: {subject} {'are' if len(under_test) > 1 else 'is'} the same on both sides."
    if differing:
        plural = len(differing) > 1 or differing[0].endswith("s")
        start = f"Not matched: {_list(differing)} {'differ' if plural else 'differs'}"
        text = f"{start} as well as {subject}." if tested else f"{start}."
    else:
        text = f"Matched in all but {subject}."
    if unknown:
        text += f" Not known yet: {_list(unknown)}."
    return text


def _list(words: Sequence[str]) -> str:
    return "".join(words) if len(words) < 2 else f"{', '.join(words[:-1])} and {words[-1]}"
