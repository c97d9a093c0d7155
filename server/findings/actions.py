"""What can be done to findings."""

from __future__ import annotations

from django.utils import timezone
from matchedpair.errors import InputError

from server.findings.models import Verdict
from server.findings.pairs import pair_findings
from server.studies.models import Pair


def give_verdict(pair: Pair, *, chosen: str, reasons: str, author: str) -> Verdict:
    """Record a verdict with the finding it rests on. Raises `InputError` while a side has no finished render."""
    findings = pair_findings(pair)
    if not findings.control.runs or not findings.trial.runs:
        raise InputError("both sides need a finished render before a verdict can be given")
    return Verdict.objects.create(pair=pair, chosen=chosen, reasons=reasons, author=author, finding=findings.sentence)


def withdraw(verdict: Verdict) -> None:
    """Take a verdict back; it is kept and can be restored."""
    Verdict.objects.filter(pk=verdict.pk, withdrawn_at=None).update(withdrawn_at=timezone.now())


def restore(verdict: Verdict) -> None:
    """Put a withdrawn verdict back."""
    Verdict.objects.filter(pk=verdict.pk).update(withdrawn_at=None)
