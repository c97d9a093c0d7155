"""What is said while a question cannot be answered: what is there, what lacks, and what to do."""

from __future__ import annotations

from matchedpair.answers.answer import FILL_IN_TIMES, NOTHING, RUN, UNSURE, Answer, Claim, Step
from matchedpair.answers.facts import StudyFacts
from matchedpair.answers.phrases import sentence
from matchedpair.answers.settle import more_seeds

NO_RENDERS = "Planned, not run yet"
NO_TIMES = "No render time is known."  # of renders made elsewhere; what they cost stays open then
FILL_IN = Step(FILL_IN_TIMES, "Fill in the render times")


def nothing_yet(facts: StudyFacts) -> Answer:
    """Nothing can be compared: not run, running, waiting to be measured, or failed."""
    if not facts.options:
        return Answer(facts.question, "There is nothing to compare in this study yet.", NOTHING)
    if facts.runs_done == 0 and not any(option.open for option in facts.options):
        return Answer(facts.question, f"{NO_RENDERS}.", NOTHING, next=Step(RUN, "Start the renders"))
    if any(option.open for option in facts.options):
        text = f"Running: {facts.runs_done} of {facts.runs_planned} renders done"
        return Answer(facts.question, sentence(text), NOTHING)
    reasons = list(dict.fromkeys(reason for pair in facts.pairs for reason in pair.refused.values()))
    if reasons:
        told = tuple(Claim(sentence(reason)) for reason in reasons[:3])
        alone = [option for option in facts.options if option.seeds == 1]
        step = more_seeds(alone, 1.0, 1.0)  # one, which tells its noise
        return Answer(facts.question, "These renders cannot be compared.", UNSURE, because=told, next=step)
    if any(option.seeds for option in facts.options):
        return Answer(facts.question, "The renders are there and wait to be measured.", NOTHING)
    return Answer(facts.question, "Nothing to compare: not enough renders finished. See what failed.", NOTHING)
