"""Trying an engine's definition: whether it holds what it promises, found out by a few tiny renders."""

from matchedpair.trying.promises import Promise, promises_in_words
from matchedpair.trying.trial import Trial

__all__ = ["Promise", "Trial", "promises_in_words"]
