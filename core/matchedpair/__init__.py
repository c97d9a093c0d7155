"""The rules and the computation of comparing renders. Knows no framework, server, database or screen.

For scripts: `measure_render`, `compare_pair`, `fit_ladder`, `answer_study`, and the errors that they raise. They are
loaded when they are first asked for, so that nobody waits for what is not used.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matchedpair.errors import InputError, MatchedPairError, PictureError, RefusedError
    from matchedpair.scripting import Curve, answer_study, compare_pair, fit_ladder, measure_render

__all__ = [
    "Curve",
    "InputError",
    "MatchedPairError",
    "PictureError",
    "RefusedError",
    "answer_study",
    "compare_pair",
    "fit_ladder",
    "measure_render",
]


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module 'matchedpair' has no attribute {name!r}")
    place = "matchedpair.errors" if name.endswith("Error") else "matchedpair.scripting"
    return getattr(import_module(place), name)
