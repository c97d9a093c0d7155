"""One exception tree for the core: what was wrong, what was expected, what to do, in one plain sentence."""

from __future__ import annotations


class MatchedPairError(Exception):
    """Base of every error that the core raises on purpose; ``str(error)`` can be shown to a user."""


class PictureError(MatchedPairError):
    """A picture cannot be read, written or used."""

    def __init__(self, path: str, problem: str) -> None:
        super().__init__(f"{path}: {problem}")
        self.path = path
        self.problem = problem


class DefinitionError(MatchedPairError):
    """An engine definition is wrong; carries the file, the key in it and what was expected there."""

    def __init__(self, file: str, key: str, expected: str) -> None:
        super().__init__(f"{file}: {key}: {expected}" if key else f"{file}: {expected}")
        self.file = file
        self.key = key
        self.expected = expected


class SettingsError(MatchedPairError):
    """Values do not fit an engine's settings; ``problems`` maps each setting to what is wrong with it."""

    def __init__(self, problems: dict[str, str]) -> None:
        super().__init__("; ".join(f"{name}: {problem}" for name, problem in problems.items()))
        self.problems = problems


class EngineMissingError(MatchedPairError):
    """The engine's program is not on this machine."""


class RefusedError(MatchedPairError):
    """A figure or comparison would mislead, so it is not given; ``reason`` says why."""

    def __init__(self, measure: str, reason: str) -> None:
        super().__init__(f"{measure}: {reason}")
        self.measure = measure
        self.reason = reason


class InputError(MatchedPairError):
    """What was handed to a command or function does not fit; says what was expected."""
