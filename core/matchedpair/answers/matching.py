"""A search matched a pair on noise or on time: what the other figure is then, which no other pair of the plan says."""

from __future__ import annotations

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.pair import Matched
from matchedpair.answers.phrases import mostly, noise, render_time, sentence
from matchedpair.measures.figure import Ratio
from matchedpair.measures.zones import WHOLE


def answer(facts: StudyFacts) -> Answer:
    """The answer of the pair that came out best."""
    rows = [pair for pair in facts.pairs if pair.matched_on and (pair.noise or pair.time)]
    if not rows:
        return nothing_yet(facts)
    pair = min(rows, key=lambda each: not _matched(each).well)
    control, trial = facts.option(pair.control), facts.option(pair.trial)
    matched = _matched(pair)
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial), "" if matched.zone in ("", WHOLE) else matched.zone)
    on_noise = pair.matched_on == "noise"
    other: Ratio | None = pair.time if on_noise else pair.noise
    said = "" if other is None else render_time(other) if on_noise else noise(other)
    alike = " on the whole" if on_noise and mostly(matched.ratio) else ""
    start = f"Same {pair.matched_on}{alike} {_at(control, trial)}" if matched.well else matched.words()
    better = other is not None and not other.tie and other.value < 1
    because = (Claim(sentence(matched.words()), proof),)
    return Answer(
        facts.question, sentence(f"{start}: {said}" if said else start), SURE if matched.well else UNSURE,
        pair.trial if better else 0, because, caveats(facts, pair), None, proof,
    )  # fmt: skip


def _matched(pair: PairFact) -> Matched:
    zone = next((each for each in pair.zones if each.name == (pair.matched_zone or WHOLE)), None)
    if pair.matched_on == "time" or zone is None:
        return Matched(pair.matched_on, pair.matched_zone, pair.time)
    return Matched(pair.matched_on, pair.matched_zone, zone.noise, zone.visible)


def _at(control: OptionFact | None, trial: OptionFact | None) -> str:
    """``at 29 samples instead of 32``, where the knob is one and the same."""
    if control is None or trial is None or control.quality is None or trial.quality is None:
        return "" if trial is None else f"with {trial.name}"
    if control.knob != trial.knob:
        return f"with {trial.name}"
    return f"at {trial.quality:g} {trial.knob} instead of {control.quality:g}"
