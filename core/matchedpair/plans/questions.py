"""The questions a study starts from. Each proposes a plan; all of what it proposes can be changed."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.plans.plan_kind import ENGINE, LIGHT, QUALITY, SIZE, VERSION


@dataclass(frozen=True)
class Question:
    """A question and what it proposes.

    Parameters
    ----------
    kind : str
        Name of the plan kind.
    subjects : tuple of str
        What the factors are about: a subject, ``quality`` for the engine's quality knob, ``switch`` for its first
        setting that is on or off, or ``setting:NAME`` for the first setting whose name holds NAME.
    match_on : str
        What control and trial are matched on: ``settings``, ``time``, ``noise`` or ``samples``.
    measures : tuple of str
        What answers the question.
    holds : str
        What must be held, in words.
    passes : tuple of str
        Passes to write besides the picture, where the engine has them.
    """

    name: str
    title: str
    about: str
    kind: str
    subjects: tuple[str, ...]
    match_on: str
    measures: tuple[str, ...]
    holds: str
    passes: tuple[str, ...] = ()


QUESTIONS = (
    Question("feature", "Is this feature worth its time?",
             "The same setup with it and without it: what does it add to the picture, what does it cost?",
             "on-off", ("switch",), "settings", ("time", "noise", "look"), "All other settings, scene, view and size."),
    Question("engine", "Which engine for this scene?",
             "Engines as the control is, at their defaults or tuned; other scenes may be added, so none decides alone.",
             "engines-scenes", (ENGINE,), "noise", ("time", "noise", "memory", "look"),
             "Scene, view, size and light; the engines' brightness brought together first."),
    Question("samples", "How many samples are enough?",
             "The quality knob step by step: noise against time, and where more of it stops paying.",
             "ladder", (QUALITY,), "settings", ("noise", "time"), "Everything but the quality knob."),
    Question("pixels", "More pixels or more samples for the same time?",
             "A larger picture with fewer samples each, or a smaller one with more.",
             "same-time", (SIZE, QUALITY), "time", ("noise", "detail", "time"),
             "About as many samples in all. Noise per pixel is not the noise seen: look at one apparent size."),
    Question("bounces", "How many bounces does this scene need?",
             "Bounces from few to many: where the picture stops changing, the rest is wasted.",
             "range", ("setting:bounces",), "settings", ("look", "time", "noise"), "Everything but this one setting."),
    Question("pass", "Which engine should make this pass?",
             "Every engine that writes the pass, on the same setup.",
             "range", (ENGINE,), "time", ("time", "noise"), "Scene, view, size. The pass is judged, not the picture.",
             ("occlusion",)),
    Question("version", "Did the new version change anything?",
             "One setup in both builds: faster, cleaner, or only different?",
             "versions", (VERSION,), "settings", ("look", "time", "noise"), "All settings, scene, view and size."),
    Question("light", "Which light set-up comes nearest the photograph?",
             "The scene's variants of light, each against the reference.",
             "range", (LIGHT,), "settings", ("look",), "Engine and settings; the photograph is the reference."),
    Question("own", "A question of your own", "Choose the plan and what it varies.",
             "on-off", (), "settings", ("time", "noise"), "Everything that no factor names."),
)  # fmt: skip


def question_named(name: str) -> Question:
    """The named question; one's own for a name that is not known."""
    return next((question for question in QUESTIONS if question.name == name), QUESTIONS[-1])
