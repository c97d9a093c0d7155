"""What was measured, and what people concluded."""

from server.findings.models.judged import (
    BLIND_KIND_CHOICES,
    Answer,
    BlindRound,
    BlindTest,
    Chosen,
    Criterion,
    Mark,
    Pin,
    Verdict,
)
from server.findings.models.measured import Comparison, LayerState, MapLayer, Measure

__all__ = [
    "BLIND_KIND_CHOICES",
    "Answer",
    "BlindRound",
    "BlindTest",
    "Chosen",
    "Comparison",
    "Criterion",
    "LayerState",
    "MapLayer",
    "Mark",
    "Measure",
    "Pin",
    "Verdict",
]
