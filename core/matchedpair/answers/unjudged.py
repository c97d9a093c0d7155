"""What is said while only a reference could tell, and the step to one: what was rendered long enough already, else what
is to be rendered.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from matchedpair.answers.answer import (
    PAIR,
    RENDER_REFERENCE,
    TAKE_REFERENCE,
    UNSURE,
    Answer,
    Claim,
    Proof,
    Step,
)
from matchedpair.answers.caveats import looks, patches_beside
from matchedpair.answers.facts import OptionFact, PairFact, StudyFacts
from matchedpair.answers.phrases import capital, listed, render_time, seconds, sentence, softness, visible_noise

FINER = 16.0  # times the samples of what it judges: with its twin it holds a sixth of the noise
LEAST_FINER = 4.0  # where its knob goes no farther
TWINS = 2
MOST = 3
TO_COME = "The reference is being rendered."
TO_MEASURE = "The reference is there and waits to be measured."


def without_reference(facts: StudyFacts) -> Answer:
    """Engines that cheat differently cannot be ranked by noise: what is known of each, and how to a reference."""
    told = [claim for pair in _telling(facts) if (claim := known_of(facts, pair)) is not None][:MOST]
    text = "Not decided: without a reference only grain can be compared, and these engines cheat differently"
    first = next((claim.proof for claim in told), None)
    because = (*about_reference(facts, facts.options), *told)
    return Answer(facts.question, sentence(text), UNSURE, because=because, next=reference_step(facts), shown=first)


def about_reference(facts: StudyFacts, options: Sequence[OptionFact]) -> tuple[Claim, ...]:
    """Where the reference of these options stands that they are not judged by yet; nothing where there is none."""
    if facts.reference_to_come:
        return (Claim(TO_COME),)
    if facts.reference_problem:
        why = facts.reference_problem.removeprefix("against the reference, ")
        return (Claim(sentence(f"the reference cannot judge them: {why}")),)
    return (Claim(TO_MEASURE),) if _waits(options) else ()


def _waits(options: Sequence[OptionFact]) -> bool:
    return any(option.judged and option.visible_error is None and option.apparent_error is None for option in options)


def reference_step(facts: StudyFacts, options: Sequence[OptionFact] = (), at: str = "") -> Step | None:
    """How to a reference: of these options' places, all where none are given, `at` which size. None while it is being
    rendered or measured.
    """
    among = options or facts.options
    if facts.reference_to_come or (_waits(among) and not facts.reference_problem):
        return None
    own = tuple(option.key for option in options[:1])
    otherwise = Step(RENDER_REFERENCE, f"Render a reference{at}", own)
    return _there(among) or _to_render(among, at) or otherwise


def _there(options: Sequence[OptionFact]) -> Step | None:
    """What one place's options hold that has far more samples than all others."""
    for place in dict.fromkeys(option.place for option in options):
        own = [
            option for option in options if option.place == place and option.quality and option.knob and option.seeds
        ]
        for best in own:
            rest = [each for each in own if (each.engine, each.knob) == (best.engine, best.knob) and each is not best]
            if rest and all(_times_spent(each, best.quality or 0.0) >= FINER for each in rest):
                return Step(TAKE_REFERENCE, f"Take {_named(best, best.quality or 0.0)}, as the reference", (best.key,))
    return None


def _to_render(options: Sequence[OptionFact], at: str) -> Step | None:
    """The control's engine, or the first whose knob goes far enough, with far more samples than it has here, at every
    place.
    """
    able = [each for each in options if each.refines and each.quality and each.knob]
    able.sort(key=lambda each: each.control != 0)
    found = ((first, _far_enough(first, able)) for first in able)
    first, quality = next(((each, value) for each, value in found if value is not None), (None, 0.0))
    if first is None:
        return None
    bases = {first.place: first}
    for each in able:
        if each.engine == first.engine and each.levels_but_knob() == first.levels_but_knob():
            bases.setdefault(each.place, each)
    takes = [
        TWINS * ((each.ready or 0.0) + each.seconds.value * _times_spent(each, quality))
        for each in bases.values()
        if each.seconds is not None
    ]
    total = sum(takes) if len(takes) == len(bases) else None
    about = f", about {seconds(total)}" if total is not None else ""
    words = f"Render a reference{at}: {_named(first, quality)}{about}"
    return Step(RENDER_REFERENCE, words, tuple(each.key for each in bases.values()), TWINS, total, quality)


def _far_enough(option: OptionFact, able: Sequence[OptionFact]) -> float | None:
    """The knob's value of a reference made with an option's engine; None where its knob does not go so far."""
    ladder = [
        each.quality for each in able if (each.engine, each.knob) == (option.engine, option.knob) and each.quality
    ]
    farther = max if option.goes_down else min
    quality = min(ladder) / math.sqrt(FINER) if option.goes_down else max(ladder) * FINER
    if option.finest is not None:
        quality = farther(quality, option.finest)
    return quality if _times_spent(option, quality) >= LEAST_FINER else None


def _times_spent(option: OptionFact, quality: float) -> float:
    """How many times its rendering another value of its quality knob takes; a threshold as many as its square falls."""
    more = quality / (option.quality or quality)
    return more**-2 if option.goes_down and more > 0 else more


def _named(option: OptionFact, quality: float) -> str:
    return f"{option.engine}, {quality:g} {option.knob}"


def _telling(facts: StudyFacts) -> list[PairFact]:
    """Of each other way to render the pair whose time is nearest to its control's, in the study's order."""
    found: dict[tuple[object, ...], list[PairFact]] = {}
    for pair in facts.pairs:
        trial, control = facts.option(pair.trial), facts.option(pair.control)
        if trial is None or control is None:
            continue
        way = (trial.engine, trial.levels_but_knob())
        if way != (control.engine, control.levels_but_knob()):
            found.setdefault(way, []).append(pair)
    return [min(own, key=_way_in_time) for own in found.values()]


def _way_in_time(pair: PairFact) -> float:
    return abs(math.log(pair.time.value)) if pair.time is not None and pair.time.value > 0 else math.inf


def known_of(facts: StudyFacts, pair: PairFact) -> Claim | None:
    """What one pair shows without its noise: grain as seen, time, and where the picture is another one."""
    option, trial = facts.option(pair.control), facts.option(pair.trial)
    patches = [patches_beside(option, trial)] if option and trial else []
    seen = looks(pair.zones, pair.parts, option.size if option else (0, 0))[:1]
    grain = [visible_noise(pair.visible)] if pair.visible is not None else []
    softer = [f"it is {softness(pair.sharpness)}"] if pair.sharpness is not None else []
    takes = [render_time(pair.time)] if pair.time is not None else []
    parts = [listed([*grain, *softer, *takes]), *patches, *(each.text for each in seen)]
    if not any(parts):
        return None
    box = seen[0].box if seen else None
    proof = Proof(PAIR, pair.key, (pair.control, pair.trial), seen[0].zone if seen else "", box)
    return Claim(f"{capital(pair.subject)}: {'; '.join(filter(None, parts))}.", proof)
