"""The finding so far, as one plain sentence."""

from __future__ import annotations

from matchedpair.measures.figure import Ratio


def pair_finding(subject: str, noise: Ratio | None, time: Ratio | None, repeats: int) -> str:
    """What a pair says about noise and time, with intervals, ties called ties.

    Parameters
    ----------
    subject : str
        What the trial is, such as ``light picking estimate``.
    """
    if noise is None and time is None:
        return "Nothing is measured yet."
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
    return f"With {subject} the trial has {' and takes '.join(parts)}, {repeats} repeats a side."


def spread(ratio: Ratio) -> str:
    """The interval in brackets, or that there is none."""
    if ratio.interval is None:
        return f"({three(ratio.value)}, no interval)" if ratio.tie else "(no interval)"
    text = f"{three(ratio.interval[0])} to {three(ratio.interval[1])}"
    return f"({three(ratio.value)}; {text})" if ratio.tie else f"({text})"


def three(value: float) -> str:
    """Three significant digits, without an exponent."""
    if value == 0:
        return "0"
    text = f"{value:#.3g}"
    return (f"{float(text):.0f}" if "e" in text else text).rstrip(".")
