"""Which end of a setting's levels shows the picture as it is: what the others are compared with."""

from __future__ import annotations

from collections.abc import Sequence

from matchedpair.answers.answer import CURVE, SURE, UNSURE, VISIBLE_ERROR, Answer, Claim, Proof
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.level_change import LevelChange, change_from, level_shown, level_title
from matchedpair.answers.missing import NO_TIMES
from matchedpair.answers.phrases import listed, number, sentence
from matchedpair.answers.thresholds import SEEN, TIME
from matchedpair.answers.unjudged import about_reference, reference_step
from matchedpair.measures.figure import over

SETTLED = 0.5  # of the largest change, that the last step may still make where levels come closer to the highest


def lowest_is_truest(levels: Sequence[OptionFact]) -> bool:
    """Whether the lowest level takes more time than the highest for sure: what takes more work leaves less out."""
    low, high = levels[0].seconds, levels[-1].seconds
    if low is None or high is None:
        return False
    taken = over(low, high, TIME)
    return not taken.tie and taken.value > 1.0


def off_last(facts: StudyFacts, levels: Sequence[OptionFact], lowest: float) -> list[OptionFact]:
    """The levels in their order; but 0 last where it switches the setting off: its picture is then nearer to that of
    the highest than to that of the next one, which changes it. `lowest` is the value of the first.
    """
    if lowest != 0 or len(levels) < 3:
        return list(levels)
    near, far = (change_from(facts, levels[0], other) for other in (levels[-1], levels[1]))
    off = near is not None and far is not None and far.changed and abs(near.stops) < abs(far.stops)
    return [*levels[1:], levels[0]] if off else list(levels)


def nobody_knows(changes: Sequence[LevelChange], truest: OptionFact) -> bool:
    """Whether neither time nor how the levels come closer says that the truest level is one; `changes` are those of the
    others from it, the nearest last.
    """
    first = changes[0].level.seconds
    if first is not None and truest.seconds is not None and not over(truest.seconds, first, TIME).tie:
        return False
    return abs(changes[-1].stops) > SETTLED * max(abs(each.stops) for each in changes)


def by_reference(facts: StudyFacts, levels: Sequence[OptionFact]) -> Answer:
    """The answer where no end is known to be true: the level nearest to the reference, or that there is none."""
    subject, top = level_title(levels[-1]), level_shown(levels[-1])
    errors = sorted((level.visible_error, level.key, level) for level in levels if level.visible_error is not None)
    if len(errors) < len(levels):
        text = f"Not decided: the picture changes up to {subject} {top}, and nothing tells which level is right"
        timed = all(level.seconds is not None for level in (levels[0], levels[-1]))
        work = "Neither end takes more time than the other for sure." if timed else NO_TIMES
        because = (Claim(work), *about_reference(facts, levels))
        return Answer(
            facts.question, sentence(text), UNSURE, because=because, next=reference_step(facts, tuple(levels))
        )
    least = errors[0][0]
    near = [level for error, _, level in errors if error - least < SEEN / 2]
    proof = Proof(CURVE, options=tuple(level.key for level in near), measure=VISIBLE_ERROR)
    others = [f"{level_shown(level)} is {number(error)} ΔE off" for error, _, level in errors if level not in near]
    told = (Claim(sentence(listed(others[:3])), proof),) if others else ()
    shown = listed([level_shown(level) for level in sorted(near, key=levels.index)])
    comes = "comes nearest" if len(near) == 1 else "come as near"
    text = f"{subject} {shown} {comes} to the reference: {number(least)} ΔE"
    return Answer(facts.question, sentence(text), SURE, near[0].key, told, (), None, proof)
