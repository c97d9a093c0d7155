"""The figures: noise by twins, time ratios, and the checks on a file before anything else."""

from matchedpair.measures.cost import RunTimes, time_ratio
from matchedpair.measures.figure import Figure, Ratio
from matchedpair.measures.file_checks import FileCheck, check_file, check_picture, stops
from matchedpair.measures.noise import NoiseFigure, TwinNoise, noise_ratio
from matchedpair.measures.zones import Zone

__all__ = [
    "Figure",
    "FileCheck",
    "NoiseFigure",
    "Ratio",
    "RunTimes",
    "TwinNoise",
    "Zone",
    "check_file",
    "check_picture",
    "noise_ratio",
    "stops",
    "time_ratio",
]
