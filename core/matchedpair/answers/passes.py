"""Which engine should make this pass? The pass itself is judged: its noise, how near it comes to the control's, and the
picture with it laid over.
"""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.answers.answer import PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.facts import OptionFact, PassFact, StudyFacts
from matchedpair.answers.missing import FILL_IN, NO_TIMES, nothing_yet
from matchedpair.answers.phrases import number, sentence, times
from matchedpair.answers.settle import LARGER, more_seeds
from matchedpair.answers.thresholds import SEEN, TIME
from matchedpair.measures.figure import Figure


@dataclass(frozen=True)
class _Row:
    """An option with its pass, and its time to the control's visible noise of the pass over the control's time, with
    the half-width of its logarithm.
    """

    option: OptionFact
    passed: PassFact
    cost: float
    reach: float

    @property
    def off(self) -> float:
        """How far its pass is from the control's."""
        return _off(self.passed)


def answer(facts: StudyFacts) -> Answer:
    """The quickest to the same noise among those whose pass shows the same; the others with what they show instead."""
    control = _control(facts)
    if control is None or control.passed is None or control.passed.noise is None or control.seconds is None:
        return nothing_yet(facts)
    rows = [row for option in facts.options if option.control and (row := _row(control, option)) is not None]
    if not rows:
        return nothing_yet(facts)
    name = control.passed.name
    same = sorted((row for row in rows if row.off < SEEN), key=lambda row: row.cost)
    others = sorted((row for row in rows if row.off >= SEEN), key=lambda row: row.off)
    told = tuple(Claim(_differs(row, control), _proof(facts, control, row.option)) for row in others[:3])
    quick = next((row for row in same if row.cost < 1), None)
    if quick is not None:
        sure = quick.cost * (1 + quick.reach) < 1 - TIME
        lead = f"{_who(quick.option, control)}: the same {name} ({number(quick.off)} ΔE apart"
        where = " over the picture" if quick.passed.laid_over is not None else ""
        text = f"{lead}{where}) in {times(quick.cost)} × the time at the same grain"
        if not sure:
            distance = max(1 - TIME - quick.cost, 0.01)
            step = more_seeds([control, quick.option], quick.reach * quick.cost, distance) or LARGER
            return Answer(facts.question, sentence(f"Not sure yet: {text}"), UNSURE, 0, told, (), step,
                          _proof(facts, control, quick.option))  # fmt: skip
        return Answer(facts.question, sentence(text), SURE, quick.option.key, told, (), None,
                      _proof(facts, control, quick.option))  # fmt: skip
    first = min(rows, key=lambda row: row.off)
    if same:
        text = f"{control.engine}: {_who(same[0].option, control)} makes the same {name}, but takes "
        text += f"{times(same[0].cost)} × the time at the same grain"
        return Answer(facts.question, sentence(text), SURE, control.key, told, (), None,
                      _proof(facts, control, same[0].option))  # fmt: skip
    text = f"{control.engine}, or the look changes: no other {name} comes near it"
    return Answer(
        facts.question, sentence(text), SURE, control.key, told, (), None, _proof(facts, control, first.option)
    )


def without_times(facts: StudyFacts) -> Answer | None:
    """What is known where no time is: whose pass shows the same, and with how much grain; None where nothing is."""
    control = _control(facts)
    if control is None or control.passed is None or control.passed.noise is None or control.passed.noise.value <= 0:
        return None
    rows = [
        (_off(own), own.noise.value / control.passed.noise.value, option)
        for option in facts.options
        if option.control and (own := option.passed) is not None and own.apart is not None and own.noise is not None
    ]
    if not rows:
        return None
    rows.sort(key=lambda row: (row[0] >= SEEN, row[1]))
    off, grain, first = rows[0]
    told = tuple(
        Claim(
            f"{_who(option, control)} shows {'the same' if apart < SEEN else 'another one'}, {number(apart)} ΔE apart, "
            f"with {times(more)} × the grain."
        )
        for apart, more, option in rows[:3]
    )
    text = f"{_who(first, control)} makes the same {control.passed.name}, with {times(grain)} × the grain"
    if off >= SEEN:
        text = f"no other {control.passed.name} comes near that of {control.engine}"
    words = f"{sentence(f'Not sure yet: {text}')} {NO_TIMES}"
    return Answer(facts.question, words, UNSURE, 0, told, (), FILL_IN, _proof(facts, control, first))


def _control(facts: StudyFacts) -> OptionFact | None:
    return next((o for o in facts.options if not o.control and o.passed is not None), None)


def _off(passed: PassFact) -> float:
    """What an eye sees of the difference: of the picture with the pass laid over it, else of the pass alone."""
    found = passed.laid_over or passed.apart
    return found.value if found is not None else 0.0


def _row(control: OptionFact, option: OptionFact) -> _Row | None:
    own, against = option.passed, control.passed
    if own is None or against is None or own.apart is None or option.seconds is None or control.seconds is None:
        return None
    if own.noise is None or against.noise is None or against.noise.value <= 0:
        return None
    noise = own.noise.value / against.noise.value
    cost = option.seconds.value / control.seconds.value * noise**2
    reach = 2 * (_share(own.noise) ** 2 + _share(against.noise) ** 2) ** 0.5
    return _Row(option, own, cost, reach)


def _differs(row: _Row, control: OptionFact) -> str:
    over = "the picture with it laid over" if row.passed.laid_over is not None else "the pass"
    seconds = row.option.seconds.value / control.seconds.value if row.option.seconds and control.seconds else 1.0
    return (
        f"{_who(row.option, control)} shows another one: {over} differs by {number(row.off)} ΔE, in {times(seconds)} × "
        "the time."
    )


def _who(option: OptionFact, control: OptionFact) -> str:
    return option.engine if option.engine != control.engine else option.name


def _share(figure: Figure) -> float:
    return figure.half_width(0.1) / figure.value if figure.value > 0 else 0.1


def _proof(facts: StudyFacts, control: OptionFact, option: OptionFact) -> Proof | None:
    pair = facts.pair_of(control.key, option.key)
    return None if pair is None else Proof(PAIR, pair.key, (control.key, option.key))
