"""The maps that can be laid over a picture: their titles, units and how their values are to be drawn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from matchedpair.pictures.picture import Floats

EVEN, SIGNED, SPOTS, RATIO = "even", "signed", "spots", "ratio"  # a ratio is kept as its logarithm to base 2
RENDER, PAIR = "render", "pair"
USUAL_SHARE = 0.95


@dataclass(frozen=True)
class Layer:
    """One map.

    Parameters
    ----------
    name, title, unit : str
    of : str
        ``render`` or ``pair``.
    scale : str
        ``even`` from 0 up, ``signed`` around 0, ``ratio`` around 1, or ``spots`` where all but a few pixels are 0.
    about : str
        How to read it.
    """

    name: str
    title: str
    unit: str
    of: str
    scale: str
    about: str


LAYERS = (
    Layer("noise", "Noise", "%", RENDER, EVEN, "Noise around each pixel, relative to the brightness there."),
    Layer("visible_noise", "Visible noise", "ΔE", RENDER, EVEN, "What an eye sees of the noise of one picture."),
    Layer("fireflies", "Fireflies", "× level", RENDER, SPOTS, "Fireflies of the first seed, at their brightest pixel."),
    Layer("blotches", "Slow patches", "%", RENDER, SIGNED, "What varies slowly by the seed, or from a reference."),
    Layer("error", "Error", "%", RENDER, SIGNED, "First seed less the reference, relative to it."),
    Layer("visible", "Visible against the reference", "ΔE", RENDER, EVEN, "What an eye would see of the difference."),
    Layer("cleaner", "Where it is cleaner", "× the noise", PAIR, RATIO, 
          "Trial's noise over the control's, place by place; below 1 it is cleaner."),
    Layer("difference", "Beyond noise", "z", PAIR, SIGNED, "Trial less control by cell, in standard errors."),
    Layer("visible_pair", "Visible between the sides", "ΔE", PAIR, EVEN, "What an eye would see change; noise counts."),
)  # fmt: skip
LAYER_OF = {layer.name: layer for layer in LAYERS}


def shown_range(layer: Layer, values: Floats) -> tuple[float, float]:
    """The ends of the scale that suits a map: 0 or below to the 95th percentile, rounded to one digit."""
    known = np.abs(values[np.isfinite(values)])
    if layer.scale == SPOTS:
        known = known[known > 0]
    if not known.size:
        return (-1.0, 1.0) if layer.scale in (SIGNED, RATIO) else (0.0, 1.0)
    usual = float(np.quantile(known, USUAL_SHARE))
    top = _rounded_up(usual) if usual > 0.0 else 1.0
    return (-top, top) if layer.scale in (SIGNED, RATIO) else (0.0, top)


def _rounded_up(value: float) -> float:
    """The next of 1, 2 or 5 times a power of ten."""
    power = 10.0 ** np.floor(np.log10(value))
    return float(next(step * power for step in (1, 2, 5, 10) if step * power >= value * (1 - 1e-9)))
