"""More pixels or more samples for the same time? Every size is compared with one reference, at its apparent size."""

from __future__ import annotations

import math

from matchedpair.answers.answer import HIGHER_LEVELS, PAIR, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import about, number, percent, sentence
from matchedpair.answers.settle import LARGER, more_seeds
from matchedpair.answers.thresholds import DETAIL, SEEN, TIME
from matchedpair.answers.unjudged import about_reference, reference_step
from matchedpair.measures.figure import Figure, over

ANOTHER = Step(HIGHER_LEVELS, "Add levels that take the same time")
NO_NEARER = SEEN / 2  # of the mean over a picture: detail that is lost is seen sooner
FAR_IN_TIME = 1.25  # beyond, the two were not given the same time


def answer(facts: StudyFacts) -> Answer:
    """The option that looks nearest to the reference; where no eye tells them apart, the one with the finer detail."""
    rows = [option for option in facts.options if option.apparent_error is not None]
    if len({row.size for row in rows}) < 2:
        return _without(facts)
    rows.sort(key=_error)
    best = rows[0]
    other = next(row for row in rows if row.size != best.size)
    seen = _figure(best), _figure(other)
    apart = abs(seen[0].value - seen[1].value)
    alike = seen[1].value < SEEN or apart < max(_doubt(*seen), NO_NEARER)
    if alike:
        finer = _finer(best, other)
        if finer is None:
            return _tie(facts, best, other)
        best, other = finer
    more = "pixels" if best.size[0] * best.size[1] > other.size[0] * other.size[1] else "samples"
    text = f"More {more}: {_keeps(best, other)}{_time(best, other)}"
    proof = _proof(facts, best, other)
    told = Claim(
        f"Seen at one size, {_name(best)} is {number(_error(best))} ΔE from the reference, {_name(other)} "
        f"{number(_error(other))}.", proof,
    )  # fmt: skip
    return Answer(facts.question, sentence(text), SURE, best.key, (told,), _but(best, other, proof), None, proof)


def _finer(best: OptionFact, other: OptionFact) -> tuple[OptionFact, OptionFact] | None:
    """Both, the one with the finer detail first; None where neither has it by more than counts."""
    if best.apparent_detail is None or other.apparent_detail is None:
        return None
    more = best.apparent_detail.value - other.apparent_detail.value
    if abs(more) <= DETAIL:
        return None
    return (best, other) if more > 0 else (other, best)


def _without(facts: StudyFacts) -> Answer:
    """No reference at the largest size, or nothing rendered yet."""
    rendered = [option for option in facts.options if option.seeds]
    if len({option.size for option in rendered}) < 2 or any(option.open for option in facts.options):
        return nothing_yet(facts)
    largest = max(rendered, key=lambda option: option.size[0] * option.size[1])
    size = f"{largest.size[0]}×{largest.size[1]}"
    if any(option.apparent_error is not None for option in facts.options):
        text = f"Not decided: at {size} nothing is rendered but the reference itself"
        return Answer(facts.question, sentence(text), UNSURE, next=ANOTHER)
    text = f"Not decided: noise cannot be compared across sizes, and there is no reference at {size} to judge both by"
    at_size = [option for option in rendered if option.size == largest.size]
    return Answer(
        facts.question,
        sentence(text),
        UNSURE,
        because=about_reference(facts, at_size),
        next=reference_step(facts, at_size, f" at {size}"),
    )


def _tie(facts: StudyFacts, best: OptionFact, other: OptionFact) -> Answer:
    first, second = _figure(best), _figure(other)
    proof = _proof(facts, best, other)
    if max(first.value, second.value) < SEEN:
        text = f"Either: at one size {_name(best)} and {_name(other)} both look like the reference"
        return Answer(facts.question, sentence(text), SURE, 0, (), _but(best, other, proof), None, proof)
    apart, doubt = abs(first.value - second.value), _doubt(first, second)
    if apart + doubt <= NO_NEARER:
        near = f"come as near to the reference (about {number(first.value)} ΔE)"
        text = f"Either: {_name(best)} and {_name(other)} {near}"
        return Answer(facts.question, sentence(text), SURE, 0, (), _but(best, other, proof), None, proof)
    near = f"as good (about {number(first.value)} ΔE)"
    text = f"Not sure yet: at one size {_name(best)} and {_name(other)} are {near}"
    step = more_seeds([best, other], doubt, max(abs(NO_NEARER - apart), 0.02 * first.value)) or LARGER
    return Answer(facts.question, sentence(text), UNSURE, 0, (), _but(best, other, proof), step, proof)


def _keeps(best: OptionFact, other: OptionFact) -> str:
    """What speaks for it: the finer detail where it has it, else that it looks nearer."""
    first, second = best.apparent_detail, other.apparent_detail
    if first is None or second is None or first.value <= second.value:
        errors = f"{number(_error(best))} against {number(_error(other))} ΔE"
        return f"{_name(best)} looks nearer to the reference ({errors})"
    return f"{_name(best)} keeps {_share(first)} of the fine detail, {_name(other)} {_share(second)}"


def _share(detail: Figure) -> str:
    return percent(min(detail.value, 1.0))


def _time(best: OptionFact, other: OptionFact) -> str:
    if best.seconds is None or other.seconds is None:
        return ""
    told = over(best.seconds, other.seconds, TIME)
    ratio = told.value
    if told.tie:
        return f"; no measurable difference in time ({about(told)})"
    if ratio > FAR_IN_TIME:
        return f"; but it takes {number(ratio)} × the time"
    if ratio < 1 / FAR_IN_TIME:
        return f"; it takes {number(ratio)} × the time"
    return f"; it takes {percent(ratio - 1)} {'more' if ratio > 1 else 'less'} time"


def _but(best: OptionFact, other: OptionFact, proof: Proof | None) -> tuple[Claim, ...]:
    """Detail that it loses, and noise at one pixel to one."""
    found = []
    if best.apparent_detail is not None and other.apparent_detail is not None:
        lost = other.apparent_detail.value - best.apparent_detail.value
        if lost > DETAIL:
            shares = f"{_share(best.apparent_detail)} of the fine detail, the other {_share(other.apparent_detail)}"
            found.append(Claim(f"it keeps {shares}", proof))
    first, second = best.visible_noise, other.visible_noise
    if first is not None and second is not None and first.value > max(SEEN, second.value * (1 + TIME)):
        text = f"at 1:1 it is grainier: {number(first.value)} ΔE of visible noise against {number(second.value)}"
        found.append(Claim(text, proof))
    return tuple(found)


def _proof(facts: StudyFacts, best: OptionFact, other: OptionFact) -> Proof | None:
    pair = facts.pair_of(best.key, other.key) or facts.pair_of(other.key, best.key)
    return None if pair is None else Proof(PAIR, pair.key, (best.key, other.key))


def _name(option: OptionFact) -> str:
    quality = f" with {number(option.quality)} {option.knob}" if option.quality is not None else ""
    return f"{option.size[0]}×{option.size[1]}{quality}"


def _figure(option: OptionFact) -> Figure:
    assert option.apparent_error is not None
    return option.apparent_error


def _error(option: OptionFact) -> float:
    return _figure(option).value


def _doubt(first: Figure, second: Figure) -> float:
    """Half-width of the interval of their difference."""
    return math.hypot(first.half_width(0.1), second.half_width(0.1))
