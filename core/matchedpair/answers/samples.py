"""How many samples are enough? The least number at which an eye sees no noise, from a fit over the ladder.

Where less of the quality knob buys less noise, as of a threshold, the fit goes over the samples that were reached, else
over 1 / threshold², and the answer is told in the knob's own values.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from matchedpair.answers.answer import CURVE, HIGHER_LEVELS, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import count, number, seconds, sentence
from matchedpair.answers.thresholds import SEEN
from matchedpair.curves.two_terms import fit_two_terms

BEYOND = 2.0  # times the ladder's top, up to which the fit is believed
LEAST_STEPS = 2
UNSEEN = "the noise cannot be seen at normal distance"
UNEVEN = 1.25  # times as much for the noisiest tenth: then what is enough is not enough everywhere, and that is said
STEP_ERROR = 0.04  # relative, of a visible noise: what seeds alone let it vary, before the fit's own residuals


@dataclass(frozen=True)
class _Ladder:
    """Options by rising effort: the knob's value itself, or what a knob that goes down made of it."""

    options: tuple[OptionFact, ...]
    efforts: tuple[float, ...]
    knob: str
    down: bool

    def value(self, effort: float) -> float:
        """The knob's value at an effort: between and beyond the ladder's steps as they go on."""
        if not self.down:
            return effort
        x, y = np.log(self.efforts), np.log([option.quality or 1.0 for option in self.options])
        at = math.log(effort)
        inside = float(np.interp(at, x, y))
        return math.exp(inside - 0.5 * (at - min(max(at, x[0]), x[-1])))

    def told(self, effort: float) -> str:
        """The knob's value, rounded as an estimate."""
        return number(self.value(effort)) if self.down else count(effort)

    def step(self, place: int) -> str:
        """A step's own value."""
        return f"{self.options[place].quality:g}"

    def named(self, value: str) -> str:
        """A value with the knob's name, at the beginning of a sentence."""
        return f"{self.knob} {value} is" if self.down else f"{value} {self.knob} are"

    def at(self, value: str) -> str:
        """The same within one."""
        return f"{self.knob} {value}" if self.down else f"{value} {self.knob}"


def answer(facts: StudyFacts) -> Answer:
    """The answer of the control's ladder at its place."""
    steps = ladder_of(facts)
    if not steps or (len(steps) < LEAST_STEPS and any(option.open for option in facts.options)):
        return nothing_yet(facts)
    ladder = _ladder(steps)
    if len(steps) < LEAST_STEPS:
        return _of_one(facts, ladder)
    seen = [option.visible_noise.value for option in ladder.options if option.visible_noise is not None]
    enough = _enough(list(zip(ladder.efforts, seen, strict=True)))
    proof = Proof(CURVE, options=tuple(option.key for option in steps))
    if enough is None or enough[0] > BEYOND * ladder.efforts[-1]:
        return _more_than(facts, ladder, enough, proof)
    value, low, high = enough
    most = _but_for_the_worst(ladder, max(value, ladder.efforts[0]))
    uneven = bool(most)
    if value <= ladder.efforts[0]:
        there = "there" if uneven else "even there"
        text = f"{ladder.named(ladder.step(0))} enough{most}: {there} {UNSEEN}"
        told = _because(ladder, None, proof, uneven)
        return Answer(facts.question, sentence(text), SURE, ladder.options[0].key, told, (), None, proof)
    ends = [ladder.told(each) for each in ((high, low) if ladder.down else (low, high))]
    interval = f" ({ends[0]}–{ends[1]})" if ends[0] != ends[1] else f" ({ends[0]})"
    there = "from there down" if ladder.down else "from there"
    text = f"{ladder.named(ladder.told(value))} enough{interval}{most}: {there} {UNSEEN}"
    sure = SURE if high / low < 2 else UNSURE
    choice = next(
        (option.key for option, effort in zip(ladder.options, ladder.efforts, strict=True) if effort >= low),
        ladder.options[-1].key,
    )
    return Answer(facts.question, sentence(text), sure, choice, _because(ladder, value, proof, uneven), (), None, proof)


