"""Which engine for this scene? The time each takes to the control's visible error; without a reference, nothing is
ranked, since noise says nothing of engines that cheat differently.

How many times its samples an option takes to the control's error is what `samples_to` says, with both ends; one that
keeps more error than the control's whatever the samples never gets there. Of options that differ in the quality knob
alone the one that has the shortest way to go tells it for all, and the control's own tell nothing of another engine.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from statistics import geometric_mean

from matchedpair.answers.answer import (
    HIGHER_LEVELS,
    OPTION,
    PAIR,
    SURE,
    UNSURE,
    VISIBLE_ERROR,
    Answer,
    Claim,
    Proof,
    Step,
)
from matchedpair.answers.caveats import caveats, most_seen, part_stops, seen_stops
from matchedpair.answers.facts import OptionFact, PartFact, StudyFacts
from matchedpair.answers.missing import FILL_IN, NO_TIMES, nothing_yet
from matchedpair.answers.phrases import (
    count,
    in_specks,
    number,
    part_of,
    seconds,
    sentence,
    stops,
    times,
    times_between,
)
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.standing import NEVER, Standing, standings
from matchedpair.answers.thresholds import PLAIN_STOPS, SEEN, STOPS, TIME
from matchedpair.answers.unjudged import FINER, without_reference
from matchedpair.choose.failing import PART
from matchedpair.measures.figure import Interval

MOST_TIMES = 100.0  # beyond, how far it is off says nothing
MOST = 3  # others that are told of each kind; the table of the study has all


@dataclass(frozen=True)
class _Usual:
    """A time ratio over all places."""

    value: float
    interval: Interval


def answer(facts: StudyFacts) -> Answer:
    """The fastest to the control's visible error, over all places; the worst place beside the usual one."""
    if not any(option.seconds for option in facts.options):
        return _without_times(facts)
    table = {place: ranked for place in facts.places if (ranked := _ranked(facts, place))}
    if not table:
        return _unranked(facts)
    places = list(table)
    control = facts.at(places[0])[0]
    names = _telling(table, control)
    rows = {name: [row for own in table.values() for row in own if row.option.name == name] for name in names}
    usual = {name: found for name in names if (found := _usual(rows[name], len(places))) is not None}
    best = min(usual, key=lambda name: usual[name].value, default="")
    least = {name: _least(rows[name], len(places)) for name in names if not _wins(usual, name)}
    doubtful = min((name for name in least if least[name] < 1 - TIME), key=lambda name: least[name], default="")
    if _wins(usual, best):
        text = f"{best}: as close to the reference as {_title(control)}, {_times(rows[best])}"
        lead, choice, sure, step = best, rows[best][0].option.key, SURE, None
    elif doubtful:
        lead, choice, sure = doubtful, 0, UNSURE
        text = f"Not sure yet: {_in_doubt(doubtful, rows[doubtful], control)}"
        step = _what_tells(control, rows[doubtful])
    else:
        text = f"{_title(control)}: nothing else here comes as close to the reference in less time"
        lead, choice, sure, step = "", control.key, SURE, None
    short = {row.option.name for own in table.values() for row in own if row.why_not}
    there = [name for name in names if name != lead and name not in short][:MOST]
    never = [name for name in names if name != lead and name in short][:MOST]
    others = tuple(_other(facts, rows[name], several=len(places) > 1) for name in (*there, *never))
    missing = [place for place in facts.places if place not in places]
    but = [claim for pair in facts.pairs if pair.trial == choice for claim in caveats(facts, pair)]
    if missing:
        but.append(Claim(f"no reference in {missing[0]}, so it does not count there"))
    but += _of_reference(facts, control, choice)
    return Answer(
        facts.question,
        sentence(text),
        sure,
        choice,
        others,
        tuple(but),
        step,
        _proof(facts, rows[lead][-1].option) if lead or not others else others[0].proof,  # what is said first is shown
    )


def _unranked(facts: StudyFacts) -> Answer:
    """While no reference judges them."""
    ready = any(pair.noise or pair.visible for pair in facts.pairs)
    return without_reference(facts) if ready else nothing_yet(facts)


def _without_times(facts: StudyFacts) -> Answer:
    """Of renders whose times nobody knows: who comes closest to the reference, at its worst place, and how far off the
    others are. What it costs stays open, and with it the answer.
    """
    errors: dict[str, list[OptionFact]] = {}
    for option in facts.options:
        if option.visible_error is not None:
            errors.setdefault(option.name, []).append(option)
    worst = {name: max(own, key=_error) for name, own in errors.items() if len(own) == len(facts.places)}
    if len(worst) < 2:
        return _unranked(facts)
    first, *others = sorted(worst, key=lambda name: _error(worst[name]))
    least = _error(worst[first])
    second = _error(worst[others[0]])
    if second - least < SEEN:
        stands = f"{first} is as close to the reference as {others[0]}, {number(least)} and {number(second)} ΔE off"
    else:
        stands = f"{first} comes closest to the reference, {number(least)} ΔE off"
    because = tuple(_so_far_off(facts, worst[name]) for name in (first, *others)[: MOST + 1])
    return Answer(
        facts.question,
        f"{sentence(f'Not sure yet: {stands}')} {NO_TIMES}",
        UNSURE,
        because=because,
        next=FILL_IN,
        shown=because[0].proof,
    )


