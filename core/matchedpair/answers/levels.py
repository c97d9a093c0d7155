"""How much of one setting does this scene need? The least level from which nothing differs from the highest."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.answers.answer import HIGHER_LEVELS, PAIR, SURE, UNSURE, Answer, Claim, Proof, Step
from matchedpair.answers.caveats import most_seen, part_stops, seen_stops
from matchedpair.answers.facts import OptionFact, PairFact, PartFact, StudyFacts
from matchedpair.answers.missing import nothing_yet
from matchedpair.answers.phrases import in_specks, number, part_of, percent, place_of_box, sentence, softness, stops
from matchedpair.answers.settle import more_seeds
from matchedpair.answers.thresholds import STOPS, TIME
from matchedpair.engines.setting import is_number
from matchedpair.measures.alignment import MOST_SHARPNESS
from matchedpair.measures.figure import over

SURE_CELL = 3.0  # standard errors: of a hundred cells one lies beyond by chance at 2.6
TOLD_SHARE = 0.95  # of the cells that must be told; in the darkest of them noise hides everything
MORE_SAMPLES = Step(HIGHER_LEVELS, "Plan it with more samples: seeds alone would take too many")
NAMED = 4.0  # standard errors that a cell's smallest change stands for


@dataclass(frozen=True)
class Change:
    """The largest change of a level from the highest, where it is, and whether one of the threshold's size would show.

    `doubt` is how far, in stops, all but the darkest twentieth of the cells may be off, and `dim` the one of them that
    may be off most; `darkest` is that of the rest. `sharpness` is its finest detail over the highest's, 1 where both
    are alike.
    """

    level: OptionFact
    stops: float
    part: PartFact | None
    pair: int
    doubt: float
    dim: tuple[int, int, int, int]
    darkest: float
    sharpness: float

    @property
    def changed(self) -> bool:
        """Whether it differs by more than counts."""
        return abs(self.stops) > STOPS or self.softer

    @property
    def softer(self) -> bool:
        """Whether it is softer or sharper by more than counts."""
        return abs(math.log(self.sharpness)) > math.log(1 + MOST_SHARPNESS)

    @property
    def told(self) -> bool:
        """Whether a change of the threshold's size would have been seen everywhere."""
        return self.changed or self.doubt < STOPS


def answer(facts: StudyFacts) -> Answer:
    """The answer over the first factor that is a number, at the first place."""
    rows = _levels(facts)
    if len(rows) < 2:
        return nothing_yet(facts)
    highest = rows[-1][1]
    changes = [change for _, level in rows[:-1] if (change := _change(facts, level, highest)) is not None]
    if len(changes) < len(rows) - 1:
        return nothing_yet(facts)
    subject, top = _title(highest), _shown(highest)
    enough = next((n for n in range(len(changes) + 1) if not any(each.changed for each in changes[n:])), len(changes))
    same = changes[enough:]
    least = same[0].level if same else highest
    options = [level for _, level in rows]
    below = changes[enough - 1] if enough else None
    darker = _below(facts, below)
    if not same:
        last = _shown(changes[-1].level)
        text = f"More than {last}: the picture with {last} still differs from that with {top}"
        return Answer(facts.question, sentence(text), SURE, highest.key, darker, (), None, _proof(below))
    unsure = max(same, key=lambda each: each.doubt)
    if not all(each.told for each in same):
        where = place_of_box(unsure.dim, unsure.level.size)
        doubt = f"in the {where} one of {number(unsure.doubt)} stops would not have shown"
        text = f"Not sure yet: from {subject} {_shown(least)} no change was found, but {doubt}"
        step = more_seeds(options, unsure.doubt, STOPS) or MORE_SAMPLES
        return Answer(facts.question, sentence(text), UNSURE, 0, darker, (), step, _proof(unsure))
    largest = max(same, key=lambda each: abs(each.stops))
    text = (
        f"{_shown(least)} {subject}: beyond that nothing changes by more than {number(max(abs(largest.stops), 0.001))} "
        f"stops (we would have seen {number(unsure.doubt)})"
    )
    told = [*darker, *_saved(least, highest)]
    dark = max(each.darkest for each in same)
    blind = (Claim(f"in the darkest parts up to {number(dark)} stops would not have shown"),) if dark > STOPS else ()
    return Answer(facts.question, sentence(text), SURE, least.key, tuple(told), blind, None, _proof(below or largest))


