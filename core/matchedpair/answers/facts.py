"""The plain figures that an answer rests on: a study's options and pairs, as the server gathers them or a file has
them. They hold no pictures and know no database.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import msgspec

from matchedpair.engines.setting import Value
from matchedpair.errors import InputError
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.samples_to import Convergence
from matchedpair.plans.plan_kind import QUALITY, is_place

FORMAT = 2  # 1 counted places as noisier that chance made look so


@dataclass(frozen=True)
class LevelFact:
    """A level of a factor: what it is about, its title, its value, and how that is shown."""

    subject: str
    title: str
    value: Value | None
    shown: str
    changed: bool


@dataclass(frozen=True)
class PassFact:
    """An option's own pass, by name: visible noise in ΔE; how far from the control's pass in ΔE after their ranges are
    matched, by itself and laid over the picture. None where it cannot be told.
    """

    name: str
    noise: Figure | None = None
    apart: Figure | None = None
    laid_over: Figure | None = None


@dataclass(frozen=True)
class NearFact:
    """An option against a photograph in one zone, as `matchedpair.measures.nearness` measures it."""

    zone: str
    distance: Figure
    colour: Figure
    contrast: Figure
    highlights: Figure
    shadows: Figure
    direction: Figure
    clipped: Figure | None = None


@dataclass(frozen=True)
class OptionFact:
    """One option at one place.

    Parameters
    ----------
    key : int
    name : str
        What tells it from the others, in words.
    control : int
        The option that it is compared with; 0 for a control.
    place : str
        Scene, view and whatever else of the setup differs in the study.
    knob : str
        The quality knob in words, with its plural ("samples"); empty for none.
    quality : float or None
        Its value.
    goes_down : bool
        Whether less of the knob buys less noise, as of a threshold; `reached` then is the samples that it got done,
        where the engine says so.
    seconds, ready : Figure or None, float or None
        Rendering, getting ready apart; that by itself.
    noise, noise_worst, visible_noise, visible_worst : figures of a typical place and of the worst tenth.
    visible_mean : float or None
        Mean visible noise of one picture in ΔE, over the whole.
    visible_error : float or None
        Mean visible difference from the reference in ΔE, its own noise included.
    convergence : Convergence or None
        How that falls with samples; None where its seeds were not seen together.
    refines : bool
        Whether it can be rendered here with more of its quality knob to serve as a reference: its seeds differ, and no
        denoiser is on.
    finest : float or None
        As far as its quality knob goes; None where it has no end.
    judged : bool
        Whether there is a reference of its place.
    stops, colour : Figure or None
        Against the reference.
    apparent_error, apparent_detail : Figure or None
        Visible difference in ΔE and fine detail kept, at the size of the study's largest pictures.
    passed : PassFact or None
    near : tuple of NearFact
        Against a photograph, the whole first; `not_near` says why there is none.
    memory, structures : float or None
        Bytes at the peak, and of what the engine says it holds itself.
    patches : float or None
        Their amplitude in percent; None where none were found or nothing tells.
    lasting_patches : bool
        Whether every seed has the same ones.
    """

    key: int
    name: str
    engine: str
    control: int
    place: str
    levels: tuple[LevelFact, ...] = ()
    knob: str = ""
    quality: float | None = None
    seeds: int = 0
    open: bool = False
    seconds: Figure | None = None
    ready: float | None = None
    noise: Figure | None = None
    noise_worst: float | None = None
    visible_noise: Figure | None = None
    visible_worst: float | None = None
    visible_mean: float | None = None
    visible_error: float | None = None
    stops: Figure | None = None
    colour: Figure | None = None
    detail: Figure | None = None
    fireflies: Figure | None = None
    patches: float | None = None
    lasting_patches: bool = False
    memory: float | None = None
    structures: float | None = None
    lacks: tuple[str, ...] = ()
    size: tuple[int, int] = (0, 0)
    apparent_error: Figure | None = None
    apparent_detail: Figure | None = None
    passed: PassFact | None = None
    near: tuple[NearFact, ...] = ()
    not_near: str = ""
    goes_down: bool = False
    reached: float | None = None
    convergence: Convergence | None = None
    refines: bool = False
    finest: float | None = None
    judged: bool = False

    def levels_but_knob(self) -> tuple[LevelFact, ...]:
        """The levels of all that is varied but the quality knob and the place: options alike in them are one ladder."""
        knob = (QUALITY, self.knob, self.knob.replace(" ", "_"))
        return tuple(row for row in self.levels if row.subject not in knob and not is_place(row.subject))


@dataclass(frozen=True)
class ZoneFact:
    """A pair in one zone: ratios, and the trial's shift of brightness and colour."""

    name: str
    noise: Ratio | None
    visible: Ratio | None
    stops: float | None
    stops_interval: tuple[float, float] | None
    colour: float | None


