"""What a command ends with that could not do what it was asked, but has much to say of it."""

from __future__ import annotations

from matchedpair.errors import MatchedPairError


class ReportedError(MatchedPairError):
    """Said in one line on stderr, with exit code 2; `report` is what the command prints all the same."""

    def __init__(self, report: str, reason: str) -> None:
        super().__init__(reason)
        self.report = report
