"""How trials look against their own controls, from the stored comparisons."""

from __future__ import annotations

from typing import Any

from django.db.models import F

from server.measuring.models import Comparison
from server.studies.models import Study


def looks_of(study: Study, zone: str) -> dict[int, dict[str, Any]]:
    """By trial the look shift against its own control in a zone; only what was compared by today's methods."""
    rows = Comparison.objects.filter(pair__study=study, zone=zone, version=Comparison.VERSION).exclude(look=None)
    return dict(rows.filter(pair__control=F("pair__trial__control")).values_list("pair__trial", "look"))