def _ladder(steps: Sequence[OptionFact]) -> _Ladder:
    down = steps[0].goes_down
    knob = steps[0].knob or "samples"
    reached = [option.reached for option in steps if option.reached]
    if not down:
        efforts = [option.quality or 0.0 for option in steps]
    elif len(reached) == len(steps) == len(set(reached)):
        efforts = list(reached)
    else:
        efforts = [1.0 / (option.quality or 1.0) ** 2 for option in steps]
    order = sorted(range(len(steps)), key=efforts.__getitem__)
    return _Ladder(tuple(steps[at] for at in order), tuple(efforts[at] for at in order), knob, down)


def ladder_of(facts: StudyFacts) -> list[OptionFact]:
    """The options at the first place that differ from its control in the knob alone, by its value."""
    there = facts.at(facts.places[0]) if facts.places else []
    control = next((option for option in there if not option.control), None)
    rows: dict[float, OptionFact] = {}
    for option in there:
        if option.visible_noise is not None and option.quality and (control is None or _alike(option, control)):
            rows.setdefault(option.quality, option)
    return [rows[quality] for quality in sorted(rows)]


def _alike(option: OptionFact, control: OptionFact) -> bool:
    """Whether nothing but the knob tells them apart: another engine's samples are on no ladder of this one's."""
    return option.engine == control.engine and not any(level.changed for level in option.levels_but_knob())


def _enough(points: Sequence[tuple[float, float]], limit: float = SEEN) -> tuple[float, float, float] | None:
    """Where visible noise² = a/N + b² meets the limit, with an interval from the fit; None where it never does."""
    u = np.array([1.0 / quality for quality, _ in points])
    y = np.array([value**2 for _, value in points])
    a, b = fit_two_terms(u, y)
    if b >= limit**2 or a <= 0:
        return None
    value = a / (limit**2 - b)
    residuals = y / (a * u + b) - 1.0
    freedom = max(len(points) - 2, 1)
    own = 2 * STEP_ERROR
    scatter = math.sqrt((3 * own**2 + float(np.square(residuals).sum())) / (3 + freedom))
    reach = 2.0 * scatter / math.sqrt(len(points)) * limit**2 / (limit**2 - b)
    return value, value * math.exp(-reach), value * math.exp(reach)


def _of_one(facts: StudyFacts, ladder: _Ladder) -> Answer:
    """What one step says by itself: how noise falls is no more than supposed."""
    option, value = ladder.options[0], ladder.step(0)
    seen = option.visible_noise.value if option.visible_noise else 0.0
    proof = Proof(CURVE, options=(option.key,))
    if seen < SEEN:
        text = f"Not sure yet: at {ladder.at(value)} {UNSEEN} ({number(seen)} ΔE); whether fewer do is not known"
        return Answer(facts.question, sentence(text), UNSURE, 0, (), (), _add(lower=not ladder.down), proof)
    takes = ladder.told(ladder.efforts[0] * (seen / SEEN) ** 2)
    told = (Claim(f"If it falls as noise mostly does, it takes about {takes}.", proof),)
    text = _still_visible(ladder, seen)
    return Answer(facts.question, sentence(text), SURE, 0, told, (), _add(lower=ladder.down), proof)


def _add(*, lower: bool) -> Step:
    return Step(HIGHER_LEVELS, f"Add {'lower' if lower else 'higher'} levels")


def _still_visible(ladder: _Ladder, seen: float) -> str:
    most = ladder.step(-1)
    text = f"{'Below' if ladder.down else 'More than'} {most}: at {ladder.at(most)} the noise is still visible"
    return f"{text} ({number(seen)} ΔE)"


