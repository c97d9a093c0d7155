"""Figures and marks in words, for the report's page."""

from __future__ import annotations

from typing import Any

from django import template
from django.utils.safestring import SafeString, mark_safe
from matchedpair.choose import Saving
from matchedpair.conditions.match_sheet import shown
from matchedpair.measures.figure import three

register = template.Library()
MARKS = {
    "held": '<path d="M5.5 7v8" stroke="#1c1e20" stroke-width="1.5"/>',
    "unknown": '<circle cx="5.5" cy="11" r="2" fill="none" stroke="#565a5c"/>',
    "differs": '<path d="M3 4v7h5v7" fill="none" stroke="#a11c2f" stroke-width="2" stroke-linejoin="bevel"/>',
    "under_test": '<path d="M2.5 1h6v9.5h-6z" fill="#1d5c9f"/><path d="M2.5 11.5h6V21h-6z" fill="#a84a08"/>',
}


@register.simple_tag
def rail_mark(state: str) -> SafeString:
    """One mark of the match rail."""
    drawn = f'<svg width="10" height="22" viewBox="0 0 11 22" aria-hidden="true">{MARKS[state]}</svg>'
    return mark_safe(drawn)


@register.filter
def figure(value: float) -> str:
    """Three significant digits."""
    return three(value)


@register.filter
def ends(interval: tuple[float, float] | None) -> str:
    """An interval in brackets; empty without one."""
    return "" if interval is None else f"({three(interval[0])} to {three(interval[1])})"


@register.filter
def saved(saving: Saving | None) -> str:
    """The share that is saved, with its interval; a tie is called one."""
    if saving is None:
        return ""
    share = f"{_percent(abs(saving.share))}" + ("" if saving.share >= 0 else " more")
    between = "" if saving.interval is None else _between(saving.interval)
    return f"{'no difference, ' if saving.tie else ''}{share}{between}"


def _between(interval: tuple[float, float]) -> str:
    low, high = interval
    if high < 0.0:
        return f" ({_percent(-high)} to {_percent(-low)} more)"
    start = f"{_percent(-low)} more" if low < 0.0 else _percent(low)
    return f" ({start} to {_percent(high)}{' saved' if low < 0.0 else ''})"


@register.filter
def spaced(name: str) -> str:
    """A setting's name as people read it."""
    return name.replace("_", " ")


@register.filter
def setting(value: Any) -> str:
    """A setting's value in words."""
    return shown(value)


def _percent(share: float) -> str:
    return f"{three(100 * share)} %"
