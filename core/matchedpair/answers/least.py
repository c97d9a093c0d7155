"""How little will do? What a search for the least settings saved, and what its result changes at full size."""

from __future__ import annotations

from collections.abc import Sequence

from matchedpair.answers.answer import HIGHER_LEVELS, NOTHING, PAIR, SEARCH, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.facts import OptionFact, SearchFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import percent, render_time, sentence, times, times_between
from matchedpair.answers.settle import LARGER, more_seeds

MORE_SEEDS = Step(HIGHER_LEVELS, "Plan it with more samples or seeds, then search again")
AT_FULL_SIZE = Step(SEARCH, "Search again at full size: what is small there does not show in smaller renders")
COMPARABLE = Step(SEARCH, "Mend what keeps them from being compared, then search again")
SEARCHING, CONFIRMING, DONE = "searching", "confirming", "done"


def answer(facts: StudyFacts) -> Answer:
    """The answer of the newest search that came to an end; else what the one under way is doing."""
    done = next((row for row in facts.searches if row.state == DONE), None)
    if done is None and not facts.searches:
        return nothing_yet(facts)
    return of_search(facts.question, done or facts.searches[0], facts.options)


def of_search(question: str, row: SearchFact, options: Sequence[OptionFact] = ()) -> Answer:
    """What one search says; `options` are those of its study, which tell how many seeds there are."""
    if row.state == DONE:
        return _of(question, row, options)
    if row.state == SEARCHING:
        return Answer(question, f"Searching for the least settings: {row.change}.", NOTHING)
    if row.state == CONFIRMING:
        return Answer(question, "Found; the result is being rendered at full size to see whether it holds.", NOTHING)
    text = f"No result: the search ended before it was through ({row.change})"
    return Answer(question, sentence(text), UNSURE)


def _of(question: str, row: SearchFact, options: Sequence[OptionFact]) -> Answer:
    proof = Proof(PAIR, row.pair, row.options) if row.pair else None
    if not row.lower and row.unsure:
        hidden = "it" if row.settings == 1 else f"{row.unsure} of the {row.settings} settings"
        text = f"Not sure yet: noise hides whether {hidden} can be lower"
        return Answer(question, sentence(text), UNSURE, 0, (), (), MORE_SEEDS, proof)
    but = (Claim(f"noise hides whether {row.unsure} more can be lower"),) if row.unsure else ()
    if not row.lower:
        none = "it cannot" if row.settings == 1 else f"none of the {row.settings} can"
        text = f"The present settings are the least already: {none} be lower"
        return Answer(question, sentence(text), SURE, 0, (), (), None, proof)
    told = (Claim(f"{row.result}.", proof),) if row.result else ()
    were = f"{_lowered(row)} higher than this scene needs"
    if row.threshold_share is None:
        text = f"{were}; the result is not rendered at full size yet"
        return Answer(question, sentence(text), UNSURE, 0, told, (), None, proof)
    if not row.comparable:
        text = f"Not sure yet: {were}, but at full size the pictures {row.change}"
        return Answer(question, sentence(text), UNSURE, 0, told, (), COMPARABLE, proof)
    largest = f" (largest: {row.change}, {_allowed(row.threshold_share)})" if row.change else ""
    if not row.holds:
        told = told if row.time is None else (*told, Claim(sentence(render_time(row.time)), proof))
        text = f"Too little at full size: with the settings found it changes beyond your thresholds{largest}"
        again = AT_FULL_SIZE if row.scale < 1 else None
        return Answer(question, sentence(text), SURE, row.options[0] if row.options else 0, told, (), again, proof)
    if row.seen > 1:
        text = f"Not sure yet: {were}; at full size a change of your thresholds would not have shown"
        both = [option for option in options if option.key in row.options]
        coming = any(option.open for option in both)
        step: Step | None = None if coming else more_seeds(both, row.seen, 1.0) or LARGER
        return Answer(question, sentence(text), UNSURE, 0, told, (), step, proof)
    text = f"{were}: the result{_takes(row)} nothing changes beyond your thresholds{largest}"
    if row.plain:
        but = (Claim(f"your thresholds allow what can be seen: {row.plain}", proof), *but)
    return Answer(question, sentence(text), SURE, row.options[-1] if row.options else 0, told, but, None, proof)


def _allowed(share: float) -> str:
    return f"{percent(share)} of what you allow" if share <= 1.0 else f"{times(share)} × what you allow"


def _lowered(row: SearchFact) -> str:
    if row.settings == 1:
        return "the setting was"
    return f"{row.lower} of {row.settings} settings {'was' if row.lower == 1 else 'were'}"


def _takes(row: SearchFact) -> str:
    if row.time is None:
        return " holds at full size, and"
    if row.time.tie:
        return f" brings {render_time(row.time)}, and"
    return f" takes {times(row.time.value)} × the time {times_between(*row.time.ends)} and"
