"""How figures are said: one phrase for one thing, in the words of a colleague at the next desk."""

from __future__ import annotations

import math
from collections.abc import Sequence

from matchedpair.answers.facts import PartFact
from matchedpair.answers.thresholds import MUCH, NOISE, PART
from matchedpair.measures.figure import PlaceSpread, Ratio

MINUS = "−"
NEAR_1 = 0.8, 1.25
IN_SPECKS = ", all of it in bright specks"


def number(value: float) -> str:
    """Two significant digits, three from 100 on, as a person would say it."""
    if value == 0:
        return "0"
    rounded = float(f"{value:.{2 if abs(value) < 100 else 3}g}")
    if abs(rounded) >= 10:
        return f"{rounded:,.0f}".replace("-", MINUS)
    places = 1 - math.floor(math.log10(abs(rounded)))
    return f"{rounded:.{places}f}".rstrip("0").rstrip(".").replace("-", MINUS)


def times(value: float) -> str:
    """A ratio: three digits near 1, where the second would hide what it is about, else as `number`."""
    return f"{value:.2f}" if NEAR_1[0] < value < NEAR_1[1] else number(value)


def times_between(low: float, high: float) -> str:
    """An interval of a ratio in brackets."""
    return f"({times(low)}–{times(high)})"


def around(low: float, high: float) -> str:
    """An interval around no change: ``(±2.8 %)``."""
    return f"(±{number(100 * max(high - 1, 1 - low))} %)"


def count(value: float) -> str:
    """A whole number, rounded to two digits where it is an estimate."""
    rounded = float(f"{value:.2g}")
    return f"{rounded:,.0f}" if rounded >= 10 else f"{max(round(value), 1)}"


def between(low: float, high: float, unit: str = "") -> str:
    """An interval in brackets, the unit once; one figure where both ends are the same to three digits."""
    ends = (number(low), number(high))
    if ends[0] == ends[1] and max(abs(low), abs(high)) < 100:
        ends = (f"{low:.3g}", f"{high:.3g}")
    text = ends[0] if ends[0] == ends[1] else f"{ends[0]}–{ends[1]}"
    return f"({text}{unit})"


def percent(share: float) -> str:
    """A share as a percentage without a sign."""
    return f"{number(100 * abs(share))} %"


def less_or_more(ratio: Ratio, less: str, more: str, times: str) -> str:
    """A ratio as people say it: ``38 % less noise (34–42 %)``, ``27 % more noise``, ``2.3 × the noise``.

    `less` and `more` hold ``{}`` for the figure; `times` is what is multiplied from 1.5 on.
    """
    low, high = ratio.ends
    if ratio.value >= 1.5:
        return f"{number(ratio.value)} × {times} {between(low, high)}"
    if ratio.value >= 1:
        return f"{more.format(percent(ratio.value - 1))} {percents(low - 1, high - 1)}"
    return f"{less.format(percent(1 - ratio.value))} {percents(1 - high, 1 - low)}"


def percents(low: float, high: float) -> str:
    """An interval of shares in brackets, as percentages."""
    return between(100 * low, 100 * high, " %")


def noise(ratio: Ratio) -> str:
    """How the trial's noise differs; where a part of the picture goes another way, no difference is said with that, and
    of a large part that the difference is not all of the picture's.
    """
    if ratio.tie:
        apart = elsewhere(ratio)
        where = " in most of the picture" if len(apart) == 1 else " on the whole" if apart else ""
        return ", ".join(filter(None, [f"no difference in noise{where} ({about(ratio)})", listed(apart)]))
    where = mostly(ratio)
    return less_or_more(ratio, f"{{}} less noise{where}", f"{{}} more noise{where}", f"the noise{where}")


def mostly(ratio: Ratio | None) -> str:
    """`` in most of the picture`` where noise goes another way than a typical place's in a large part; else empty."""
    if ratio is None or ratio.spread is None:
        return ""
    noisier, cleaner = ratio.spread.noisier, ratio.spread.cleaner
    against = max(noisier, cleaner) if ratio.tie else noisier if ratio.value < 1 else cleaner
    return " in most of the picture" if against >= MUCH else ""


