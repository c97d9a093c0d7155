"""How little will do? What a search for the least settings saved, and what its result changes at full size."""

from __future__ import annotations

from matchedpair.answers.answer import NOTHING, PAIR, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.facts import SearchFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import render_time, sentence, times, times_between
from matchedpair.answers.settle import LARGER, more_seeds

SEARCHING, CONFIRMING, DONE = "searching", "confirming", "done"


def answer(facts: StudyFacts) -> Answer:
    """The answer of the newest search that came to an end; else what the one under way is doing."""
    done = next((row for row in facts.searches if row.state == DONE), None)
    if done is not None:
        return _of(facts, done)
    if not facts.searches:
        return nothing_yet(facts)
    newest = facts.searches[0]
    if newest.state == SEARCHING:
        return Answer(facts.question, f"Searching for the least settings: {newest.change}.", NOTHING)
    if newest.state == CONFIRMING:
        return Answer(
            facts.question, "Found; the result is being rendered at full size to see whether it holds.", NOTHING
        )
    text = f"No result: the search ended before it was through ({newest.change})"
    return Answer(facts.question, sentence(text), UNSURE)


def _of(facts: StudyFacts, row: SearchFact) -> Answer:
    proof = Proof(PAIR, row.pair, row.options) if row.pair else None
    if not row.lower:
        text = f"The present settings are the least already: none of the {row.settings} can be lower"
        return Answer(facts.question, sentence(text), SURE, 0, (), (), None, proof)
    told = (Claim(f"{row.result}.", proof),) if row.result else ()
    were = f"{row.lower} of {row.settings} settings were higher than this scene needs"
    if row.threshold_share is None:
        text = f"{were}; the result is not rendered at full size yet"
        return Answer(facts.question, sentence(text), UNSURE, 0, told, (), None, proof)
    largest = f" (largest: {row.change})" if row.change else ""
    if row.threshold_share > 1:
        told = told if row.time is None else (*told, Claim(sentence(render_time(row.time)), proof))
        text = f"Too little at full size: with the settings found it changes beyond your thresholds{largest}"
        return Answer(facts.question, sentence(text), SURE, row.options[0] if row.options else 0, told, (), None, proof)
    if row.seen > 1:
        text = f"Not sure yet: {were}; at full size a change of your thresholds would not have shown"
        options = [option for key in row.options if (option := facts.option(key)) is not None]
        step: Step | None = more_seeds(options, row.seen, 1.0) or LARGER
        return Answer(facts.question, sentence(text), UNSURE, 0, told, (), step, proof)
    text = f"{were}: the result{_takes(row)} nothing changes beyond your thresholds{largest}"
    return Answer(facts.question, sentence(text), SURE, row.options[-1] if row.options else 0, told, (), None, proof)


def _takes(row: SearchFact) -> str:
    if row.time is None:
        return " holds at full size, and"
    if row.time.tie:
        return " takes as long as before, and"
    return f" takes {times(row.time.value)} × the time {times_between(*row.time.ends)} and"
