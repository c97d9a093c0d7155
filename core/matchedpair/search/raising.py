"""Finds the least settings that still give the picture: each is raised from low until it stops changing it.

A state machine without input or output: what was tried goes in, the next render or the end comes out. In a stated
order, each setting is compared with itself at its highest level, all others as they are by then. First its lowest
level: when nothing can be told between the two, the scene does not use it, and it is left at its lowest. Else it is
raised until the change is at most the threshold. Where a change of the threshold's size could not have been seen, no
level is taken for enough. What the highest level is compared with is the truth of that step, so that
many small changes cannot creep by unseen. Then a further pass, since settings may need each other, until nothing moves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from matchedpair.engines.setting import Value
from matchedpair.search.step import SearchStep, Settings, Wanted

MOST_PASSES = 4
BLIND = "not sure: a change that counts would not have been seen here; more seeds would tell"
SettingsKey = tuple[tuple[str, Value], ...]
NOT_SURE = "left at its highest level: of a lower one it is not sure"
State = Literal["render", "done", "out_of_budget", "failed"]
Outcome = Literal["raised", "enough", "unused", "kept", "top"]


@dataclass(frozen=True)
class Ladder:
    """A setting and its levels from low to high, as they are tried."""

    setting: str
    levels: tuple[Value, ...]

    def __post_init__(self) -> None:
        if len(self.levels) < 2:
            raise ValueError(f"{self.setting} needs at least two levels to be raised through, got {len(self.levels)}")


@dataclass(frozen=True)
class Change:
    """What one picture changes against another.

    Parameters
    ----------
    found : bool
        Whether there is a difference beyond noise at all.
    amount : float
        Its size over the threshold: at most 1 is small enough.
    words : str
        What it is, such as ``0.031 stops in Deep shelf``.
    seen : float
        The smallest change that would have been seen, over the threshold: above 1 "no change" says nothing.
    """

    found: bool
    amount: float
    words: str = ""
    seen: float = 0.0

    @property
    def blind(self) -> bool:
        """Whether a change of the threshold's size could have been missed."""
        return self.amount <= 1.0 < self.seen


@dataclass(frozen=True)
class Compared:
    """Two combinations that were rendered and compared; `change` is None when a render failed."""

    lower: Settings
    upper: Settings
    change: Change | None


@dataclass(frozen=True)
class TraceRow:
    """One decision: of which setting, in which pass, at which level, what it changed and what followed."""

    passed: int
    setting: str
    level: Value
    change: Change | None
    outcome: Outcome
    words: str


@dataclass(frozen=True)
class RaisingStep(SearchStep):
    """What to do now and what was decided so far; `settings` are those chosen so far, and at the end the result."""

    state: State
    settings: dict[str, Value]
    trace: tuple[TraceRow, ...]
    unused: tuple[str, ...]


class _NeedsRenderError(Exception):
    """Carries the two combinations that must be compared before the search can go on."""

    def __init__(self, lower: dict[str, Value], upper: dict[str, Value]) -> None:
        super().__init__()
        self.lower, self.upper = lower, upper


def next_raise(
    ladders: Sequence[Ladder],
    start: Settings,
    compared: Sequence[Compared],
    *,
    most_renders: int | None = None,
    spent_seconds: float = 0.0,
    most_seconds: float | None = None,
) -> RaisingStep:
    """Play the search over what was compared, up to the first comparison that is missing.

    Parameters
    ----------
    ladders : sequence of Ladder
        In the order in which they are raised.
    start : mapping
        All settings; those with a ladder begin at its top, so that each is judged in a picture that lacks nothing.
    most_renders : int, optional
        Budget: combinations, each counted once however often it is compared.
    spent_seconds, most_seconds : float, optional
        Rendering time so far, and the budget of it.
    """
    search = _Search(ladders, start, compared)
    try:
        search.run()
    except _NeedsRenderError as needed:
        rendered = {settings_key(side) for row in compared for side in (row.lower, row.upper)}
        more = len({settings_key(needed.lower), settings_key(needed.upper)} - rendered)
        spent = budget_used(len(rendered), more, most_renders, spent_seconds, most_seconds)
        if spent:
            return search.step("out_of_budget", f"{spent}; what is found so far")
        return search.step("render", search.about, Wanted(needed.lower, needed.upper))
    except _FailedError as failed:
        return search.step("failed", str(failed))
    return search.step("done", "nothing moves any more")


