"""The match sheet: each condition of a control and a trial held, differing or unknown, and what that spoils."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from matchedpair.conditions.conditions import CONDITIONS, WHOLE_CONDITIONS, ConditionKind

MOST_SHOWN = 6
State = Literal["held", "differs", "unknown", "under_test"]
Side = Mapping[str, Any]
BUSY = "busy"


@dataclass(frozen=True)
class Condition:
    """One row of the sheet.

    Parameters
    ----------
    spoils, remains : dict, str
        What of time, noise and look does not compare, and what still does; empty where nothing is spoiled.
    note : str
        What to keep in mind although the condition is held or under test.
    remedy : str
        What would make it held, as a button says it; empty where nothing would, or nothing needs to.
    """

    key: str
    title: str
    group: str
    state: State
    control: str
    trial: str
    spoils: dict[str, str]
    remains: str = ""
    note: str = ""
    remedy: str = ""


@dataclass(frozen=True)
class MatchSheet:
    """All rows in the fixed order, and the overall sentence."""

    conditions: tuple[Condition, ...]
    summary: str

    @property
    def fair(self) -> bool:
        """Whether nothing but what is under test differs."""
        return all(row.state != "differs" for row in self.conditions)


@dataclass(frozen=True)
class _Found:
    """What is found of one condition: its state, both sides in words, and what to keep in mind."""

    state: State
    control: str = ""
    trial: str = ""
    note: str = ""
    spoils: Mapping[str, str] | None = field(default=None)


def match_sheet(control: Side, trial: Side, under_test: Collection[str]) -> MatchSheet:
    """Hold two sets of conditions against each other.

    Parameters
    ----------
    control, trial : mapping
        Values by the keys of `CONDITIONS`; a missing key or None is unknown. ``settings`` is a mapping of setting
        names to values, ``quality_knob`` the name among them that counts as ``quality``, ``denoisers`` those that its
        engine declares, ``titles`` what its settings are called, by name, ``pixel_settings`` those that are measured in
        pixels; ``seeds`` are words, ``seed_count`` how many different pictures they gave.
    under_test : collection of str
        What is meant to differ: names of settings, or of `WHOLE_CONDITIONS`.
    """
    rows = [_row(kind, control, trial, under_test) for kind in CONDITIONS]
    return MatchSheet(tuple(rows), _summary(rows, under_test, control))


def _row(kind: ConditionKind, control: Side, trial: Side, under_test: Collection[str]) -> Condition:
    rule = _RULES.get(kind.key)
    found = rule(control, trial, under_test) if rule else _plain(kind.key, control, trial, under_test)
    spoils = dict(kind.spoils if found.spoils is None else found.spoils) if found.state == "differs" else {}
    mended = found.state == "differs" and kind.remedy and _can_be_mended(kind.key, control, trial)
    return Condition(
        kind.key, _title(kind, control), kind.group, found.state, found.control, found.trial, spoils,
        kind.remains if spoils else "", found.note, kind.remedy if mended else "",
    )  # fmt: skip


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
        note = row.note or next((r.note for r in column if r.note), "")
        # held by every pair, it may still differ from pair to pair: both sides then have all of these in turn
        rows.append(
            replace(row, trial=shown_trials, control=shown_trials if state == "held" else row.control, note=note)
        )
    worst = next((sheet for sheet in sheets if not sheet.fair), sheets[0])
    if len({sheet.summary for sheet in sheets}) == 1:
        return MatchSheet(tuple(rows), worst.summary)
    unfair = sum(not sheet.fair for sheet in sheets)
    tested = [row.title.lower() for row in rows if row.state == "under_test"]
    if unfair:
        return MatchSheet(tuple(rows), f"{unfair} of {len(sheets)} pairs: {worst.summary}")
    notes = _notes(rows)
    return MatchSheet(tuple(rows), f"All {len(sheets)} pairs are matched but for {_list(tested)}{notes}.")


def _title(kind: ConditionKind, side: Side) -> str:
    knob = side.get("quality_knob")
    if kind.key != "quality" or not knob:
        return kind.title
    title = _named(side, str(knob))
    return f"{title[:1].upper()}{title[1:]}"


def _named(side: Side, setting: str) -> str:
    """A setting by its title, as within a sentence; by its name where the engine is not known here."""
    title = (side.get("titles") or {}).get(setting) or setting.replace("_", " ")
    return f"{title[:1].lower()}{title[1:]}"


def _can_be_mended(key: str, control: Side, trial: Side) -> bool:
    """A control can be rendered like the trial only where both are of the same engine and scene."""
    return control.get("engine") == trial.get("engine") and (
        key == "scene" or control.get("scene") == trial.get("scene")
    )


def _plain(key: str, control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    left, right = control.get(key), trial.get(key)
    state = _state(left, right)
    engines = "engine" in under_test
    belongs = (key in under_test and key in WHOLE_CONDITIONS) or (engines and key in ("version", "device"))
    return _Found("under_test" if belongs and state == "differs" else state, shown(left), shown(right))


def _crop(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    """With another view or size under test, the part belongs to it."""
    found = _plain("crop", control, trial, under_test)
    belongs = not {"size", "view", "scene"}.isdisjoint(under_test) and found.state == "differs"
    return replace(found, state="under_test") if belongs else found


def _quality(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    knobs = [side.get("quality_knob") for side in (control, trial)]
    left, right = ((side.get("settings") or {}).get(knob) for side, knob in zip((control, trial), knobs, strict=True))
    if None in knobs or knobs[0] != knobs[1] or "engine" in under_test:
        return _Found("unknown")  # a sample of one engine is not a sample of another
    state = _state(left, right)
    tested = not {knobs[0], "settings"}.isdisjoint(under_test) and state == "differs"
    return _Found("under_test" if tested else state, shown(left), shown(right))


def _brightness(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    """Each side a mapping of ``factor`` and ``evidence``: where and from what pair the factor was got."""
    left, right = control.get("brightness"), trial.get("brightness")
    sides = [f"× {side['factor']:.4g}" if side else "× 1" for side in (left, right)]
    evidence = next((side["evidence"] for side in (right, left) if side and side.get("evidence")), "")
    if "engine" in under_test:
        together = f"{sides[0]} and {sides[1]}, {evidence}"
        return _Found("held", together, together) if evidence else _Found("unknown")
    alike = (left or {}).get("factor", 1.0) == (right or {}).get("factor", 1.0)
    return _Found("held" if alike else "differs", sides[0], sides[1])


def _settings(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    if "engine" in under_test:
        return _Found("under_test", "its own", "its own")
    left, right = control.get("settings"), trial.get("settings")
    if left is None or right is None:
        return _Found("unknown")
    knob = control.get("quality_knob")
    declared = control.get("denoisers")
    differing = sorted(
        n for n in {*left, *right} if n != knob and not is_denoiser(n, declared) and left.get(n) != right.get(n)
    )  # fmt: skip
    if not differing:
        return _Found("held", "all alike", "all alike")
    sides = [", ".join(f"{_named(control, n)} {shown(side.get(n))}" for n in differing) for side in (left, right)]
    tested = set(differing) <= set(under_test) or "settings" in under_test
    return _Found("under_test" if tested else "differs", sides[0], sides[1])


def _pixel_settings(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    """What is measured in pixels stays the same in a picture of another size, and so covers another part of it."""
    sizes = [side.get("size") for side in (control, trial)]
    left, right = control.get("pixel_settings"), trial.get("pixel_settings")
    if None not in sizes and sizes[0] == sizes[1]:
        return _Found("held", "of no matter at one size", "of no matter at one size")
    if left is None or right is None or None in sizes:
        return _Found("unknown")
    words = [
        ", ".join(f"{_named(control, n)} {shown(v)} px" for n, v in sorted(side.items())) for side in (left, right)
    ]
    if not left and not right:
        return _Found("held", "none", "none")
    if "size" in under_test:
        return _Found("held", words[0], words[1], f"{words[1]} covers another part of a picture of another size")
    return _Found("differs", f"{words[0]} at {sizes[0]}", f"{words[1]} at {sizes[1]}")


def _denoiser(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    known = [side.get("settings") for side in (control, trial)]
    if known[0] is None or known[1] is None:
        return _Found("unknown")
    left, right = denoisers_on(known[0], control.get("denoisers")), denoisers_on(known[1], trial.get("denoisers"))
    words = [", ".join(f"{_named(control, n)} {shown(v)}" for n, v in side.items()) or "off" for side in (left, right)]
    if left == right:
        return _Found("held", words[0], words[1], "both denoised: noise is what the filter left" if left else "")
    # a strength that is the same on both sides comes into force with the switch
    differing = {name for name in {*left, *right} if known[0].get(name) != known[1].get(name)}
    tested = "engine" in under_test or "settings" in under_test or differing <= set(under_test)
    note = "noise of a denoised picture is what the filter left; look at detail and blotches"
    return _Found("under_test" if tested else "differs", words[0], words[1], note if tested else "")


def denoisers_on(settings: Mapping[str, Any], declared: Collection[str] | None = None) -> dict[str, Any]:
    """The denoisers that are on, by name, with their strength; that alone turns none on where there is a switch.

    `declared` are those that the engine's definition names; without it they are known by their names.
    """
    named = {name: value for name, value in settings.items() if is_denoiser(name, declared)}
    switches = [value for value in named.values() if isinstance(value, bool | str)]
    on = any(value not in (False, "", "off") for value in switches) if switches else any(named.values())
    return {name: value for name, value in named.items() if value not in (False, "", "off", 0)} if on else {}


DENOISED = "a denoiser is on in one of them, and its noise is what the filter left"


def is_denoiser(setting: str, declared: Collection[str] | None = None) -> bool:
    """Whether a setting turns on what smooths the picture: as the engine's definition says, else by its name."""
    return "denois" in setting if declared is None else setting in declared


