"""The kinds of plan, and what each asks of its factors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.plans.plan import Shape

ENGINE, VERSION, PRESET, TIME_BUDGET = "engine", "version", "preset", "time_budget"
SCENE, VIEW, FRAME, LIGHT, SIZE = "scene", "view", "frame", "light", "size"
QUANTITY = "quantity:"
PLACES = (SCENE, VIEW, FRAME, LIGHT, SIZE)
QUALITY = "quality"


@dataclass(frozen=True)
class PlanKind:
    """One kind of plan.

    Parameters
    ----------
    subjects : tuple of str
        What its factors must be about, in any order; empty allows all. ``quality`` stands for the quality knob.
    may : tuple of str
        Those of them that it may do without.
    most_factors, most_levels : int
        Levels are counted without the baseline.
    """

    name: str
    title: str
    about: str
    shape: Shape
    subjects: tuple[str, ...] = ()
    may: tuple[str, ...] = ()
    most_factors: int = 6
    most_levels: int = 64


PLAN_KINDS = (
    PlanKind("on-off", "One change", "One thing changed against the control, the rest held.", "each",
             most_factors=1, most_levels=1),
    PlanKind("range", "Each through its range",
             "One thing at a time through its levels, low to high and back, the rest at the control's values.", "each"),
    PlanKind("ladder", "Quality ladder",
             "The quality knob step by step, to see how noise falls with time and where it stops falling.", "each",
             subjects=(QUALITY,), most_factors=1),
    PlanKind("table", "Full table", "Every level of each factor with every level of the others.", "table"),
    PlanKind("engines-scenes", "Engines × scenes",
             "Every engine on every scene that is chosen; each scene has a control of its own.", "table",
             subjects=(ENGINE, SCENE), may=(SCENE,), most_factors=2),
    PlanKind("versions", "Version against version", "The same setup in two builds of one engine.", "each",
             subjects=(VERSION,), most_factors=1),
    PlanKind("same-time", "Same time, spent otherwise",
             "Size and samples move in step, so that every option has about as many samples in all.", "together",
             subjects=(SIZE, QUALITY), most_factors=2),
)  # fmt: skip


def kind_named(name: str) -> PlanKind:
    """The named kind. Raises `ValueError`."""
    for kind in PLAN_KINDS:
        if kind.name == name:
            return kind
    raise ValueError(f"there is no plan kind {name!r}; there are {', '.join(kind.name for kind in PLAN_KINDS)}")


def kind_problem(kind: PlanKind, subjects: Sequence[str], levels: Sequence[int], quality: str) -> str | None:
    """What keeps these factors from being a plan of this kind; None when they fit.

    Parameters
    ----------
    subjects, levels : sequences
        What each factor is about, and how many levels it has besides the baseline.
    quality : str
        Name of the engine's quality knob, or nothing.
    """
    title, most = kind.title.lower(), kind.most_levels
    wanted = {quality if name == QUALITY else name for name in kind.subjects}
    needed = wanted - set(kind.may)
    asked = " and ".join(name.replace("_", " ") for name in sorted(wanted))
    tried = (
        (not subjects, "change at least one thing"),
        (len(set(subjects)) < len(subjects), "the same thing is there twice; put all its levels into one factor"),
        (len(subjects) > kind.most_factors, f"{title} takes {_things(kind.most_factors)}, got {len(subjects)}"),
        (any(n < 1 for n in levels), "give every factor at least one level other than the control's"),
        (any(n > most for n in levels), f"{title} takes at most {most} {_level(most)} besides the control's"),
        ("" in wanted, "this engine has no quality knob; choose another kind of plan"),
        (bool(wanted) and not needed <= set(subjects) <= wanted,
         f"{title} varies {asked}; choose another kind of plan to vary something else"),
    )  # fmt: skip
    return next((problem for wrong, problem in tried if wrong), None)


def is_place(subject: str) -> bool:
    """Whether a factor says where is rendered (scene, view, frame, size, variant, quantity), and not how."""
    return subject in PLACES or subject.startswith(QUANTITY)


def _things(count: int) -> str:
    return "one factor" if count == 1 else f"at most {count} factors"


def _level(count: int) -> str:
    return "level" if count == 1 else "levels"