def _error(option: OptionFact) -> float:
    return option.visible_error or 0.0


def _so_far_off(facts: StudyFacts, option: OptionFact) -> Claim:
    """How far off it is at its worst place, and by what."""
    part = _part(facts, option) if option.control else None
    why = _why(option, part) if option.control else ""
    where = f" in {option.place}" if len(facts.places) > 1 else ""
    error = f"{number(_error(option))} ΔE"
    cause = "" if error in why else why
    return Claim(f"{option.name}, {error} off the reference{where}{cause}.", _proof(facts, option))


def _ranked(facts: StudyFacts, place: str) -> list[Standing]:
    """How the trials of a place stand; none where its control has no visible error or time."""
    control = facts.at(place)[0]
    return standings(facts, place) if control.visible_error is not None and control.seconds is not None else []


def _usual(rows: list[Standing], places: int) -> _Usual | None:
    """Over all places; None where it is not ranked in one of them."""
    if len(rows) < places or any(math.isinf(row.ratio) for row in rows):
        return None
    value = geometric_mean([row.ratio for row in rows])
    below, above = (
        math.hypot(*(math.log(row.ratio / row.interval[end]) for row in rows)) / len(rows) for end in (0, 1)
    )
    return _Usual(value, (value * math.exp(-below), value * math.exp(above)))


def _least(rows: list[Standing], places: int) -> float:
    """The least that it can take over all places; infinite where it never gets there in one, or is not in all."""
    lows = [row.interval[0] for row in rows]
    return geometric_mean(lows) if len(lows) == places and max(lows) < math.inf else math.inf


def _wins(usual: dict[str, _Usual], name: str) -> bool:
    """Whether it takes less time for sure."""
    return name in usual and usual[name].interval[1] <= 1 - TIME


def _in_doubt(name: str, rows: list[Standing], control: OptionFact) -> str:
    """What an option that may be faster is known to take."""
    worst = max(rows, key=lambda row: (row.ratio, row.more))
    title = _title(control)
    if math.isinf(worst.ratio):
        return f"to come as close to the reference as {title}, {name} takes {_at_least(worst)}"
    takes = _takes(worst.ratio, worst.interval)
    return f"{name} comes as close to the reference as {title}, in {takes}"


def _takes(value: float, interval: Interval) -> str:
    """A time ratio; of one seed no more than its upper end is known."""
    low, high = interval
    if low < 0.1 * value:
        return f"at most {times(high)} × the time"
    return f"{times(value)} × the time {times_between(low, high)}"


def _at_least(row: Standing) -> str:
    return f"at least {times(row.interval[0])} × the time"


def _what_tells(control: OptionFact, rows: list[Standing]) -> Step | None:
    """More seeds where chance decides it; a render nearer to the control's error where the way to it does."""
    worst = max(rows, key=lambda row: (row.ratio, row.more))
    if min(control.seeds, worst.option.seeds) < 2:
        return more_seeds([control, worst.option], 1.0, 1.0)  # one, which tells noise from what lasts
    if math.isfinite(worst.ratio):
        low, high = worst.interval
        half, value = math.log(high / low) / 2, math.log(worst.ratio)
        distance = min(abs(value - math.log(each)) for each in (1 - TIME, 1 + TIME))
        step = more_seeds([control, worst.option], half, distance)
        if step is not None:
            return step
    own = worst.option
    if not own.quality or not own.knob or own.goes_down or math.isinf(worst.more):
        return None
    quality = float(count(own.quality * max(worst.more, 1.5)).replace(",", ""))
    takes = quality / own.quality * own.seconds.value if own.seconds else None
    about = f", about {seconds(takes)} each" if takes is not None else ""
    return Step(HIGHER_LEVELS, f"Render {own.engine} with {quality:g} {own.knob}{about}", (own.key,))


def _of_reference(facts: StudyFacts, control: OptionFact, choice: int) -> list[Claim]:
    """What the reference itself leaves in doubt: noise of its own, and what its engine does not do."""
    found = []
    quality = facts.reference_quality
    if quality and control.quality and control.engine == facts.reference_engine and not control.goes_down:
        more = quality / control.quality
        if more < FINER / 2:
            knob = control.knob or "samples"
            found.append(
                Claim(f"the reference has only {times(more)} × the control's {knob}: its own noise counts too")
            )
    chosen = facts.option(choice)
    if facts.reference_engine and chosen is not None and chosen.engine == facts.reference_engine:
        found.append(Claim(f"the reference is {facts.reference_engine}'s own: what it leaves out itself is not seen"))
    return found


