"""Uses that settings are chosen for, and the limits that an option must keep to serve one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from matchedpair.measures.figure import Figure, Interval

KEEPS, BREAKS, UNSURE, UNKNOWN = "keeps", "breaks", "unsure", "not known"


@dataclass(frozen=True)
class LimitKind:
    """One thing that can be limited.

    Parameters
    ----------
    most : bool
        Whether the limit is the most there may be, or the least.
    size : bool
        Whether only the size counts, as of a shift to either side.
    """

    name: str
    title: str
    unit: str
    most: bool = True
    size: bool = False
    about: str = ""


LIMITS = (
    LimitKind("seconds", "Seconds per frame", "s", about="Of one render in all, getting ready with it."),
    LimitKind("memory", "Peak memory", "MB"),
    LimitKind("noise", "Noise, whole picture", "%"),
    LimitKind("zone_noise", "Noise, worst zone", "%", about="In the zone that has most of it."),
    LimitKind("visible", "Visible error", "ΔE", about="What an eye sees of the difference from the reference."),
    LimitKind("flicker", "Flicker", "%", about="Of a sequence: what changes from frame to frame by itself."),
    LimitKind("fireflies", "Fireflies", "per megapixel"),
    LimitKind("stops", "Brightness shift", "stops", size=True, about="Against the reference, or else the control."),
    LimitKind("colour", "Colour shift", "ΔE00", about="Against the reference, or else the control, brightness apart."),
    LimitKind("detail", "Detail kept, finest octave", "", most=False, about="Against the reference; 1 is all."),
)  # fmt: skip
LIMIT_OF = {kind.name: kind for kind in LIMITS}
HARDLY_SEEN, PLAINLY_SEEN = 2.0, 3.0  # ΔE, of the mean over the picture
FASTEST, BALANCED, CLEANEST = 0.0, 2.0 / 3.0, 1.0


@dataclass(frozen=True)
class Use:
    """What settings are for.

    Parameters
    ----------
    limits : mapping
        By the names of `LIMITS`; what is not named is not limited.
    weight : float
        How much quality counts against time among what keeps the limits, 0 to 1: the option with the least
        (1 − weight)·log(time) + weight·log(noise) is chosen. 0 takes the fastest, 1 the cleanest; at two thirds half
        the noise is worth four times the time, as for a render whose every sample counts.
    """

    name: str
    title: str
    limits: Mapping[str, float]
    weight: float = FASTEST


STARTING_USES = (
    Use("preview", "Preview", {"noise": 25.0}, FASTEST),
    Use("still", "Still", {"visible": HARDLY_SEEN, "fireflies": 20.0, "stops": 0.05, "colour": 1.0}, CLEANEST),
    Use(
        "animation",
        "Animation",
        {"noise": 8.0, "zone_noise": 12.0, "visible": PLAINLY_SEEN, "fireflies": 20.0, "stops": 0.05},
        FASTEST,
    ),
)


@dataclass(frozen=True)
class Checked:
    """How a figure stands to a limit: it keeps it, breaks it, its interval spans it, or it is not known."""

    limit: str
    bound: float
    state: str
    value: float | None
    interval: Interval | None
    where: str = ""


def check(limit: str, bound: float, figure: Figure | None, where: str = "") -> Checked:
    """Hold a figure against a limit. Raises `KeyError` for a limit that there is not."""
    kind = LIMIT_OF[limit]
    if figure is None:
        return Checked(limit, bound, UNKNOWN, None, None, where)
    value, interval = figure.value, figure.interval
    if kind.size:
        value, interval = abs(value), _sizes(interval)
    low, high = interval or (value, value)
    inside = value <= bound if kind.most else value >= bound
    sure = high <= bound if kind.most else low >= bound
    clear = low > bound if kind.most else high < bound
    state = KEEPS if inside and (sure or interval is None) else BREAKS if clear else UNSURE
    return Checked(limit, bound, state, value, interval, where)


def _sizes(interval: Interval | None) -> Interval | None:
    if interval is None:
        return None
    low, high = sorted(abs(end) for end in interval)
    return (0.0 if interval[0] < 0.0 < interval[1] else low, high)
