"""Cells of tables that others open."""

from __future__ import annotations

from typing import Any


def plain_cell(cell: Any) -> Any:
    """A text that a spreadsheet would take for a formula gets a quote before it."""
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t", "\r") else cell
