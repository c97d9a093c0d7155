"""What do reduced maps save, and can it be seen? The scene as it is against the scene with the reduced copies."""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats, looks_otherwise, most_changed, shifts
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import in_specks, megabytes, number, place_of_box, render_time, sentence
from matchedpair.plans.plan_kind import LIGHT
from matchedpair.textures.maps import REDUCED


def asked(facts: StudyFacts) -> bool:
    """Whether a study compares a scene with its reduced copies."""
    return any(_reduced(option) for option in facts.options)


def answer(facts: StudyFacts) -> Answer:
    """The answer over the pair of the scene as it is with its reduced copies."""
    found = next(
        ((pair, control, trial) for pair in facts.pairs
         if (control := facts.option(pair.control)) is not None and (trial := facts.option(pair.trial)) is not None
         and _reduced(trial) and (pair.found is not None or pair.identical)), None,
    )  # fmt: skip
    if found is None:
        return nothing_yet(facts)
    pair, control, trial = found
    proof = Proof(PAIR, pair.key, (control.key, trial.key))
    told = (Claim(sentence(render_time(pair.time)), proof),) if pair.time is not None else ()
    seen = _seen(facts, pair)
    text = f"{_memory(control, trial)}{seen}"
    if pair.smallest is None and not pair.identical:
        return Answer(facts.question, sentence(text), UNSURE, 0, told, (), None, proof)
    choice = control.key if looks_otherwise(pair) else trial.key
    return Answer(facts.question, sentence(text), SURE, choice, told, caveats(facts, pair, look=False), None, proof)


def _reduced(option: OptionFact) -> bool:
    return any(
        level.subject == LIGHT and level.changed and str(level.value).startswith(REDUCED) for level in option.levels
    )


def _memory(control: OptionFact, trial: OptionFact) -> str:
    if not control.structures or not trial.structures:
        return "With the reduced maps "
    sizes = f"{megabytes(trial.structures)} instead of {megabytes(control.structures)}"
    return f"With the reduced maps the engine holds {sizes}; "


def _seen(facts: StudyFacts, pair: PairFact) -> str:
    if pair.identical:
        return "the picture is the same to the last bit"
    if not pair.found:
        would = f" (we would have seen {number(pair.smallest)} %)" if pair.smallest is not None else ""
        return f"before and after cannot be told apart{would}"
    changed = shifts(facts, pair)
    if changed:
        return changed[0].text
    part = most_changed(pair.parts)
    if part is None:
        return "the picture differs a little, but nowhere by more than counts"
    option = facts.option(pair.control)
    where = place_of_box(part.box, option.size if option else (0, 0))
    return f"the picture differs by {number(abs(part.percent))} % at most, in the {where}{in_specks(part)}"
