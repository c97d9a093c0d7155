"""Answers: figures of a study in, one `Answer` out. One module a question; `phrases` says figures in words."""

from __future__ import annotations

from collections.abc import Callable

from matchedpair.answers import (
    combination,
    engine,
    feature,
    least,
    levels,
    maps,
    matching,
    motion,
    own,
    passes,
    photograph,
    samples,
    sizes,
    untimed,
    version,
)
from matchedpair.answers.answer import NOTHING, Answer, Claim, Proof, Step
from matchedpair.answers.caveats import plain_look
from matchedpair.answers.facts import (
    LevelFact,
    NearFact,
    OptionFact,
    PairFact,
    PartFact,
    PassFact,
    SearchFact,
    SequenceFact,
    StudyFacts,
    ZoneFact,
    facts_as_values,
    facts_from_values,
)
from matchedpair.answers.pair import Matched, pair_sentence
from matchedpair.answers.use import MoveFact, UseFact, failing, use_answer
from matchedpair.engines.setting import is_number
from matchedpair.plans.plan_kind import ENGINE, QUALITY, VERSION, is_place

RULES: dict[str, Callable[[StudyFacts], Answer]] = {
    "feature": feature.answer,
    "engine": engine.answer,
    "samples": samples.answer,
    "bounces": levels.answer,
    "combination": combination.answer,
    "light": photograph.answer,
    "least": least.answer,
    "maps": maps.answer,
    "matching": matching.answer,
    "motion": motion.answer,
    "pass": passes.answer,
    "pixels": sizes.answer,
    "version": version.answer,
}
OVER_TIME = (feature.answer, combination.answer, passes.answer, own.answer)  # what weighs noise against time

__all__ = [
    "Answer",
    "Claim",
    "LevelFact",
    "Matched",
    "MoveFact",
    "NearFact",
    "OptionFact",
    "PairFact",
    "PartFact",
    "PassFact",
    "Proof",
    "SearchFact",
    "SequenceFact",
    "Step",
    "StudyFacts",
    "UseFact",
    "ZoneFact",
    "answer_of",
    "facts_as_values",
    "facts_from_values",
    "failing",
    "pair_sentence",
    "plain_look",
    "use_answer",
]


def answer_of(facts: StudyFacts) -> Answer:
    """The answer to a study's question; where it has no rule of its own, the best trade to the same noise. Where its
    rule has nothing for want of times, what is known without them.
    """
    rule = RULES.get(question_of(facts), own.answer)
    found = rule(facts)
    if found.sure == NOTHING and rule in OVER_TIME and untimed.nobody_knows_times(facts):
        return untimed.answer(facts)
    return found


def question_of(facts: StudyFacts) -> str:
    """The question by name; for one's own, that whose rule fits the plan.

    With too few frames to rank, the question that was asked is answered: frames are then places like any other.
    """
    asked = facts.question not in ("", "own", "motion")
    few = any(row.calm is not None and row.frames < motion.LEAST_FRAMES for row in facts.sequences)
    if len(facts.sequences) > 1 and not (asked and few):
        return "motion"
    if facts.searches and facts.question in ("", "own"):
        return "least"
    if facts.question in ("", "own") and maps.asked(facts):
        return "maps"
    if facts.question in RULES or facts.question not in ("", "own"):
        return facts.question
    if any(pair.matched_on for pair in facts.pairs):
        return "matching"
    subjects = [subject for subject in facts.varied if not is_place(subject)]
    changed = [option for option in facts.options if option.control]
    if ENGINE in subjects:
        return "engine"
    if subjects == [VERSION]:
        return "version"
    knobs = {option.knob.replace(" ", "_") for option in facts.options}
    if len(subjects) == 1 and subjects[0] in {QUALITY, *knobs} and len(changed) > 1:
        return "samples"
    if len(subjects) == 1 and len(changed) > 1 and _numbers(facts, subjects[0]):
        return "bounces"
    if len(subjects) == 2 and facts.combined:
        return "combination"
    return "feature" if len(facts.pairs) == 1 and subjects else "own"


def _numbers(facts: StudyFacts, subject: str) -> bool:
    values = [level.value for option in facts.options for level in option.levels if level.subject == subject]
    return all(is_number(value) for value in values)
