"""Which engine for this scene? The time each takes to the control's visible error; without a reference, nothing is
ranked, since noise says nothing of engines that cheat differently.

Visible error e and visible noise v of one picture part what is seen into noise and a lasting error s, s² = e² − v²,
which more samples do not mend. To the control's error a trial's noise must come down to v'² = e_c² − s², which takes
(v/v')² times its rendering; where s lies above e_c, it never gets there. Of options that differ in the quality knob
alone the one that has the shortest way to go tells it for all, and the control's own tell nothing of another engine.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from statistics import geometric_mean

from matchedpair.answers.answer import OPTION, PAIR, SURE, UNSURE, VISIBLE_ERROR, Answer, Claim, Proof
from matchedpair.answers.caveats import caveats, most_seen, part_stops, seen_stops
from matchedpair.answers.facts import OptionFact, PartFact, StudyFacts
from matchedpair.answers.missing import nothing_yet, without_reference
from matchedpair.answers.phrases import in_specks, number, part_of, sentence, stops, times
from matchedpair.answers.thresholds import PLAIN_STOPS, SEEN, STOPS, TIME
from matchedpair.choose.failing import PART

FARTHEST = 4.0  # times the samples it was rendered with, up to which the law is believed
MOST = 3  # others that are told of each kind; the table of the study has all
NEVER, FAR = "never gets there", "further than four times its samples"


@dataclass(frozen=True)
class Standing:
    """An option at a place: its time to the control's visible error over the control's time; None where it never gets
    there or lies too far off, with the reason. `more` is how many times its samples that takes.
    """

    option: OptionFact
    ratio: float | None
    why_not: str = ""
    more: float = math.inf


def answer(facts: StudyFacts) -> Answer:
    """The fastest to the control's visible error, over all places; the worst place beside the usual one."""
    if not any(option.seconds for option in facts.options):
        return nothing_yet(facts)
    places = [place for place in facts.places if _can_rank(facts, place)]
    if not places:
        ready = any(pair.noise or pair.visible for pair in facts.pairs)
        return without_reference(facts) if ready else nothing_yet(facts)
    table = {place: standings(facts, place) for place in places}
    names = _telling(table, facts.at(places[0])[0])
    usual: dict[str, float] = {}
    for name in names:
        ratios = [row.ratio for rows in table.values() for row in rows if row.option.name == name]
        if len(ratios) == len(places) and all(ratio is not None for ratio in ratios):
            usual[name] = geometric_mean([ratio for ratio in ratios if ratio is not None])
    control = facts.at(places[0])[0]
    best = min(usual, key=lambda name: usual[name], default="")
    wins = bool(best) and usual[best] <= 1 - TIME
    of = [row.option for rows in table.values() for row in rows if row.option.name == (best if wins else names[0])]
    if wins:
        text = f"{best}: as close to the reference as {_title(control)}, {_times(table, best, places)}"
        choice = of[0].key
    else:
        text = f"{_title(control)}: nothing else here comes as close to the reference in less time"
        choice, best = control.key, ""
    short = {row.option.name for rows in table.values() for row in rows if row.why_not}
    there = [name for name in names if name != best and name not in short][:MOST]
    never = [name for name in names if name in short][:MOST]
    others = tuple(_other(facts, table, name) for name in (*there, *never))
    missing = [place for place in facts.places if place not in places]
    but = [claim for pair in facts.pairs if pair.trial == choice for claim in caveats(facts, pair)]
    if missing:
        but.append(Claim(f"no reference in {missing[0]}, so it does not count there"))
    return Answer(
        facts.question,
        sentence(text),
        SURE if usual or others else UNSURE,
        choice,
        others,
        tuple(but),
        None,
        _proof(facts, of[-1]) if wins or not others else others[0].proof,  # what is said first is shown
    )


def standings(facts: StudyFacts, place: str) -> list[Standing]:
    """Every trial at a place, the fastest first, those that never get there last."""
    control, *trials = facts.at(place)
    rows = [standing(control, trial) for trial in trials if trial.visible_error is not None and trial.seconds]
    return sorted(rows, key=lambda row: (row.ratio is None, row.ratio or 0.0))


def _can_rank(facts: StudyFacts, place: str) -> bool:
    control, *trials = facts.at(place)
    ready = control.visible_error is not None and control.seconds is not None
    return ready and any(trial.visible_error is not None and trial.seconds for trial in trials)


def standing(control: OptionFact, trial: OptionFact) -> Standing:
    """How a trial stands to its control, both with their visible error against the reference and their time."""
    aim, error, noise = control.visible_error or 0.0, trial.visible_error or 0.0, trial.visible_mean or 0.0
    lasting = math.sqrt(max(error**2 - noise**2, 0.0))
    whole = (control.ready or 0.0) + (control.seconds.value if control.seconds else 0.0)
    own = trial.seconds.value if trial.seconds else 0.0
    if lasting >= aim:
        return Standing(trial, None, NEVER)
    more = noise**2 / (aim**2 - lasting**2)
    if more > FARTHEST:
        return Standing(trial, None, FAR)
    return Standing(trial, ((trial.ready or 0.0) + own * more) / whole if whole > 0 else None, more=more)


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


def _times(table: dict[str, list[Standing]], name: str, places: list[str]) -> str:
    rows = [
        (place, row.ratio)
        for place in places
        for row in table[place]
        if row.option.name == name and row.ratio is not None
    ]
    if len(rows) == 1:
        return f"in {times(rows[0][1])} × the time"
    worst = max(rows, key=lambda row: row[1])
    usual = geometric_mean([ratio for _, ratio in rows])
    return f"usually in {times(usual)} × the time. In {worst[0]} in {times(worst[1])} ×"


def _other(facts: StudyFacts, table: dict[str, list[Standing]], name: str) -> Claim:
    rows = [(place, row) for place, own in table.items() for row in own if row.option.name == name]
    never = next(((place, row) for place, row in rows if row.why_not), None)
    if never is None:
        usual = geometric_mean([row.ratio or 1.0 for _, row in rows])
        told = f"{name} takes {times(usual)} × the time to the same visible error."
        return Claim(told, _proof(facts, rows[0][1].option))
    place, row = never
    proof = _proof(facts, row.option)
    where = f" in {place}" if len(table) > 1 else ""
    if row.why_not != NEVER:
        return Claim(f"{name} is further off{where} than four times its samples would mend.", proof)
    part = _part(facts, row.option)
    shown = proof if part is None else replace(proof, box=part.box)
    return Claim(f"{name} never gets as close{where}{_why(row.option, part)}.", shown)


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