def _load(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    found = _plain("load", control, trial, under_test)
    busy = found.state == "held" and found.control == BUSY
    return replace(found, note="times from a busy machine") if busy else found


def _mixed(key: str, note: str) -> Callable[[Side, Side, Collection[str]], _Found]:
    """A condition that may have several values on each side."""

    def rule(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
        found = _plain(key, control, trial, under_test)
        mixed = found.state == "held" and ", " in found.control
        return replace(found, note=note) if mixed else found

    return rule


def _seeds(control: Side, trial: Side, under_test: Collection[str]) -> _Found:
    found = _plain("seeds", control, trial, under_test)
    counts = [side.get("seed_count") for side in (control, trial)]
    names = ("control", "trial")
    alike = [
        name for name, side in zip(names, (control, trial), strict=True) if side.get("same_pictures")
    ]  # fmt: skip
    if alike:
        why = {"noise": f"the {_list(alike)}'s seeds gave the same picture: its noise is unknown"}
        return replace(found, state="differs", spoils=why)
    if found.state == "differs" and counts[0] == counts[1] and (counts[0] or 0) > 1:
        return replace(found, state="held", note="as many seeds on either side, other ones")
    single = [name for name, count in zip(names, counts, strict=True) if count is not None and count < 2]
    if single and found.state != "differs":
        return replace(found, note=f"no noise by twins of the {' and the '.join(single)}")
    return found


_RULES: Mapping[str, Callable[[Side, Side, Collection[str]], _Found]] = {
    "crop": _crop, "quality": _quality, "brightness": _brightness, "settings": _settings,
    "pixel_settings": _pixel_settings, "denoiser": _denoiser, "load": _load, "seeds": _seeds,
    "version": _mixed("version", "each side mixes versions"),
    "machine": _mixed("machine", "times of several machines, each compared with itself"),
}  # fmt: skip


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


def _summary(rows: Sequence[Condition], under_test: Collection[str], control: Side) -> str:
    differing = [row.title.lower() for row in rows if row.state == "differs"]
    unknown = [row.title.lower() for row in rows if row.state == "unknown"]
    tested = any(row.state == "under_test" for row in rows)
    titles = {row.key: row.title.lower() for row in rows if row.key in WHOLE_CONDITIONS}
    unsaid = {row.key for row in rows if row.state in ("unknown", "held")}  # named as such, or no difference
    named = [name for name in under_test if name not in unsaid] or under_test
    subject = _list([titles.get(name) or _named(control, name) for name in named])
    if not tested and not differing:
        return f"Nothing differs: {subject} {'are' if len(under_test) > 1 else 'is'} the same on both sides."
    notes = _notes(rows)
    if differing:
        plural = len(differing) > 1 or differing[0].endswith("s")
        start = f"Not matched: {_list(differing)} {'differ' if plural else 'differs'}"
        text = f"{start} as well as {subject}{notes}." if tested else f"{start}{notes}."
    else:
        text = f"Matched but for {subject}{notes}."
    if unknown:
        text += f" Not known yet: {_list(unknown)}."
    return text


def _notes(rows: Sequence[Condition]) -> str:
    notes = list(dict.fromkeys(row.note for row in rows if row.note))
    return "".join(f"; {note}" for note in notes)


def _list(words: Sequence[str]) -> str:
    return "".join(words) if len(words) < 2 else f"{', '.join(words[:-1])} and {words[-1]}"
