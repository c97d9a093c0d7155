"""The *but* of an answer: what a trial costs besides, where it is the other way round, and what is not known."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.answers.answer import PAIR, Claim, Proof
from matchedpair.answers.facts import OptionFact, PairFact, PartFact, StudyFacts, ZoneFact
from matchedpair.answers.phrases import (
    at_least,
    in_specks,
    listed,
    noisier_part,
    number,
    part_of,
    percent,
    stops,
    visible_noise,
)
from matchedpair.answers.thresholds import (
    COLOUR,
    DETAIL,
    FIREFLIES,
    GRAIN_AGAINST_PATCHES,
    MEMORY,
    MORE_PATCHES,
    NOISE,
    PART,
    PLAIN_COLOUR,
    PLAIN_STOPS,
    STOPS,
)
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.zones import WHOLE

MOST = 5
MOST_SHARE = 0.97  # of a part's light; what is left there is noise
FAR_APART = 1.25  # both say the same of the noise, and yet so differently that it is said


def caveats(facts: StudyFacts, pair: PairFact, *, look: bool = True) -> tuple[Claim, ...]:
    """All that speaks against a trial, worst first. `look` leaves out what the answer has said already."""
    trial, control = facts.option(pair.trial), facts.option(pair.control)
    found = [*_other_way_round(pair), *(shifts(facts, pair) if look else ())]
    if trial is not None and control is not None:
        found += _of_options(pair, control, trial)
    found += _grain_or_patches(pair)
    found += [Claim(each) for each in pair.caveats]
    return tuple(dict.fromkeys(found))[:MOST]


def shifts(facts: StudyFacts, pair: PairFact) -> list[Claim]:
    """Zones that are brighter, darker or of another colour by more than counts, the largest first."""
    option = facts.option(pair.control)
    found = looks(pair.zones, pair.parts, option.size if option else (0, 0))
    return [Claim(each.text, Proof(PAIR, pair.key, zone=each.zone, box=each.box)) for each in found]


@dataclass(frozen=True)
class Look:
    """One change of look in words, and where: a zone (empty for the whole) or a box in pixels."""

    text: str
    size: float
    zone: str = ""
    box: tuple[int, int, int, int] | None = None

    @property
    def plain(self) -> bool:
        """Whether it is so plain that what the picture shows comes before what it costs."""
        return self.size >= 1.0


def looks(zones: Sequence[ZoneFact], parts: Sequence[PartFact], size: tuple[int, int]) -> list[Look]:
    """Changes of brightness, the largest first, then the largest of colour. `size` is the picture's, in pixels."""
    rows = [zone for zone in zones if zone.stops is not None and shifted(zone)]
    rows.sort(key=lambda zone: -abs(zone.stops or 0.0))
    found = [
        Look(f"it is {stops(zone.stops or 0.0)} {_where(zone.name)}", abs(zone.stops or 0.0) / PLAIN_STOPS,
             "" if zone.name == WHOLE else zone.name)
        for zone in rows[:2]
    ]  # fmt: skip
    if not found and (part := most_seen(parts)) is not None and seen_stops(part) >= STOPS:
        text = f"it is {stops(part_stops(part.percent))} in {part_of(part, size)}{in_specks(part)}"
        found.append(Look(text, seen_stops(part) / PLAIN_STOPS, box=part.box))
    colours = [zone for zone in zones if zone.colour is not None and zone.colour >= 2 * COLOUR]
    if colours:
        worst = max(colours, key=lambda zone: zone.colour or 0.0)
        text = f"the colour is off by {number(worst.colour or 0.0)} ΔE {_where(worst.name)}"
        share = (worst.colour or 0.0) / PLAIN_COLOUR
        found.append(Look(text, share, "" if worst.name == WHOLE else worst.name))
    return found


def plain_look(zones: Sequence[ZoneFact], parts: Sequence[PartFact], size: tuple[int, int]) -> str:
    """The first plain change of look in words; empty where there is none."""
    return next((each.text for each in looks(zones, parts, size) if each.plain), "")


def looks_otherwise(pair: PairFact) -> bool:
    """Whether the picture changed so plainly that what it shows comes before what it costs."""
    return any(each.plain for each in looks(pair.zones, pair.parts, (0, 0)))


def shifted(zone: ZoneFact) -> bool:
    """Whether a zone's brightness moved by more than counts, beyond its interval."""
    if zone.stops is None or abs(zone.stops) < STOPS:
        return False
    low, high = zone.stops_interval or (zone.stops, zone.stops)
    return low > 0 or high < 0


def most_changed(parts: Sequence[PartFact]) -> PartFact | None:
    """The part that changed most beyond what chance does; None when none did."""
    return max(_changed(parts), key=lambda part: abs(part.percent), default=None)


def most_seen(parts: Sequence[PartFact]) -> PartFact | None:
    """The same by what an eye sees of it: less of a part that is smaller than a cell."""
    return max(_changed(parts), key=seen_stops, default=None)


def _changed(parts: Sequence[PartFact]) -> list[PartFact]:
    return [part for part in parts if abs(part.percent) >= part.smallest]


