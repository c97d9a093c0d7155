"""What is measured of a render: the names, what every screen and file needs to say of each, and its map."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

from matchedpair.measures import blotches, detail, error, fireflies, look, noise, seen_noise, visible
from matchedpair.measures.figure import Figure
from matchedpair.measures.noise import NoiseFigure
from matchedpair.measures.render import ZoneMeasures
from matchedpair.measures.report import no_blotches

LOWER, NEAREST_0, NEAREST_1, NEITHER = "lower", "nearest 0", "nearest 1", ""
MOST_PLACES = 500
ALONE = "one picture alone gives only a guess"


@dataclass(frozen=True)
class Kind:
    """One measure of a render.

    Parameters
    ----------
    name, title, unit : str
    better : str
        ``lower``, ``nearest 0``, ``nearest 1``, or empty when no value is better.
    version : int
        Of its method.
    layer : str
        The map that shows it; empty when there is none.
    by_reference : bool
        Whether it cannot be had without a reference.
    about : str
        What it says, in one sentence.
    """

    name: str
    title: str
    unit: str
    better: str
    version: int
    layer: str
    by_reference: bool
    about: str

    def uses_reference(self, *, alone: bool) -> bool:
        """Whether its figure rests on the reference; fireflies and slow patches do where there is one render alone."""
        return self.by_reference or (alone and self.layer in ("fireflies", "blotches"))


KINDS = (
    Kind("noise", "Noise", "%", LOWER, noise.VERSION, "noise", False,
         "How grainy a typical place is: the spread that another seed would show, relative to the brightness there."),
    Kind("noise_worst", "Noise, worst tenth", "%", LOWER, noise.VERSION, "noise", False,
         "How grainy the worst tenth of the places is at least."),
    Kind("visible_noise", "Visible noise", "ΔE", LOWER, visible.VERSION, "visible_noise", False,
         "What an eye at a stated distance sees of the noise in a typical place; below 1 it is not noticed."),
    Kind("noise_total", "Total noise", "%", LOWER, noise.VERSION, "noise", False,
         "The noise of all light, rare bright paths included; a few pixels may rule it."),
    Kind("noise_without_fireflies", "Total noise without fireflies", "%", LOWER, noise.VERSION, "noise", False,
         "The same without the pixels of fireflies."),
    Kind("noise_seen", "Noise as seen", "% of white", LOWER, seen_noise.VERSION, "noise", False,
         "The spread of the code values after the view transform."),
    Kind("fireflies", "Fireflies", "per Mpx", LOWER, fireflies.VERSION, "fireflies", False,
         "Single pixels far brighter than what another render shows there."),
    Kind("firefly_light", "Light in fireflies", "%", LOWER, fireflies.VERSION, "fireflies", False,
         "The share of all light that fireflies add."),
    Kind("blotches", "Blotches", "%", LOWER, blotches.VERSION, "blotches", False,
         "Slow uneven patches: their spread relative to the brightness."),
    Kind("grain", "Grain", "×", NEITHER, blotches.VERSION, "blotches", False,
         "1 when neighbouring pixels are independent; more behind a pixel filter or a denoiser."),
    Kind("error", "Error", "%", LOWER, error.VERSION, "error", True,
         "How far off the reference, noise and lasting error together."),
    Kind("error_systematic", "Lasting error", "%", LOWER, error.VERSION, "error", True,
         "The part of the error that every seed has, which more samples do not mend."),
    Kind("error_slow", "Slow error", "%", LOWER, error.VERSION, "error", True,
         "The part of the error that is left after a blur by 2 pixels, noise apart."),
    Kind("detail", "Finest detail kept", "×", NEAREST_1, detail.VERSION, "error", True,
         "How much of the reference's finest octave is still there, noise apart; 1 is all."),
    Kind("stops", "Brightness", "stops", NEAREST_0, look.VERSION, "error", True,
         "How much brighter than the reference, over places large enough for noise to average out."),
    Kind("colour", "Colour", "ΔE00", LOWER, look.VERSION, "error", True,
         "How far the colours lie from the reference's, after the brightness is made equal."),
    Kind("visible", "Visible difference", "ΔE", LOWER, visible.VERSION, "visible", True,
         "What an eye at a stated distance would see of the difference from the reference; noise counts."),
)  # fmt: skip
KIND_OF = {kind.name: kind for kind in KINDS}


@dataclass(frozen=True)
class Measured:
    """One measure of a zone: its figure, or why there is none; what else is known of it, as plain values; and what each
    place reads, packed, where it was got place by place.
    """

    name: str
    figure: Figure | None
    refused: str
    details: dict[str, Any] = field(default_factory=dict)
    places: bytes = b""


def measured(zone: ZoneMeasures) -> Iterator[Measured]:
    """Every measure of a zone, in the order of `KINDS`."""
    for kind in KINDS:
        figure, details, reason = _READERS[kind.name](zone)
        yield Measured(kind.name, figure, "" if figure is not None else reason, details, _places(kind.name, zone))


def _places(name: str, zone: ZoneMeasures) -> bytes:
    by_name = {"noise": zone.noise, "visible_noise": zone.visible_noise}
    found = by_name.get(name)
    return b"" if found is None or found.places is None else found.places.pack()


_Reading = tuple[Figure | None, dict[str, Any], str]


def _noise(zone: ZoneMeasures) -> _Reading:
    if zone.single is not None:
        return zone.single.noise, {"flat_share": zone.single.flat_share}, ""
    if zone.noise is None:
        return None, {}, zone.refused.get("noise", "")
    return zone.noise.noise, noise_details(zone.noise), ""


def noise_details(figure: NoiseFigure) -> dict[str, Any]:
    """What else belongs to a noise figure."""
    return {
        "top_share": figure.top_share, "total": figure.total.value,
        "total_error": list(figure.total_error) if figure.total_error else None,
    }  # fmt: skip


def _noise_part(part: str) -> Any:
    def read(zone: ZoneMeasures) -> _Reading:
        if zone.noise is None:
            reason = ALONE if zone.single is not None else ""
            return None, {}, reason or zone.refused.get("noise", "")
        return getattr(zone.noise, part), {}, ""

    return read


def _visible_noise(zone: ZoneMeasures) -> _Reading:
    figure = zone.visible_noise
    if figure is None:
        return None, {}, zone.refused.get("noise.visible", "")
    return figure.typical, {"worst_tenth": figure.worst.value, "mean": figure.mean}, ""


def _fireflies(zone: ZoneMeasures) -> _Reading:
    if zone.fireflies is None:
        return None, {}, zone.refused.get("fireflies", "")
    found = zone.fireflies
    places = [list(place) for place in found.positions[:MOST_PLACES]]
    return found.per_megapixel, {"count": found.count, "positions": places}, ""


def _blotches(zone: ZoneMeasures) -> _Reading:
    figure = zone.blotches
    if figure is None:
        return None, {}, zone.refused.get("blotches", "")
    details = {
        "found": figure.found, "scale_pixels": figure.scale.value if figure.scale else None,
        "smallest_seen_percent": figure.smallest_seen_percent, "method": figure.grain.method,
        "varying": figure.varying, "lasting": figure.lasting,
    }  # fmt: skip
    if not figure.found:
        return None, details, no_blotches(figure)
    return figure.amplitude, details, "patches were found, but no amplitude fits them"


def _error_part(part: str, name: str) -> Any:
    def read(zone: ZoneMeasures) -> _Reading:
        if zone.error is None:
            return None, {}, zone.refused.get("error", "")
        return getattr(zone.error, part), {}, zone.error.refused.get(name, "")

    return read


def _detail(zone: ZoneMeasures) -> _Reading:
    if zone.detail is None:
        return None, {}, zone.refused.get("detail", "")
    octaves = [{"pixels": each.pixels, "kept": each.kept.value if each.kept else None} for each in zone.detail]
    return zone.detail[0].kept, {"octaves": octaves}, "the reference has no detail of that size to judge by"


def _look_part(part: str) -> Any:
    def read(zone: ZoneMeasures) -> _Reading:
        if zone.look is None:
            return None, {}, zone.refused.get("look", "")
        details = {
            "worst": asdict(zone.look.worst), "darkest_stops": zone.look.darkest_stops,
            "brightest_stops": zone.look.brightest_stops, "clamped_at": zone.look.clamped_at,
            "light_lost_percent": zone.look.light_lost_percent, "delta_e": zone.look.delta_e.value,
        }  # fmt: skip
        return getattr(zone.look, part), details, ""

    return read


def _visible(zone: ZoneMeasures) -> _Reading:
    if zone.visible is None:
        return None, {}, zone.refused.get("visible", "")
    own = zone.visible.own_noise
    details = {
        "p95": zone.visible.p95, "above_1_percent": zone.visible.above_1_percent,
        "above_3_percent": zone.visible.above_3_percent, "pixels_per_degree": zone.visible.pixels_per_degree,
        "own_noise_mean": own.value if own else None,
    }  # fmt: skip
    return zone.visible.mean, details, ""


_READERS: dict[str, Any] = {
    "noise": _noise,
    "noise_worst": _noise_part("worst"),
    "visible_noise": _visible_noise,
    "noise_total": _noise_part("total"),
    "noise_without_fireflies": lambda zone: (
        zone.noise_without_fireflies, {}, zone.refused.get("noise.without_fireflies_percent", "")
    ),
    "noise_seen": lambda zone: (zone.noise_seen, {}, zone.refused.get("noise.seen_percent", "")),
    "fireflies": _fireflies,
    "firefly_light": lambda zone: (
        zone.fireflies.light_percent if zone.fireflies else None, {}, zone.refused.get("fireflies", "")
    ),
    "blotches": _blotches,
    "grain": lambda zone: (zone.blotches.grain if zone.blotches else None, {}, zone.refused.get("blotches", "")),
    "error": _error_part("total", "total"),
    "error_systematic": _error_part("systematic", "systematic"),
    "error_slow": _error_part("low_frequency", "low_frequency"),
    "detail": _detail,
    "stops": _look_part("stops"),
    "colour": _look_part("delta_e_after_gain"),
    "visible": _visible,
}  # fmt: skip
