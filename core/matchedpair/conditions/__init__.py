"""The conditions of a render, and the match sheet that tells which of a pair are held."""

from matchedpair.conditions.conditions import CONDITIONS
from matchedpair.conditions.match_sheet import (
    DENOISED,
    Condition,
    MatchSheet,
    denoisers_on,
    is_denoiser,
    match_sheet,
    merged_sheet,
)

__all__ = [
    "CONDITIONS",
    "DENOISED",
    "Condition",
    "MatchSheet",
    "denoisers_on",
    "is_denoiser",
    "match_sheet",
    "merged_sheet",
]
