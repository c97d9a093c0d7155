"""What the product concludes from a study: one object, from which every screen, report and command says the same."""

from __future__ import annotations

from dataclasses import dataclass

SURE, UNSURE, NOTHING = "sure", "not sure yet", "nothing yet"
PAIR, OPTION, CURVE, REFERENCE = "pair", "option", "curve", "reference"
VISIBLE_NOISE, VISIBLE_ERROR = "visible_noise", "visible_error"
SEEDS, RENDER_REFERENCE, TAKE_REFERENCE, REFERENCE_SEQUENCE, DRAW_ZONE, HIGHER_LEVELS = (
    "seeds",
    "reference",
    "take reference",
    "reference sequence",
    "zone",
    "levels",
)
RUN, LOOK, SEARCH, FILL_IN_TIMES, ADD_PHOTOGRAPH = "run", "look", "search", "times", "photograph"
ACTS = (
    SEEDS, RENDER_REFERENCE, TAKE_REFERENCE, REFERENCE_SEQUENCE, DRAW_ZONE, HIGHER_LEVELS, RUN, LOOK, SEARCH,
    FILL_IN_TIMES, ADD_PHOTOGRAPH,
)  # fmt: skip


@dataclass(frozen=True)
class Proof:
    """Where a claim can be seen.

    Parameters
    ----------
    kind : str
        ``pair``, ``option``, ``curve`` or ``reference``.
    pair : int
        The pair that shows it; 0 for none.
    options : tuple of int
        The options that it is about.
    zone : str
        Where in the picture; empty for the whole.
    box : tuple of int or None
        x, y, width and height in pixels of the control's picture, where a place is meant that has no name.
    measure : str
        The figure of an option that the claim rests on: ``visible_noise`` or ``visible_error``.
    """

    kind: str
    pair: int = 0
    options: tuple[int, ...] = ()
    zone: str = ""
    box: tuple[int, int, int, int] | None = None
    measure: str = VISIBLE_NOISE


@dataclass(frozen=True)
class Claim:
    """One sentence or part of one, and where it can be seen; None where it is about the study as a whole."""

    text: str
    proof: Proof | None = None


@dataclass(frozen=True)
class Step:
    """The one thing that would settle what is open, as a button; ``look`` leads to the pair that is shown,
    ``search`` to a search at full size.

    Parameters
    ----------
    act : str
        One of `ACTS`.
    words : str
        On the button.
    seeds : int
        How many more for each of `options`.
    seconds : float or None
        What it takes to render; None where that is not known.
    quality : float or None
        With how much of the quality knob `options` become references; None where nothing is rendered.
    """

    act: str
    words: str
    options: tuple[int, ...] = ()
    seeds: int = 0
    seconds: float | None = None
    quality: float | None = None


@dataclass(frozen=True)
class Answer:
    """The answer to a study's question.

    Parameters
    ----------
    question : str
        Its name.
    sentence : str
        In the question's own terms.
    sure : str
        ``sure``, ``not sure yet`` or ``nothing yet``.
    choice : int
        The chosen option; 0 for none.
    because, but : tuple of Claim
        Two or three figures; then what it costs, where it fails and what is not known, worst first.
    next : Step or None
    shown : Proof or None
        The pair and place that show it best.
    """

    question: str
    sentence: str
    sure: str
    choice: int = 0
    because: tuple[Claim, ...] = ()
    but: tuple[Claim, ...] = ()
    next: Step | None = None
    shown: Proof | None = None
