"""How much of a setting that is bad at both ends, such as how far light is interpolated.

Too little is grainy, too much has uneven patches. The end without patches shows the light as it is; from there, levels
are right until patches or a change of look set in, and of these the ones that are not plainly grainier than need be.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from matchedpair.answers.answer import SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.caveats import patches_beside
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.level_change import LevelChange, beside, change_from, level_shown, level_title
from matchedpair.answers.phrases import number, place_of_box, sentence
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.thresholds import MORE_PATCHES, PATCHES, STOPS

GRAINY = 1.5  # times the noise of the least noisy level without fault


@dataclass(frozen=True)
class _Fault:
    option: OptionFact
    words: str  # after "it"
    short: str  # the same without its size


def of_patches(facts: StudyFacts, levels: Sequence[OptionFact], too_many: Step) -> Answer | None:
    """The answer where one end of the levels, from low to high, is patchy; None where none is, or noise says nothing.
    `too_many` is what settles it where seeds would take too many.
    """
    noise = {option.key: each for option in levels if (each := _noise(facts, option)) is not None}
    first, last = levels[0].patches or 0.0, levels[-1].patches or 0.0
    if len(noise) < len(levels) or max(first, last) < max(PATCHES, MORE_PATCHES * min(first, last)):
        return None
    upward = last > first  # whether the fault lies above
    ordered = list(levels if upward else reversed(levels))
    good, fault = _until_fault(facts, ordered)
    if fault is None:
        return None
    quietest = min(noise[option.key] for option in good)
    grainy = [option for option in good if noise[option.key] > GRAINY * quietest]
    fit = [option for option in good if option not in grainy]
    best = min(fit, key=lambda option: _cost(option, noise[option.key]))
    proof = beside(facts, fault.option, best)
    because, but = _because(facts, fit, grainy, fault, best, noise), _but(best, proof)
    blind = _blind(facts, fit, good)
    if blind is not None:
        where = place_of_box(blind.dim, blind.level.size)
        doubt = f"in the {where} {number(blind.doubt)} stops would not have shown"
        step = more_seeds(list(levels), blind.doubt, STOPS) or too_many
        text = f"Not sure yet: {_range(fit, bool(grainy), upward=upward)} looks right, but {doubt}"
        return Answer(facts.question, sentence(text), UNSURE, 0, because, but, step, proof)
    wrong = {not upward: "it is grainy" if grainy else "", upward: fault.short}
    sides = [f"{side} {wrong[above]}" for side, above in (("below", False), ("above", True)) if wrong[above]]
    text = f"{_range(fit, bool(grainy), upward=upward)}: {', '.join(sides)}"
    return Answer(facts.question, sentence(text), SURE, best.key, because, but, None, proof)


def _because(
    facts: StudyFacts, fit: Sequence[OptionFact], grainy: Sequence[OptionFact], fault: _Fault, best: OptionFact,
    noise: Mapping[int, float],
) -> tuple[Claim, ...]:  # fmt: skip
    """What is wrong with the first level on either side, and why the best is."""
    told = [Claim(f"With {level_shown(fault.option)} it {fault.words}.", beside(facts, fault.option, best))]
    if grainy:
        nearest = grainy[-1]
        more = number(noise[nearest.key] / noise[best.key])
        text = f"With {level_shown(nearest)} it has {more} × the noise of {level_shown(best)}."
        told.append(Claim(text, beside(facts, nearest, best)))
    if len(fit) > 1 and best.seconds is not None:
        told.append(Claim(f"{level_shown(best)} comes to the same noise in the least time."))
    return tuple(told)


def _but(best: OptionFact, proof: Proof | None) -> tuple[Claim, ...]:
    """Patches that the best level has too."""
    left = best.patches or 0.0
    words = f"with {level_shown(best)} too it has uneven patches, of {number(left)} %"
    return (Claim(f"{words}: this setting alone does not end them", proof),) if left >= PATCHES else ()


def _until_fault(facts: StudyFacts, ordered: Sequence[OptionFact]) -> tuple[list[OptionFact], _Fault | None]:
    """The levels before the first that is patchy or looks otherwise than any before it, and what is wrong with that."""
    good = [ordered[0]]
    for option in ordered[1:]:
        patches = patches_beside(ordered[0], option) if (option.patches or 0.0) >= PATCHES else ""
        changed = [each for other in good if (each := change_from(facts, option, other)) is not None and each.changed]
        if patches:
            more = "more" if (ordered[0].patches or 0.0) >= PATCHES else "uneven"
            return good, _Fault(option, patches.removeprefix("it "), f"it has {more} patches")
        if changed:
            worst = max(changed, key=lambda each: abs(each.stops))
            short = "it is softer" if worst.softer else "the light changes"
            return good, _Fault(option, f"is {worst.words()}", short)
        good.append(option)
    return good, None


def _blind(facts: StudyFacts, fit: Sequence[OptionFact], good: Sequence[OptionFact]) -> LevelChange | None:
    """The level that is called right though a change that counts could have hidden; None where there is none. Each is
    compared with that of the levels nearer the sound end which tells most.
    """
    doubts = []
    for at, option in enumerate(good):
        changes = [each for other in good[:at] if (each := change_from(facts, option, other)) is not None]
        if option in fit and changes:
            doubts.append(min(changes, key=lambda each: each.doubt))
    return max((each for each in doubts if not each.told), key=lambda each: each.doubt, default=None)


def _range(fit: Sequence[OptionFact], ends: bool, *, upward: bool) -> str:
    """The levels that are right in words; it `ends` on the sound side too where grainier ones are left out."""
    near, far = level_shown(fit[0]), level_shown(fit[-1])
    subject = level_title(fit[0])
    if not ends:
        return f"{subject} {'up to' if upward else 'from'} {far}"
    low, high = (near, far) if upward else (far, near)
    return f"{subject} {low}" if low == high else f"{subject} {low} to {high}"


def _noise(facts: StudyFacts, option: OptionFact) -> float | None:
    """Over the control's; 1 for the control itself."""
    if not option.control:
        return 1.0
    pair = facts.pair_of(option.control, option.key)
    return pair.noise.value if pair is not None and pair.noise is not None else None


def _cost(option: OptionFact, noise: float) -> float:
    """Time to the same noise, of no unit; the noise where no time is known."""
    return noise if option.seconds is None else option.seconds.value * noise**2