def noisier_part(spread: PlaceSpread) -> str:
    """``noisier in at least 32 % of the picture, in a tenth of it by 79 % or more``."""
    found = f"noisier in {at_least(spread.noisier)} of the picture"
    if spread.ninetieth < 1 + NOISE:
        return found
    return f"{found}, in a tenth of it by {percent(spread.ninetieth - 1)} or more"


def elsewhere(ratio: Ratio) -> list[str]:
    """The parts of the picture in which a typical place's ratio does not hold: ``noisier in at least 14 % of it``."""
    spread = ratio.spread
    if spread is None:
        return []
    shares = {"cleaner": spread.cleaner, "noisier": spread.noisier}
    if not ratio.tie:
        shares.pop("cleaner" if ratio.value < 1 else "noisier")
    return [f"{word} in {at_least(share)} of it" for word, share in shares.items() if share >= PART]


def at_least(share: float) -> str:
    """A share as what is known of it: ``at least 14 %``."""
    return f"at least {math.floor(100 * share)} %"


def visible_noise(ratio: Ratio) -> str:
    """How the trial's visible noise differs."""
    if ratio.tie:
        return f"no visible difference in noise ({about(ratio)})"
    return less_or_more(ratio, "{} less visible noise", "{} more visible noise", "the visible noise")


def softness(sharpness: float) -> str:
    """How much of the finest detail is left, or there is, from the trial's over the control's."""
    if sharpness < 1.0:
        return f"softer, with {number(100 * sharpness)} % of the finest detail left"
    return f"sharper, with {number(sharpness)} × the finest detail"


def render_time(ratio: Ratio) -> str:
    """How the trial's render time differs."""
    if ratio.tie:
        return f"no measurable change in render time ({about(ratio)})"
    if ratio.value <= 1 / 1.5:
        low, high = ratio.ends
        return f"rendering {number(1 / ratio.value)} × faster {between(1 / high, 1 / low)}"
    return less_or_more(ratio, "{} less render time", "{} more render time", "the render time")


def about(ratio: Ratio) -> str:
    """How far off a tie may be: ``±5.2 %``."""
    low, high = ratio.ends
    return f"±{number(100 * (math.sqrt(high / low) - 1))} %" if low > 0 else "no interval"


def stops(value: float) -> str:
    """A shift of brightness: ``0.5 stops darker``."""
    return f"{number(abs(value))} stops {'brighter' if value > 0 else 'darker'}"


def seconds(value: float) -> str:
    """A time as it is said: ``40 s``, ``11 min``, ``2.5 h``."""
    if value < 90:
        return f"{number(value)} s"
    return f"{number(value / 60)} min" if value < 90 * 60 else f"{number(value / 3600)} h"


def megabytes(value: float) -> str:
    """Bytes as they are said: ``37 MB``, ``2.1 GB``."""
    return f"{number(value / 1e6)} MB" if value < 1e9 else f"{number(value / 1e9)} GB"


def capital(text: str) -> str:
    """With a capital, the rest as it is."""
    return text[:1].upper() + text[1:]


def sentence(text: str) -> str:
    """With a capital, and a full stop unless it ends with one."""
    text = capital(text.strip())
    return text if text.endswith((".", "?", "!")) else f"{text}."


def listed(parts: Sequence[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    rows = list(parts)
    return rows[0] if len(rows) == 1 else f"{', '.join(rows[:-1])} and {rows[-1]}" if rows else ""


def part_of(part: PartFact, size: tuple[int, int]) -> str:
    """A part of a picture in words: ``a small part of the lower left`` where it is smaller than a cell."""
    return f"a {'small ' if part.seen < 1.0 else ''}part of the {place_of_box(part.box, size)}"


def in_specks(part: PartFact) -> str:
    """What is said after a part's change that lies in bright specks alone; empty for any other."""
    return IN_SPECKS if part.specks else ""


def place_of_box(box: tuple[int, int, int, int], size: tuple[int, int]) -> str:
    """Where a box lies in a picture, in words: ``lower left``, ``in the middle``."""
    x, y, width, height = box
    across = (x + width / 2) / max(size[0], 1)
    down = (y + height / 2) / max(size[1], 1)
    vertical = "upper" if down < 1 / 3 else "lower" if down > 2 / 3 else ""
    horizontal = "left" if across < 1 / 3 else "right" if across > 2 / 3 else ""
    if not vertical and not horizontal:
        return "middle"
    return f"{vertical or 'middle'} {horizontal or 'middle'}"
