"""What to render a use with: the choice, what it takes in production, what would overturn it, and where it fails."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.answers.answer import NOTHING, OPTION, PAIR, SURE, UNSURE, Answer, Claim, Proof
from matchedpair.answers.phrases import listed, number, percent, seconds, sentence, stops, times
from matchedpair.answers.thresholds import TIME
from matchedpair.choose.failing import BRIGHTER, COLOUR, DARKER, NOISIER, OVER, SLOWER, Failure
from matchedpair.measures.zones import WHOLE

MOST_FAILS = 3
FASTER = 1.5  # from here on a saving is said as so many times faster


@dataclass(frozen=True)
class MoveFact:
    """A limit or the weight of quality a fifth off, in words, and what would be chosen; empty for nothing."""

    what: str
    before: str
    after: str
    chosen: str


@dataclass(frozen=True)
class UseFact:
    """A use as it stands.

    Parameters
    ----------
    option : int
        Chosen; 0 where none is.
    seconds, control_seconds : float or None
        Of a frame, of the choice and of the control.
    doubts : tuple of str
        Limits at which it lies within its interval.
    ties : tuple of str
        Options that are no different in time and in `by`, which ranks beside it.
    without : str
        Why there is no choice, or which limit was left aside since nothing is known of it.
    frames, machines, hours, hours_before : int, int, float or None
        Of the production, with the choice and with the control.
    """

    title: str
    option: int = 0
    name: str = ""
    control: bool = False
    options: int = 0
    seconds: float | None = None
    control_seconds: float | None = None
    doubts: tuple[str, ...] = ()
    ties: tuple[str, ...] = ()
    without: str = ""
    frames: int = 0
    machines: int = 1
    hours: float | None = None
    hours_before: float | None = None
    moved: tuple[MoveFact, ...] = ()
    fails: tuple[Failure, ...] = ()
    by: str = "noise"


def use_answer(use: UseFact) -> Answer:
    """The answer of one use."""
    if not use.options:
        return Answer("use", f"{use.title}: nothing is rendered and measured yet.", NOTHING)
    if not use.option:
        return Answer(
            "use", sentence(f"{use.title}: no option keeps the limits{'; ' if use.without else ''}{use.without}"), SURE
        )
    proof = Proof(OPTION, options=(use.option,))
    took = f", {seconds(use.seconds)} a frame" if use.seconds is not None else ""
    parts = [_limits(use), _faster(use)]
    kept = ("; " if use.doubts else ", ").join(filter(None, parts))
    text = f"{use.title}: {use.name}{took}: {kept}{_production(use)}"
    told = [Claim(_moved(move), proof) for move in use.moved[:2]]
    if use.ties:
        told.append(Claim(f"No different in time and {use.by}: {listed(use.ties[:3])}.", proof))
    if use.without:
        told.append(Claim(sentence(use.without)))
    worst: dict[tuple[str, str], Failure] = {}  # of several zones the worst alone, which comes first
    for row in use.fails:
        worst.setdefault((row.place, row.how), row)
    but = tuple(_fails(row, use.option) for row in list(worst.values())[:MOST_FAILS])
    return Answer("use", sentence(text), UNSURE if use.doubts else SURE, use.option, tuple(told), but, None, proof)


def _limits(use: UseFact) -> str:
    if not use.doubts:
        return "within every limit"
    return f"within every limit but that on {listed(use.doubts)}, which more seeds would tell"


def _faster(use: UseFact) -> str:
    if use.control:
        return "the control itself"
    if not use.seconds or not use.control_seconds:
        return ""
    ratio = use.seconds / use.control_seconds
    if abs(ratio - 1) < TIME:
        return "as fast as the control"
    if ratio <= 1 / FASTER:
        return f"{number(1 / ratio)} × faster than the control"
    if ratio < 1:
        return f"in {percent(1 - ratio)} less time than the control"
    return f"in {percent(ratio - 1)} more time than the control" if ratio < FASTER else f"{number(ratio)} × slower"


def _production(use: UseFact) -> str:
    if use.hours is None or use.frames < 1:
        return ""
    machines = "1 machine" if use.machines == 1 else f"{use.machines} machines"
    before = "" if use.control or use.hours_before is None else f" instead of {seconds(3600 * use.hours_before)}"
    return f"; {use.frames:,} frames on {machines} take {seconds(3600 * use.hours)}{before}"


def _moved(move: MoveFact) -> str:
    then = f"It would be {move.chosen}" if move.chosen else "No option would be left"
    return f"{then} if {move.what} were {move.after} instead of {move.before}."


def failing(row: Failure) -> str:
    """In which way a choice fails: ``0.46 stops darker than the control``, of a sequence with how many frames do."""
    most = "up to " if row.frames > 1 else ""
    all_of_them = "all " if row.frames == row.of_frames else f"{row.frames} of "
    frames = f" in {all_of_them}{row.of_frames} frames" if row.of_frames > 1 else ""
    if row.how in (BRIGHTER, DARKER):
        return f"{most}{stops(row.amount)} than the {row.against}{frames}"
    if row.how == COLOUR:
        return f"the colour is off by {most}{number(row.amount)} ΔE{frames}"
    if row.how == OVER:
        return f"{most}{number(row.amount)} % noise where the limit is {number(row.bound)} %{frames}"
    what = "noise" if row.how == NOISIER else "time"
    return f"{most}{times(row.amount)} × the control's {what}{frames}"


def _fails(row: Failure, option: int) -> Claim:
    where = ", ".join(part for part in (row.zone if row.zone != WHOLE else "", row.place) if part)
    verb = "loses" if row.how in (NOISIER, SLOWER) else "fails"
    zone = "" if row.box is not None or row.zone == WHOLE else row.zone
    return Claim(f"it {verb} in {where}: {failing(row)}", Proof(PAIR, row.pair, (option,), zone, box=row.box))
