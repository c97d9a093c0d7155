"""The finding so far, as one plain sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from matchedpair.measures.figure import Ratio, three
from matchedpair.measures.zones import WHOLE

MATCHED_WITHIN = 0.03


@dataclass(frozen=True)
class Matched:
    """What a pair was made alike in by a search (``noise`` or ``time``), in which zone, and how well it came out."""

    on: str
    zone: str
    ratio: Ratio | None

    @property
    def well(self) -> bool:
        """Whether it came out within 3 %."""
        return self.ratio is not None and abs(self.ratio.value - 1.0) <= MATCHED_WITHIN

    def words(self) -> str:
        """Such as ``Matched on noise in Deep shelf, 1.2 % apart``; further apart it is nearly matched."""
        where = "" if self.zone in ("", WHOLE) else f" in {self.zone}"
        how_well = "" if self.ratio is None else f", {100 * abs(self.ratio.value - 1):.1f} % apart"
        how = "Matched" if self.well or self.ratio is None else "Nearly matched"
        return f"{how} on {self.on}{where}{how_well}"


def pair_finding(
    subject: str, noise: Ratio | None, time: Ratio | None, repeats: int, matched: Matched | None = None
) -> str:
    """What a pair says about noise and time, with intervals, ties called ties.

    Parameters
    ----------
    subject : str
        What the trial is, such as ``light picking estimate``.
    matched : Matched, optional
        What it was made alike in; that is said first, and only the other figure is a finding.
    """
    if noise is None and time is None:
        return "Nothing is measured yet."
    start = "With" if matched is None else f"{matched.words()}: with"
    if matched is not None and (noise if matched.on == "time" else time) is not None:
        noise, time = (noise, None) if matched.on == "time" else (None, time)
    parts = []
    if noise is not None:
        parts.append(
            f"the same noise within what can be told {spread(noise)}"
            if noise.tie
            else f"{three(noise.value)} of the noise {spread(noise)}"
        )
    if time is not None:
        parts.append(
            f"the same time within what can be told {spread(time)}"
            if time.tie
            else f"{three(time.value)} of the time {spread(time)}"
        )
    verb = "takes" if noise is None else "has"
    return f"{start} {subject} the trial {verb} {' and takes '.join(parts)}, {repeats} repeats a side."


@dataclass(frozen=True)
class TrialFinding:
    """What one trial of a study says against its control."""

    subject: str
    noise: Ratio | None
    time: Ratio | None


def study_finding(trials: Sequence[TrialFinding], repeats: int) -> str:
    """What a study of several trials says: the fastest and the cleanest, with intervals; ties are no winners."""
    if len(trials) == 1:
        return pair_finding(trials[0].subject, trials[0].noise, trials[0].time, repeats)
    known = [row for row in trials if row.noise or row.time]
    if not known:
        return "Nothing is measured yet."
    parts = []
    for what, ratios in (
        ("time", [(row.subject, row.time) for row in known]),
        ("noise", [(row.subject, row.noise) for row in known]),
    ):
        better = [(ratio, subject) for subject, ratio in ratios if ratio and not ratio.tie and ratio.value < 1]
        if better:
            ratio, subject = min(better, key=lambda each: each[0].value)
            parts.append(f"least {what} with {subject}, {three(ratio.value)} of its control's {spread(ratio)}")
        elif any(ratio for _, ratio in ratios):
            parts.append(f"none takes less {what}" if what == "time" else f"none has less {what}")
    rest = "" if len(known) == len(trials) else f" {len(trials) - len(known)} not measured yet."
    many = f"{len(known)} trials against their controls" if len(known) > 1 else "1 trial against its control"
    return f"{many}: {'; '.join(parts)}.{rest}"


def spread(ratio: Ratio) -> str:
    """The interval in brackets, or that there is none."""
    if ratio.interval is None:
        return f"({three(ratio.value)}, no interval)" if ratio.tie else "(no interval)"
    text = f"{three(ratio.interval[0])} to {three(ratio.interval[1])}"
    return f"({three(ratio.value)}; {text})" if ratio.tie else f"({text})"
