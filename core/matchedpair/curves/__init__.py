"""Noise against time: fits, equal noise, equal time, the frontier, and the search for a matched pair."""

from matchedpair.curves.crossing import Crossing, crossings
from matchedpair.curves.curve import Curve, fit_curve
from matchedpair.curves.frontier import Frontier, Place, frontier
from matchedpair.curves.points import Point
from matchedpair.curves.same import SameNoise, SameTime, is_tie, same_noise, same_time

__all__ = [
    "Crossing",
    "Curve",
    "Frontier",
    "Place",
    "Point",
    "SameNoise",
    "SameTime",
    "crossings",
    "fit_curve",
    "frontier",
    "is_tie",
    "same_noise",
    "same_time",
]