class _FailedError(Exception):
    """A render of the search failed."""


class _Search:
    def __init__(self, ladders: Sequence[Ladder], start: Settings, compared: Sequence[Compared]) -> None:
        self.ladders = ladders
        self.now = {**start, **{ladder.setting: ladder.levels[-1] for ladder in ladders}}
        self.known = {(settings_key(row.lower), settings_key(row.upper)): row.change for row in compared}
        self.trace: list[TraceRow] = []
        self.unused: list[str] = []
        self.not_sure: set[str] = set()
        self.about = ""

    def run(self) -> None:
        """All passes, until one in which nothing moves."""
        for passed in range(1, MOST_PASSES + 1):
            moved = False
            for ladder in self.ladders:
                if ladder.setting not in self.unused:
                    moved |= self._raise(ladder, passed)
            if not moved:
                return

    def _raise(self, ladder: Ladder, passed: int) -> bool:
        """Raise one setting; whether it ended elsewhere than it was."""
        name, top = ladder.setting, ladder.levels[-1]
        before = self.now[name]
        # a later pass begins where the last one ended: others that went down can only ask for more of this one
        first = 0 if passed == 1 else ladder.levels.index(before)
        for number, level in enumerate(ladder.levels[first:-1], start=first):
            change = self._change(name, level, top, passed)
            if change.blind:
                self._note(passed, name, level, change, "raised", BLIND)
                self.not_sure.add(name)
                continue
            if number == 0 and passed == 1 and not change.found:
                self._note(passed, name, level, change, "unused", "changes nothing here: left at its lowest")
                self.unused.append(name)
                self.now[name] = level
                return True
            if change.amount <= 1.0:
                kept = level == before
                words = "still enough" if kept else "enough: more changes less than the threshold"
                self._note(passed, name, level, change, "kept" if kept else "enough", words)
                self.now[name] = level
                return not kept
            self._note(passed, name, level, change, "raised", "too low: it still changes the picture")
        words = NOT_SURE if name in self.not_sure else "only its highest level is enough"
        self._note(passed, name, top, None, "top", words)
        self.now[name] = top
        return before != top

    def _change(self, name: str, level: Value, top: Value, passed: int) -> Change:
        lower, upper = {**self.now, name: level}, {**self.now, name: top}
        self.about = f"pass {passed}, {name} at {level} against {top}"
        key = (settings_key(lower), settings_key(upper))
        if key not in self.known:
            raise _NeedsRenderError(lower, upper)
        found = self.known[key]
        if found is None:
            raise _FailedError(f"a render of {name} at {level} failed; see what went wrong, and go on")
        return found

    def _note(self, passed: int, name: str, level: Value, change: Change | None, outcome: Outcome, words: str) -> None:
        self.trace.append(TraceRow(passed, name, level, change, outcome, words))

    def step(self, state: State, words: str, wanted: Wanted | None = None) -> RaisingStep:
        """The answer as the search stands."""
        return RaisingStep(state, dict(self.now), tuple(self.trace), tuple(self.unused), wanted=wanted, words=words)


def budget_used(
    renders: int, more: int, most_renders: int | None, spent_seconds: float, most_seconds: float | None
) -> str:
    """Why nothing more is rendered, in words; empty while the budget allows `more` combinations."""
    if most_renders is not None and renders + more > most_renders:
        return f"the budget of {most_renders} renders is used up"
    if most_seconds is not None and spent_seconds >= most_seconds:
        return f"the budget of {most_seconds / 60:g} minutes is used up"
    return ""


def settings_key(settings: Settings) -> SettingsKey:
    """The same for the same settings, in whatever order they are named."""
    return tuple(sorted(settings.items()))
