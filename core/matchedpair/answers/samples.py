"""How many samples are enough? The least number at which an eye sees no noise, from a fit over the ladder."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from matchedpair.answers.answer import CURVE, HIGHER_LEVELS, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.facts import OptionFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import count, number, seconds, sentence
from matchedpair.answers.thresholds import SEEN
from matchedpair.curves.two_terms import fit_two_terms
from matchedpair.plans.plan_kind import QUALITY, is_place

BEYOND = 2.0  # times the ladder's top, up to which the fit is believed
LEAST_STEPS = 2
STEP_ERROR = 0.04  # relative, of a visible noise: what seeds alone let it vary, before the fit's own residuals


def answer(facts: StudyFacts) -> Answer:
    """The answer of the control's ladder at its place."""
    ladder = ladder_of(facts)
    if len(ladder) < LEAST_STEPS:
        return nothing_yet(facts)
    knob = ladder[0].knob or "samples"
    enough = _enough([(o.quality or 0.0, o.visible_noise.value) for o in ladder if o.visible_noise is not None])
    proof = Proof(CURVE, options=tuple(option.key for option in ladder))
    top, bottom = ladder[-1], ladder[0]
    if enough is None or enough[0] > BEYOND * (top.quality or 1.0):
        return _more_than(facts, ladder, knob, enough, proof)
    value, low, high = enough
    if value <= (bottom.quality or 0.0):
        text = f"{_exact(bottom)} {knob} are enough: even there the noise cannot be seen at normal distance"
        return Answer(facts.question, sentence(text), SURE, bottom.key, _because(ladder, None, knob, proof),
                      _but(ladder, knob, proof), None, proof)  # fmt: skip
    text = (
        f"{count(value)} {knob} are enough {_counts(low, high)}: from there the noise cannot be seen at normal distance"
    )
    sure = SURE if high / low < 2 else UNSURE
    choice = next((option.key for option in ladder if (option.quality or 0.0) >= low), top.key)
    return Answer(facts.question, sentence(text), sure, choice, _because(ladder, value, knob, proof),
                  _but(ladder, knob, proof), None, proof)  # fmt: skip


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
    return option.engine == control.engine and all(
        level.subject in (QUALITY, option.knob.replace(" ", "_"), option.knob) or not level.changed
        for level in option.levels
        if not is_place(level.subject)
    )


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


def _exact(option: OptionFact) -> str:
    return f"{option.quality:g}" if option.quality is not None else ""


def _counts(low: float, high: float) -> str:
    first, last = count(low), count(high)
    return f"({first}–{last})" if first != last else f"({first})"


def _more_than(
    facts: StudyFacts, ladder: list[OptionFact], knob: str, enough: tuple[float, float, float] | None, proof: Proof
) -> Answer:
    top = ladder[-1]
    seen = top.visible_noise.value if top.visible_noise else 0.0
    most = _exact(top)
    text = f"More than {most}: at {most} {knob} the noise is still visible ({number(seen)} ΔE)"
    told = []
    if enough is None:
        told.append(Claim("More of them will not do: the noise does not fall below what can be seen.", proof))
    else:
        time = ""
        if top.seconds is not None:
            frame = (top.ready or 0.0) + top.seconds.value * enough[0] / (top.quality or 1.0)
            time = f", about {seconds(frame)} a frame"
        told.append(Claim(f"It takes about {count(enough[0])}{time}.", proof))
        told.append(Claim(f"Halving the noise takes four times the {knob}."))
    return Answer(
        facts.question, sentence(text), SURE, 0, tuple(told), _but(ladder, knob, proof),
        Step(HIGHER_LEVELS, "Add higher levels"), proof,
    )  # fmt: skip


def _because(ladder: list[OptionFact], value: float | None, knob: str, proof: Proof) -> tuple[Claim, ...]:
    """What fewer look like, and what more would cost."""
    found = []
    below = [option for option in ladder if value is not None and (option.quality or 0.0) < 0.8 * value]
    if below and below[-1].visible_noise is not None:
        fewer = below[-1]
        found.append(Claim(
            f"{_exact(fewer)} still show {number(fewer.visible_noise.value)} ΔE of noise.",  # type: ignore[union-attr]
            Proof(CURVE, options=(fewer.key,)),
        ))  # fmt: skip
    above = [option for option in ladder if (option.quality or 0.0) > 1.25 * (value or ladder[0].quality or 0.0)]
    if above and above[-1].seconds is not None:
        more = above[-1]
        enough = value or ladder[0].quality or 1.0
        whole = (more.ready or 0.0) + more.seconds.value  # type: ignore[union-attr]
        own = (more.ready or 0.0) + more.seconds.value * enough / (more.quality or 1.0)  # type: ignore[union-attr]
        found.append(Claim(
            f"{_exact(more)} take {number(whole / own)} × as long for a difference nobody sees.", proof
        ))  # fmt: skip
    return tuple(found)


def _but(ladder: list[OptionFact], knob: str, proof: Proof) -> tuple[Claim, ...]:
    """What the worst tenth of the picture needs, and rare bright paths."""
    points = [(o.quality or 0.0, o.visible_worst) for o in ladder if o.visible_worst is not None]
    if len(points) < LEAST_STEPS:
        return ()
    worst = _enough([(quality, value) for quality, value in points if value is not None])
    top = ladder[-1].quality or 1.0
    if worst is None or worst[0] > BEYOND * top:
        return (Claim(f"in the noisiest tenth of the picture {top:g} {knob} are not enough", proof),)
    if worst[0] > (ladder[0].quality or 0.0):
        return (Claim(f"in the noisiest tenth of the picture it takes {count(worst[0])}", proof),)
    return ()
