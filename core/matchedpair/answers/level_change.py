"""How far the picture with one level of a setting is from that with another, and what of that would have been seen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.answers.answer import OPTION, PAIR, Proof
from matchedpair.answers.caveats import most_seen, part_stops, seen_stops
from matchedpair.answers.facts import OptionFact, PairFact, PartFact, StudyFacts
from matchedpair.answers.phrases import in_specks, part_of, softness, stops
from matchedpair.answers.thresholds import STOPS
from matchedpair.engines.setting import is_number
from matchedpair.measures.alignment import MOST_SHARPNESS

SURE_CELL = 3.0  # standard errors: of a hundred cells one lies beyond by chance at 2.6
TOLD_SHARE = 0.95  # of the cells that must be told; in the darkest of them noise hides everything
NAMED = 4.0  # standard errors that a cell's smallest change stands for


@dataclass(frozen=True)
class LevelChange:
    """The largest change of a level from another, where it is, and whether one of the threshold's size would show.

    `doubt` is how far, in stops, all but the darkest twentieth of the cells may be off, and `dim` the one of them that
    may be off most; `darkest` is that of the rest. `sharpness` is its finest detail over the other's, 1 where both
    are alike.
    """

    level: OptionFact
    other: OptionFact
    stops: float
    part: PartFact | None
    doubt: float
    dim: tuple[int, int, int, int]
    darkest: float
    sharpness: float

    @property
    def exact(self) -> bool:
        """Whether both pictures are the same to the last bit."""
        return self.doubt == 0.0 and self.stops == 0.0

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

    def words(self) -> str:
        """What changed."""
        if self.softer:
            return softness(self.sharpness)
        where = f" in {part_of(self.part, self.level.size)}{in_specks(self.part)}" if self.part else ""
        return f"{stops(self.stops)}{where}"


def change_from(facts: StudyFacts, level: OptionFact, other: OptionFact) -> LevelChange | None:
    """The largest change of a level from another over all cells, by what both are off their control; and over all
    islands where one of both is the control. None where they were not compared.
    """
    pairs = [_against_control(facts, option) for option in (level, other)]
    if any(pair is None for pair in pairs):
        return None
    cells = [{cell.box: cell for cell in pair.cells} if isinstance(pair, PairFact) else {} for pair in pairs]
    if cells[0] == cells[1]:  # of 96 cells none differs in any digit
        return LevelChange(level, other, 0.0, None, 0.0, (0, 0, *level.size), 0.0, 1.0)
    boxes = cells[0].keys() | cells[1].keys()
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
    usual = sorted(doubts)[max(math.ceil(TOLD_SHARE * len(doubts)) - 1, 0)]
    fine = [pair.sharpness or 1.0 if isinstance(pair, PairFact) else 1.0 for pair in pairs]
    return LevelChange(level, other, largest, where, *usual, max(doubts)[0], fine[0] / fine[1])


def beside(
    facts: StudyFacts, level: OptionFact, other: OptionFact, box: tuple[int, int, int, int] | None = None
) -> Proof:
    """A level beside another: their pair where one is the other's control, else both as they are."""
    for control, trial in ((other, level), (level, other)):
        pair = facts.pair_of(control.key, trial.key) if trial.control == control.key else None
        if pair is not None and pair.key:
            return Proof(PAIR, pair.key, (level.key,), box=box)
    return Proof(OPTION, options=(other.key, level.key), box=box)


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


def level_title(option: OptionFact) -> str:
    """What the setting is called in a sentence."""
    return _first_number(option)[0]


def level_named(option: OptionFact) -> str:
    """A level with its setting: ``8 bounces``, ``gather radius 0.3 m``."""
    title, shown = _first_number(option)
    plural = title.endswith("s") and not title.endswith(("ss", "us", "is")) and shown[-1:].isdigit()
    return f"{shown} {title}" if plural else f"{title} {shown}"


def level_shown(option: OptionFact) -> str:
    """An option's level of it."""
    return _first_number(option)[1]


def _first_number(option: OptionFact) -> tuple[str, str]:
    level = next((each for each in option.levels if is_number(each.value)), None)
    return (level.title.lower(), level.shown) if level else ("levels", option.name)
