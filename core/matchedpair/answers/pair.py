"""What one pair says of noise and time, in one sentence."""

from __future__ import annotations

from dataclasses import dataclass

from matchedpair.answers.phrases import (
    capital,
    elsewhere,
    mostly,
    noise,
    number,
    render_time,
    sentence,
    softness,
    visible_noise,
)
from matchedpair.answers.same_pictures import TO_THE_BIT
from matchedpair.answers.thresholds import GRAIN_AGAINST_PATCHES
from matchedpair.measures.figure import Ratio
from matchedpair.measures.zones import WHOLE

MATCHED_WITHIN = 0.03
NOT_MEASURED = "Nothing is measured yet."


@dataclass(frozen=True)
class Matched:
    """What a pair was made alike in by a search (``noise`` or ``time``), in which zone, and how well it came out.

    `visible` is the ratio of visible noise: grain and patches of the same noise are not the same to look at.
    """

    on: str
    zone: str
    ratio: Ratio | None
    visible: Ratio | None = None

    @property
    def parted(self) -> bool:
        """Whether the eye sees another noise although the figure is the same."""
        seen = self.visible
        return self.on == "noise" and seen is not None and not seen.tie and abs(seen.value - 1) > GRAIN_AGAINST_PATCHES

    @property
    def well(self) -> bool:
        """Whether it came out within 3 %, to the eye too."""
        return self.ratio is not None and abs(self.ratio.value - 1.0) <= MATCHED_WITHIN and not self.parted

    def words(self) -> str:
        """Such as ``Matched on noise in Deep shelf, 1.2 % apart``; further apart it is nearly matched."""
        where = "" if self.zone in ("", WHOLE) else f" in {self.zone}"
        how_well = "" if self.ratio is None else f", {number(100 * abs(self.ratio.value - 1))} % apart"
        how = "Matched" if self.well or self.ratio is None else "Nearly matched"
        if self.parted and self.visible is not None:
            return f"Matched in the figure, not to the eye ({number(self.visible.value)} × the visible noise{where})"
        return f"{how} on {self.on}{where}{how_well}"


def pair_sentence(
    subject: str,
    noise_ratio: Ratio | None,
    time_ratio: Ratio | None,
    seeds: int,
    *,
    matched: Matched | None = None,
    visible: Ratio | None = None,
    look: str = "",
    sharpness: float | None = None,
    identical: bool = False,
) -> str:
    """``48 samples: 38 % less noise (34–42 %), no measurable change in render time (±16 %), 2 seeds each.``

    What the pair was made alike in is said first, and only the other figure is a finding. Where the eye sees another
    change of noise than the figure says, that is said too, and so is a plain change of look. Of a trial that is softer
    or sharper (`sharpness`, its finest detail over the control's) that is said instead, and what the eye sees of noise;
    of pictures that are `identical`, that they are.
    """
    if noise_ratio is None and time_ratio is None and not identical:
        return NOT_MEASURED
    parts = []
    if identical:
        parts.append(TO_THE_BIT)
    elif noise_ratio is not None and (matched is None or matched.on != "noise" or time_ratio is None):
        parts.append(noise(noise_ratio) + _to_the_eye(noise_ratio, visible))
        parts += elsewhere(noise_ratio) if mostly(noise_ratio) and not noise_ratio.tie else []
    if noise_ratio is None and not identical:
        parts += [] if sharpness is None else [softness(sharpness)]
        parts += [] if visible is None else [visible_noise(visible)]
    if time_ratio is not None and (matched is None or matched.on != "time" or noise_ratio is None):
        parts.append(render_time(time_ratio))
    start = f"{matched.words()}. {capital(subject)}" if matched is not None else subject
    each = f"{seeds} {'seed' if seeds == 1 else 'seeds'} each"
    return sentence(f"{start}: {', '.join(parts)}, {each}{f', but {look}' if look else ''}")


def _to_the_eye(ratio: Ratio, visible: Ratio | None) -> str:
    """What the eye sees, where it is another change than the figure's."""
    if visible is None or visible.tie:
        return ""
    parted = visible.value / ratio.value
    if abs(parted - 1) <= GRAIN_AGAINST_PATCHES or ((ratio.value < 1) == (visible.value < 1) and not ratio.tie):
        return ""
    return f", but {number(visible.value)} × the visible noise"