def _telling(table: dict[str, list[Standing]], control: OptionFact) -> list[str]:
    """The names to rank: of each ladder of the quality knob the option nearest to the control's error everywhere, and
    none of the control's own ladder where there is any other."""
    ladders: dict[tuple[object, ...], dict[str, list[Standing]]] = {}
    for rows in table.values():
        for row in rows:
            ladders.setdefault(_ladder(row.option), {}).setdefault(row.option.name, []).append(row)
    own = _ladder(control)
    kept = {key: names for key, names in ladders.items() if key != own} or ladders
    nearest = [min(names, key=lambda name: _way(names[name], len(table))) for names in kept.values()]
    order = list(dict.fromkeys(row.option.name for rows in table.values() for row in rows))
    return sorted(nearest, key=order.index)


def _ladder(option: OptionFact) -> tuple[object, ...]:
    """What options have in common that differ in the quality knob and in the place alone."""
    return option.engine, *((level.subject, level.shown) for level in option.levels_but_knob())


def _way(rows: list[Standing], places: int) -> float:
    """How far an option is extrapolated at most, as a logarithm of samples."""
    ways = [abs(math.log(row.more)) if 0.0 < row.more < math.inf else math.inf for row in rows]
    return max(ways) if len(ways) == places else math.inf


def _times(rows: list[Standing]) -> str:
    worst = max(rows, key=lambda row: row.ratio)
    if len(rows) == 1:
        return f"in {_takes(worst.ratio, worst.interval)}"
    usual = _usual(rows, len(rows))
    told = "" if usual is None else f"usually in {_takes(usual.value, usual.interval)}. "
    return f"{told}In {worst.option.place} in {times(worst.ratio)} × {times_between(*worst.interval)}"


def _other(facts: StudyFacts, rows: list[Standing], *, several: bool) -> Claim:
    """What one that is not chosen takes, at its places; `several` where the study has more than one."""
    short = next((row for row in rows if row.why_not), None)
    told = short or rows[0]
    part, proof = _part(facts, told.option), _proof(facts, told.option)
    shown = proof if part is None else replace(proof, box=part.box)
    if short is not None:
        takes = "never gets as close"
        if short.why_not != NEVER:
            least = f"at least {times(short.more)}" if short.more < MOST_TIMES else f"over {MOST_TIMES:g}"
            takes = f"would take {least} × its {short.option.knob or 'samples'} to get as close"
        where = f" in {short.option.place}" if several else ""
        return Claim(f"{short.option.name} {takes}{where}{_why(short.option, part)}.", shown)
    usual = _usual(rows, len(rows))
    if usual is None:
        worst = max(rows, key=lambda row: row.ratio)
        return Claim(
            f"{worst.option.name} takes {_at_least(worst)} to the same visible error.", _proof(facts, worst.option)
        )
    takes = f"{_takes(usual.value, usual.interval)} to the same visible error"
    return Claim(f"{told.option.name} takes {takes}{'' if part is None else _why(told.option, part)}.", shown)


def _part(facts: StudyFacts, option: OptionFact) -> PartFact | None:
    """The part of the picture that is plainly another one; None where there is none, or the whole is as much."""
    pair = facts.pair_of(option.control, option.key)
    part = most_seen(pair.parts) if pair is not None else None
    overall = abs(option.stops.value) if option.stops is not None else 0.0
    return part if part is not None and seen_stops(part) >= max(PLAIN_STOPS, PART * overall) else None


def _why(option: OptionFact, part: PartFact | None) -> str:
    """What keeps it off, as far as it is known: a part of the picture that is plainly another one before the whole."""
    if part is not None:
        return f": in {part_of(part, option.size)} it is {stops(part_stops(part.percent))}{in_specks(part)}"
    if option.stops is not None and abs(option.stops.value) >= STOPS:
        return f": it is {stops(option.stops.value)}"
    if option.lasting_patches and option.patches is not None:
        return f": its patches of {number(option.patches)} % stay in every seed"
    if option.lacks:
        return f": it has no {option.lacks[0]}"
    error = option.visible_error or 0.0
    return f": {number(error)} ΔE off" if error > SEEN else ""


def _title(control: OptionFact) -> str:
    quality = f", {_plain(control.quality)} {control.knob}" if control.quality and control.knob else ""
    return f"{control.engine}{quality}"


def _plain(value: float | None) -> str:
    return f"{value:g}" if value is not None else ""


def _proof(facts: StudyFacts, option: OptionFact) -> Proof:
    pair = facts.pair_of(option.control, option.key)
    if pair is None:
        return Proof(OPTION, options=(option.key,), measure=VISIBLE_ERROR)
    return Proof(PAIR, pair.key, (option.control, option.key), measure=VISIBLE_ERROR)