@dataclass(frozen=True)
class PartFact:
    """The trial's change of one part of the picture, in percent, and the smallest it would have shown.

    Parameters
    ----------
    seen : float
        How much of it an eye sees for its size: 1 from a cell of the table on, below that the root of its share of one
        (Piper's law: what can just be seen falls with the root of the area).
    specks : bool
        Whether the change lies in bright specks alone.
    """

    box: tuple[int, int, int, int]
    percent: float
    smallest: float
    seen: float = 1.0
    specks: bool = False


@dataclass(frozen=True)
class PairFact:
    """A trial against its control.

    Parameters
    ----------
    zones : tuple of ZoneFact
        The whole first, then those that are drawn.
    cells : tuple of PartFact
        Of the comparison's table; empty where it was refused.
    islands : tuple of PartFact
        The parts that changed most, finer than the table.
    found : bool or None
        Whether there is a difference beyond noise and storage; None where that is not known.
    smallest : float or None
        The smallest change in percent that a usual cell would have shown.
    sharpness : float or None
        The trial's finest detail over the control's in amplitude, where it differs so much that their noise does not
        compare; None where it does not.
    denoised : bool
        Whether one side is denoised in another way than the other.
    matched_on, matched_zone : str
        What a search made it alike in, and where; empty where none did.
    caveats : tuple of str
        What the match sheet and people say against it.
    """

    key: int
    control: int
    trial: int
    subject: str
    noise: Ratio | None = None
    visible: Ratio | None = None
    time: Ratio | None = None
    zones: tuple[ZoneFact, ...] = ()
    cells: tuple[PartFact, ...] = ()
    islands: tuple[PartFact, ...] = ()
    found: bool | None = None
    smallest: float | None = None
    identical: bool = False
    refused: dict[str, str] = field(default_factory=dict)
    matched_on: str = ""
    matched_zone: str = ""
    caveats: tuple[str, ...] = ()
    sharpness: float | None = None
    denoised: bool = False

    @property
    def parts(self) -> tuple[PartFact, ...]:
        """Cells and islands."""
        return (*self.cells, *self.islands)


@dataclass(frozen=True)
class SequenceFact:
    """Options alike in all but their frame.

    Parameters
    ----------
    option : int
        That of the first frame.
    by_reference : bool
        Whether `calm` is what strays from a reference, else flicker.
    calm : (float, float, float) or None
        In percent, with its interval; None before it is measured.
    boiling_share : float or None
        Share of the flicker that is slow patches.
    light_changes : bool
        Whether the light itself moves by more than one change explains, so that flicker holds that too.
    moves : bool
        Whether things move in the picture, so that flicker holds their movement too.
    lag : float or None
        Frames that 90 % of a light change take longer; None where none can be told.
    by_frame : tuple of float
        Flicker of each frame, in percent, in the frames' order; empty where that is not known or `calm` is not that.
    options, errors : tuple of int, tuple of float
        Each frame's option, and how far it is off its reference in percent; empty where that is not known.
    """

    option: int
    title: str
    frames: int
    by_reference: bool = False
    calm: tuple[float, float, float] | None = None
    boiling_share: float | None = None
    lag: float | None = None
    light_changes: bool = False
    by_frame: tuple[float, ...] = ()
    options: tuple[int, ...] = ()
    errors: tuple[float, ...] = ()
    moves: bool = False

    @property
    def value(self) -> float:
        """Its calm; infinite before it is measured."""
        return math.inf if self.calm is None else self.calm[0]

    @property
    def interval(self) -> tuple[float, float]:
        """Of its calm."""
        return (math.inf, math.inf) if self.calm is None else (self.calm[1], self.calm[2])