def _levels(facts: StudyFacts) -> list[tuple[float, OptionFact]]:
    """The options at the first place by the value of the first factor whose levels are numbers."""
    rows: dict[float, OptionFact] = {}
    there = facts.at(facts.places[0]) if facts.places else ()
    subject = next((level.subject for option in there for level in option.levels if is_number(level.value)), None)
    for option in there:
        others = [level for level in option.levels if level.subject != subject and level.changed]
        own = next((level for level in option.levels if level.subject == subject), None)
        if own is not None and is_number(own.value) and not others:
            rows.setdefault(float(own.value), option)
    return sorted(rows.items())


def _change(facts: StudyFacts, level: OptionFact, highest: OptionFact) -> Change | None:
    """The largest change of a level from the highest over all cells, by what both are off their control; and over all
    islands where one of both is the control.
    """
    pairs = [_against_control(facts, option) for option in (level, highest)]
    if any(pair is None for pair in pairs):
        return None
    cells = [{cell.box: cell for cell in pair.cells} if isinstance(pair, PairFact) else {} for pair in pairs]
    boxes = cells[0].keys() | cells[1].keys()
    if not boxes:
        return None
    largest = 0.0
    where: PartFact | None = None
    doubts = []
    for box in sorted(boxes):
        shift, error = 0.0, 0.0
        for own, sign in zip(cells, (1, -1), strict=True):
            if box in own:
                shift += sign * part_stops(own[box].percent)
                error = math.hypot(error, own[box].smallest / NAMED / 100 / math.log(2))
        doubts.append((SURE_CELL * error, box))
        if abs(shift) > SURE_CELL * error and abs(shift) > abs(largest):
            largest, where = shift, cells[0].get(box) or cells[1][box]
    island, sign = _island(pairs)
    if island is not None and seen_stops(island) > abs(largest):
        largest, where = sign * part_stops(island.percent), island
    shown = next((pair.key for pair in pairs if isinstance(pair, PairFact) and pair.key), 0)
    usual = sorted(doubts)[max(math.ceil(TOLD_SHARE * len(doubts)) - 1, 0)]
    fine = [pair.sharpness or 1.0 if isinstance(pair, PairFact) else 1.0 for pair in pairs]
    return Change(level, largest, where, shown, *usual, max(doubts)[0], fine[0] / fine[1])


def _island(pairs: Sequence[PairFact | bool | None]) -> tuple[PartFact | None, int]:
    """The island that is seen most where one side is the control itself, and which way it tells the change."""
    rows = [(pair, sign) for pair, sign in zip(pairs, (1, -1), strict=True) if isinstance(pair, PairFact)]
    if len(rows) != 1:
        return None, 1
    pair, sign = rows[0]
    return most_seen(pair.islands), sign


def _against_control(facts: StudyFacts, option: OptionFact) -> PairFact | bool | None:
    """The pair of an option with its control; True for the control itself, None where they were not compared."""
    if not option.control:
        return True
    pair = facts.pair_of(option.control, option.key)
    return pair if pair is not None and (pair.cells or pair.identical) else None


def _below(facts: StudyFacts, below: Change | None) -> tuple[Claim, ...]:
    if below is None or not below.changed:
        return ()
    if below.softer:
        return (Claim(f"With {_shown(below.level)} it is {softness(below.sharpness)}.", _proof(below)),)
    where = f" in {part_of(below.part, below.level.size)}{in_specks(below.part)}" if below.part else ""
    return (Claim(f"With {_shown(below.level)} it is {stops(below.stops)}{where}.", _proof(below)),)


def _saved(least: OptionFact, highest: OptionFact) -> list[Claim]:
    if least.seconds is None or highest.seconds is None or least is highest:
        return []
    more = over(highest.seconds, least.seconds, TIME)
    if more.tie or more.value < 1:
        return []
    return [Claim(f"{_shown(highest)} takes {percent(more.value - 1)} more time for nothing.")]


def _proof(change: Change | None) -> Proof | None:
    return (
        None
        if change is None or not change.pair
        else Proof(PAIR, change.pair, (change.level.key,), box=change.part.box if change.part else None)
    )


def _own(option: OptionFact) -> tuple[str, str]:
    level = next((each for each in option.levels if is_number(each.value)), None)
    return (level.title.lower(), level.shown) if level else ("levels", option.name)


def _title(option: OptionFact) -> str:
    return _own(option)[0]


def _shown(option: OptionFact) -> str:
    return _own(option)[1]