def _more_than(facts: StudyFacts, ladder: _Ladder, enough: tuple[float, float, float] | None, proof: Proof) -> Answer:
    top = ladder.options[-1]
    seen = top.visible_noise.value if top.visible_noise else 0.0
    told = []
    if enough is None:
        told.append(Claim(
            "Going on will not do: the noise does not fall below what can be seen." if ladder.down else
            "More of them will not do: the noise does not fall below what can be seen.", proof
        ))  # fmt: skip
    else:
        time = ""
        if top.seconds is not None:
            frame = (top.ready or 0.0) + top.seconds.value * enough[0] / ladder.efforts[-1]
            time = f", about {seconds(frame)} a frame"
        told.append(Claim(f"It takes about {ladder.told(enough[0])}{time}.", proof))
        halving = (
            f"four times the {ladder.knob}"
            if not ladder.down
            else f"half the {ladder.knob} and about four times the time"
        )
        told.append(Claim(f"Halving the noise takes {halving}."))
    return Answer(
        facts.question, sentence(_still_visible(ladder, seen)), SURE, 0, tuple(told), _but(ladder, proof),
        _add(lower=ladder.down), proof,
    )  # fmt: skip


def _because(ladder: _Ladder, value: float | None, proof: Proof, uneven: bool) -> tuple[Claim, ...]:
    """What fewer look like, and what more would cost. `uneven`: whether the noisiest tenth takes more."""
    found = []
    below = [at for at, effort in enumerate(ladder.efforts) if value is not None and effort < 0.8 * value]
    if below and (noise := ladder.options[below[-1]].visible_noise) is not None:
        shown = f"{number(noise.value)} ΔE of noise."
        fewer = ladder.step(below[-1])
        found.append(Claim(
            f"At {fewer} there is still {shown}" if ladder.down else f"{fewer} still show {shown}",
            Proof(CURVE, options=(ladder.options[below[-1]].key,)),
        ))  # fmt: skip
    enough = value or ladder.efforts[0] or 1.0
    above = [at for at, effort in enumerate(ladder.efforts) if effort > 1.25 * enough]
    more = ladder.options[above[-1]] if above else None
    if more is not None and more.seconds is not None:
        whole = (more.ready or 0.0) + more.seconds.value
        own = (more.ready or 0.0) + more.seconds.value * enough / ladder.efforts[above[-1]]
        take = "takes" if ladder.down else "take"
        found.append(Claim(
            f"{ladder.step(above[-1])} {take} {number(whole / own)} × as long for a difference "
            + ("that only the noisiest tenth shows." if uneven else "nobody sees."),
            proof,
        ))  # fmt: skip
    return tuple(found)


def _worst(ladder: _Ladder) -> float | None:
    """The effort at which the noise cannot be seen in the worst tenth of the picture either, infinite where none is
    enough; None where it is not measured.
    """
    rows = zip(ladder.efforts, (option.visible_worst for option in ladder.options), strict=True)
    points = [(effort, worst) for effort, worst in rows if worst is not None]
    if len(points) < LEAST_STEPS:
        return None
    found = _enough(points)
    return math.inf if found is None else found[0]


def _but_for_the_worst(ladder: _Ladder, enough: float) -> str:
    """What the noisiest tenth takes where what is enough for the rest is not enough for it; empty where it is."""
    worst = _worst(ladder)
    if worst is None or worst <= UNEVEN * enough:
        return ""
    least = ladder.step(-1) if enough <= ladder.efforts[-1] else ladder.told(enough)
    within = worst <= BEYOND * ladder.efforts[-1]
    takes = ladder.told(worst) if within else f"{'less' if ladder.down else 'more'} than {least}"
    return f" for most of the picture, {takes} for its noisiest tenth"


def _but(ladder: _Ladder, proof: Proof) -> tuple[Claim, ...]:
    """What the worst tenth of the picture needs where not even the rest has enough."""
    worst = _worst(ladder)
    if worst is None or worst <= ladder.efforts[0]:
        return ()
    if worst > BEYOND * ladder.efforts[-1]:
        words = f"{ladder.named(ladder.step(-1))} not enough"
        return (Claim(f"in the noisiest tenth of the picture {words}", proof),)
    return (Claim(f"in the noisiest tenth of the picture it takes {ladder.told(worst)}", proof),)