@dataclass(frozen=True)
class SearchFact:
    """A search for the least settings.

    Parameters
    ----------
    state : str
        ``searching``, ``confirming``, ``done``, ``out of budget``, ``failed`` or ``stopped``.
    settings, lower : int
        How many were searched, and how many of them came out lower than they were.
    time : Ratio or None
        The result's render time over that of the settings before.
    change, threshold_share : str, float or None
        What changes most at full size, and as a share of its threshold; None where it is not rendered there yet.
    seen : float
        The smallest change that would have been seen, as a share of the threshold.
    pair : int
        Before and after at full size; 0 for none.
    scale : float
        The share of the full width that it was searched at.
    unsure : int
        How many settings were left as they are since noise hid whether a lower level changes the picture.
    plain : str
        What anyone sees of that change, in words; empty where it is small.
    comparable : bool
        Whether before and after could be compared; where they could not, `change` says why.
    """

    state: str
    settings: int
    lower: int
    time: Ratio | None = None
    change: str = ""
    threshold_share: float | None = None
    seen: float = 0.0
    pair: int = 0
    options: tuple[int, ...] = ()
    result: str = ""
    scale: float = 1.0
    unsure: int = 0
    plain: str = ""
    comparable: bool = True

    @property
    def holds(self) -> bool:
        """Whether nothing was found to change beyond the thresholds at full size."""
        return self.threshold_share is None or self.threshold_share <= 1.0


@dataclass(frozen=True)
class StudyFacts:
    """A study: its question by name and in words, its options, its pairs, the searches for the least settings, and the
    zones that count nowhere; which engine made its reference and with how much of its quality knob, whether one is
    being rendered, and why nothing can be judged by the one that is there; and whether there is a photograph.
    """

    question: str
    words: str
    options: tuple[OptionFact, ...]
    pairs: tuple[PairFact, ...]
    reference_title: str = ""
    runs_done: int = 0
    runs_planned: int = 0
    sequences: tuple[SequenceFact, ...] = ()
    searches: tuple[SearchFact, ...] = ()
    left_out: tuple[str, ...] = ()
    reference_engine: str = ""
    reference_quality: float | None = None
    reference_to_come: bool = False
    reference_problem: str = ""
    has_photograph: bool = False
    format: int = FORMAT

    def option(self, key: int) -> OptionFact | None:
        """The option with this key."""
        return self._options.get(key)

    def pair_of(self, control: int, trial: int) -> PairFact | None:
        """The pair that these two make."""
        return self._pairs.get((control, trial))

    @cached_property
    def _options(self) -> dict[int, OptionFact]:
        return {each.key: each for each in reversed(self.options)}

    @cached_property
    def _pairs(self) -> dict[tuple[int, int], PairFact]:
        return {(each.control, each.trial): each for each in reversed(self.pairs)}

    @property
    def places(self) -> tuple[str, ...]:
        """All places, the baseline's first."""
        return tuple(dict.fromkeys(each.place for each in self.options))

    @property
    def varied(self) -> tuple[str, ...]:
        """What the factors are about that differ from the control anywhere."""
        levels = (level for option in self.options for level in option.levels if level.changed)
        return tuple(dict.fromkeys(level.subject for level in levels))

    @property
    def combined(self) -> bool:
        """Whether an option changes two things at once."""
        return any(sum(level.changed for level in option.levels) > 1 for option in self.options)

    def at(self, place: str) -> tuple[OptionFact, ...]:
        """The options at a place, the control first."""
        return tuple(sorted((o for o in self.options if o.place == place), key=lambda o: o.control != 0))


def facts_as_values(facts: StudyFacts) -> dict[str, Any]:
    """As plain values, for a file."""
    values: dict[str, Any] = msgspec.to_builtins(facts)
    return values


def facts_from_values(values: Any) -> StudyFacts:
    """From what `facts_as_values` gave, alone or under ``facts`` in a study's export. Raises `InputError`."""
    if isinstance(values, dict) and "facts" in values:
        values = values["facts"]
    if not isinstance(values, dict) or values.get("format") != FORMAT:
        raise InputError(f"this holds no facts of a study, format {FORMAT}: export the study anew")
    try:
        return msgspec.convert(values, StudyFacts)
    except msgspec.ValidationError as error:
        raise InputError(f"the facts of the study do not hold together: {error}") from error
