"""How much of one setting does this scene need? The least level from which nothing differs from the highest."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from matchedpair.answers.answer import HIGHER_LEVELS, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.both_ends import of_patches
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.level_change import LevelChange, beside, change_from, level_named, level_shown, level_title
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import number, percent, place_of_box, sentence
from matchedpair.answers.same_pictures import TO_THE_BIT
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.thresholds import STOPS, TIME
from matchedpair.answers.truest_level import by_reference, lowest_is_truest, nobody_knows, off_last
from matchedpair.engines.setting import is_number
from matchedpair.measures.figure import over

MORE_SAMPLES = Step(HIGHER_LEVELS, "Plan it with more samples: seeds alone would take too many")


def answer(facts: StudyFacts) -> Answer:
    """The answer over the first factor that is a number, at the first place. The highest level is what the others are
    compared with, or the lowest where that takes more time.
    """
    rows = _levels(facts)
    if len(rows) < 2:
        return nothing_yet(facts)
    there = [level for _, level in rows]
    levels = off_last(facts, there, rows[0][0])
    found = _of_levels(facts, levels)
    if levels == there:
        return found
    off = f"{level_shown(levels[-1])} is off here: it looks more like {level_shown(levels[-2])} than like"
    return replace(found, because=(*found.because, Claim(f"{off} {level_shown(levels[0])}.")))


def _of_levels(facts: StudyFacts, levels: Sequence[OptionFact]) -> Answer:
    """The answer over levels of which the last should be nearest to the truth."""
    if len(changes := _changes(facts, levels)) < len(levels) - 1:
        return nothing_yet(facts)
    patchy = of_patches(facts, levels, MORE_SAMPLES)
    if patchy is not None:
        return patchy
    down = lowest_is_truest(levels)
    options = levels[::-1] if down else levels
    truest = options[-1]
    if down:
        changes = _changes(facts, options)
    top = level_shown(truest)
    enough = next((n for n in range(len(changes) + 1) if not any(each.changed for each in changes[n:])), len(changes))
    same = changes[enough:]
    least = same[0].level if same else truest
    below = changes[enough - 1] if enough else None
    darker = _below(facts, below)
    if not same and nobody_knows(changes, truest):
        return by_reference(facts, levels)
    if not same:
        last = level_shown(changes[-1].level)
        more = "Less" if down else "More"
        text = f"{more} than {last}: the picture with {last} still differs from that with {top}"
        return Answer(facts.question, sentence(text), SURE, truest.key, darker, (), None, _proof(facts, below))
    unsure = max(same, key=lambda each: each.doubt)
    if not all(each.told for each in same):
        where = place_of_box(unsure.dim, unsure.level.size)
        doubt = f"in the {where} one of {number(unsure.doubt)} stops would not have shown"
        reach = f"{'up to' if down else 'from'} {level_named(least)}"
        text = f"Not sure yet: {reach} no change was found, but {doubt}"
        step = more_seeds(options, unsure.doubt, STOPS) or MORE_SAMPLES
        return Answer(facts.question, sentence(text), UNSURE, 0, darker, (), step, _proof(facts, unsure))
    largest = max(same, key=lambda each: abs(each.stops))
    most = number(max(abs(largest.stops), 0.001))
    start = f"{level_title(least)} up to {level_shown(least)}: below" if down else f"{level_named(least)}: beyond"
    text = f"{start} that nothing changes by more than {most} stops (we would have seen {number(unsure.doubt)})"
    if all(each.exact for each in same):
        text = f"{start} that {TO_THE_BIT}"
    told = [*darker, *_saved(least, truest)]
    dark = max(each.darkest for each in same)
    blind = (Claim(f"in the darkest parts up to {number(dark)} stops would not have shown"),) if dark > STOPS else ()
    proof = _proof(facts, below or largest)
    return Answer(facts.question, sentence(text), SURE, least.key, tuple(told), blind, None, proof)


def _changes(facts: StudyFacts, levels: Sequence[OptionFact]) -> list[LevelChange]:
    """Of all levels from the last of them, as far as they were compared."""
    return [change for level in levels[:-1] if (change := change_from(facts, level, levels[-1])) is not None]


def _levels(facts: StudyFacts) -> list[tuple[float, OptionFact]]:
    """The options at the first place by the value of the first factor whose levels are numbers."""
    rows: dict[float, OptionFact] = {}
    there = facts.at(facts.places[0]) if facts.places else ()
    subject = next((level.subject for option in there for level in option.levels if is_number(level.value)), None)
    for option in there:
        others = [level for level in option.levels if level.subject != subject and level.changed]
        own = next((level for level in option.levels if level.subject == subject), None)
        if own is not None and is_number(own.value) and not others:
            rows.setdefault(float(own.value), option)
    return sorted(rows.items())


def _below(facts: StudyFacts, below: LevelChange | None) -> tuple[Claim, ...]:
    if below is None or not below.changed:
        return ()
    return (Claim(f"With {level_shown(below.level)} it is {below.words()}.", _proof(facts, below)),)


def _saved(least: OptionFact, highest: OptionFact) -> list[Claim]:
    if least.seconds is None or highest.seconds is None or least is highest:
        return []
    more = over(highest.seconds, least.seconds, TIME)
    if more.tie or more.value < 1:
        return []
    return [Claim(f"{level_shown(highest)} takes {percent(more.value - 1)} more time for nothing.")]


def _proof(facts: StudyFacts, change: LevelChange | None) -> Proof | None:
    if change is None:
        return None
    return beside(facts, change.level, change.other, change.part.box if change.part else None)