def seen_stops(part: PartFact) -> float:
    """How far a part changed either way, in stops of a part that is as large as a cell."""
    return part.seen * abs(part_stops(part.percent))


def part_stops(percent_change: float) -> float:
    """A part's change as stops. It is in percent of the mean of both sides, so that ±200 % is all and nothing."""
    share = min(max(percent_change / 200, -MOST_SHARE), MOST_SHARE)
    return math.log2((1 + share) / (1 - share))


def _where(zone: str) -> str:
    return "overall" if zone == WHOLE else f"in {zone}"


def _other_way_round(pair: PairFact) -> list[Claim]:
    """Zones in which noise goes the other way than in the whole."""
    if pair.noise is None:
        return []
    cleaner = pair.noise.value < 1 or pair.noise.tie
    found = []
    for zone in pair.zones:
        ratio = zone.noise
        if zone.name == WHOLE or ratio is None or ratio.tie or abs(ratio.value - 1) < NOISE:
            continue
        if cleaner and ratio.value > 1:
            found.append((ratio.value, Claim(f"in {zone.name} it is {percent(ratio.value - 1)} noisier",
                                             Proof(PAIR, pair.key, zone=zone.name))))  # fmt: skip
    if not found and cleaner:
        matched = pair.matched_on == "noise"
        return _parts_other_way_round(pair.noise, pair.visible, Proof(PAIR, pair.key), matched=matched)
    return [claim for _, claim in sorted(found, key=lambda row: -row[0])[:2]]


def _parts_other_way_round(noise: Ratio, visible: Ratio | None, proof: Proof, *, matched: bool) -> list[Claim]:
    """A part of the picture in which noise goes the other way, in the figure or to the eye, where no zone says so."""
    if noise.spread is not None and noise.spread.noisier >= PART:
        # of a tie it is said with it, but where the pair was made one
        return [] if noise.tie and not matched else [Claim(f"it is {noisier_part(noise.spread)}", proof)]
    if visible is None or visible.spread is None or visible.spread.noisier < PART:
        return []
    if visible.value > 1 and not visible.tie:
        return []  # said of all of it
    return [Claim(f"its noise shows more in {at_least(visible.spread.noisier)} of the picture", proof)]


def _of_options(pair: PairFact, control: OptionFact, trial: OptionFact) -> list[Claim]:
    proof = Proof(PAIR, pair.key, (control.key, trial.key))
    words = (patches_beside(control, trial), _fireflies(control, trial), _detail(control, trial))
    found = [Claim(each, proof) for each in words if each]
    if trial.memory and control.memory and trial.memory > MEMORY * control.memory:
        found.append(Claim(f"it takes {number(trial.memory / control.memory)} × the memory", proof))
    if trial.lacks:
        found.append(Claim(f"{trial.engine} has no {listed(trial.lacks[:3])}", proof))
    return found


def patches_beside(control: OptionFact, trial: OptionFact) -> str:
    """The trial's uneven patches where it has clearly more of them; empty where it has not."""
    if trial.patches is None or (control.patches is not None and trial.patches <= MORE_PATCHES * control.patches):
        return ""
    kind = "the same in every seed" if trial.lasting_patches else "other ones with each seed"
    return f"it has uneven patches of {number(trial.patches)} %, {kind}"


def _fireflies(control: OptionFact, trial: OptionFact) -> str:
    """By how much fireflies rise; empty where they do not for sure."""
    before, after = control.fireflies, trial.fireflies
    if before is None or after is None or not _beyond(after, before):
        return ""
    if after.value < FIREFLIES * max(before.value, 1.0):
        return ""
    return f"fireflies rise from {number(before.value)} to {number(after.value)} per megapixel"


def _detail(control: OptionFact, trial: OptionFact) -> str:
    """How much of the finest detail is kept where it is less for sure; else empty."""
    whole, kept = control.detail, trial.detail
    if whole is None or kept is None or not _beyond(whole, kept) or kept.value >= whole.value - DETAIL:
        return ""
    return f"it keeps {number(100 * kept.value)} % of the finest detail, the control {number(100 * whole.value)} %"


def _beyond(more: Figure, less: Figure) -> bool:
    """Whether one figure is larger than another for sure: where their intervals do not touch."""
    return more.ends[0] > less.ends[1]


def _grain_or_patches(pair: PairFact) -> list[Claim]:
    """Where noise and visible noise part: grain on one side, patches on the other."""
    if pair.noise is None or pair.visible is None:
        return []
    parted = pair.visible.value / pair.noise.value
    if abs(parted - 1) <= GRAIN_AGAINST_PATCHES or pair.visible.tie:
        return []
    alike = not pair.noise.tie and (pair.noise.value < 1) == (pair.visible.value < 1)
    if alike and 1 / FAR_APART < parted < FAR_APART:
        return []
    text = f"its noise is {'coarser' if parted > 1 else 'finer'}: {visible_noise(pair.visible)}"
    return [Claim(text, Proof(PAIR, pair.key))]
