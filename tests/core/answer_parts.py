"""What studies as plain figures are put together from."""

from __future__ import annotations

from matchedpair.answers import LevelFact, OptionFact, PairFact, PartFact, StudyFacts, ZoneFact
from matchedpair.measures.figure import Figure, PlaceSpread, Ratio
from matchedpair.measures.samples_to import Convergence

SIZE = (480, 270)
PICKING = "light picking estimate"
BOXES = [(40 * column, 34 * row, 40, 34) for row in range(8) for column in range(12)]


def ratio(value, half=0.04, *, tie=None, noisier=None, cleaner=0.0, method="places"):
    """A ratio whose interval reaches so far to either side, relative."""
    low, high = value / (1 + half), value * (1 + half)
    spread = None if noisier is None else PlaceSpread(noisier, cleaner, value / 1.2, value * 1.2, 2000, 0)
    return Ratio(value, (low, high), method, 1, low <= 1 <= high if tie is None else tie, spread=spread)


def readings(value, half, *, other):
    """A noise ratio of which a second reading, without rare bright paths, is another."""
    low, high = min(value, other) / (1 + half), max(value, other) * (1 + half)
    return Ratio(value, (low, high), "places", 1, low <= 1 <= high)


def seconds(value, half=0.05):
    return Figure(value, "s", (value / (1 + half), value * (1 + half)), "wall", 1)


def level(subject, value, shown=None, *, changed=True, title=None):
    text = shown or ("on" if value is True else "off" if value is False else f"{value}")
    return LevelFact(subject, title or subject.replace("_", " ").capitalize(), value, text, changed)


def option(key, name, *, control=1, place="Marble stall", time=20.0, ready=0.5, **more):
    given = {"engine": "Alder", "knob": "samples", "quality": 48.0, "seeds": 2, "size": SIZE} | more
    return OptionFact(key=key, name=name, control=0 if key == control else control, place=place, ready=ready,
                      seconds=None if time is None else seconds(time), **given)  # fmt: skip


def falls(error, noise, seeds=2):
    """How an error falls whose lasting part lies all over the picture."""
    lasting, around = (
        (error**2 - noise**2) ** 0.5,
        lambda value: Figure(value, "ΔE", (0.99 * value, 1.01 * value), "", 1),
    )
    every = around((error**2 - noise**2 * (1 - 1 / seeds)) ** 0.5)
    return Convergence(seeds, around(error), every, noise, 0.95 * lasting)


def cells(changes=None, smallest=0.5):
    """All cells of a picture; those named by their number changed by so many percent."""
    given = changes or {}
    return tuple(PartFact(box, given.get(number, 0.05), smallest) for number, box in enumerate(BOXES))


def pair(
    trial,
    *,
    control=1,
    noise=None,
    time=None,
    visible=None,
    zones=(),
    found=False,
    smallest=0.4,
    subject=PICKING,
    **more,
):
    whole = ZoneFact("whole", noise, visible, 0.001, (-0.004, 0.006), 0.1)
    given = {"cells": cells(), "found": found, "smallest": smallest, "zones": (whole, *zones)} | more
    return PairFact(100 + trial, control, trial, subject, noise, visible, time, **given)


def zone(name, *, noise=None, visible=None, stops=0.0, half=0.01, colour=0.1):
    return ZoneFact(name, noise, visible, stops, (stops - half, stops + half), colour)


def study(question, options, pairs, words=""):
    done = sum(each.seeds for each in options)
    return StudyFacts(question, words, tuple(options), tuple(pairs), runs_done=done, runs_planned=done)
