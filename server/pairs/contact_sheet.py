"""A study's contact sheet: the core's arrangement with the pictures, zones, times and noise of the options in it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from matchedpair.errors import InputError
from matchedpair.judging.contact_sheet import Axis, Cell, SheetLevel, SheetOption, contact_sheet
from matchedpair.measures.zones import WHOLE

from server.catalogue.zones import zones_by_view
from server.measuring.option_facts import OptionFacts, all_facts
from server.measuring.which_reference import References, place_of
from server.pairs.pair import zone_box
from server.studies.models import Option, Study


def contact_rows(
    study: Study, *, rows: str, columns: str, zone: str, seed: int | None, fixed: Mapping[str, str]
) -> dict[str, Any]:
    """The sheet as `ContactSheetSerializer` takes it. Raises `InputError` for what cannot be arranged."""
    zones_drawn = zones_by_view()
    facts = all_facts(Option.objects.filter(study=study, in_plan=True, left_out=""), zones_drawn)
    if not facts:
        raise InputError("the study's plan has no option to show")
    facts.sort(key=lambda each: each.option.control_id is not None)  # the baseline first, the rest in the plan's order
    zones = [WHOLE, *dict.fromkeys(name for each in facts for name in each.zones if name != WHOLE)]
    sheet = contact_sheet(
        [SheetOption(each.title, _levels(each.option)) for each in facts], zones, rows, columns, zone, fixed
    )
    seeds = sorted({run.seed for each in facts for run in each.runs})
    chosen = seed if seed in seeds else next(iter(seeds), None)
    references = References()
    shown = [[_cell(cell, facts, chosen) for cell in row] for row in sheet.cells]
    judged = [_reference(row, facts, references) for row in sheet.cells]
    above = [] if any(judged) else [_reference(column, facts, references) for column in zip(*sheet.cells, strict=True)]
    return {
        "axes": [_axis(axis) for axis in sheet.axes], "rows": _axis(sheet.rows), "columns": _axis(sheet.columns),
        "fixed": [{**_axis(each.axis), "value": each.value} for each in sheet.fixed], "zones": zones,
        "zone": sheet.cells[0][0].zone, "seeds": seeds, "seed": chosen, "cells": shown,
        "references": judged if any(judged) else [], "references_above": above if any(above) else [],
        "view_transform": study.setup.view_transform,
    }  # fmt: skip


def _levels(option: Option) -> tuple[SheetLevel, ...]:
    return tuple(SheetLevel(row["subject"], row["title"], row["value"], row["shown"]) for row in option.levels)


def _axis(axis: Axis) -> dict[str, Any]:
    return {"name": axis.name, "title": axis.title, "values": axis.values}


def _cell(cell: Cell, facts: list[OptionFacts], seed: int | None) -> dict[str, Any]:
    if cell.option is None:
        return {**_empty(cell.zone), "state": "not planned"}
    own = facts[cell.option]
    run = next((run for run in own.runs if run.seed == seed), next(iter(own.runs), None))
    known = cell.zone in own.zones
    seconds, basis = own.seconds()
    noise = own.noise(cell.zone)
    state = "there" if run else "to come" if own.open else "not rendered"
    width, height = own.option.setup.description().picture_size
    return {
        "option": own.option.pk, "title": own.title, "zone": cell.zone, "state": state if known else "no such zone",
        "picture": run.picture if run and known else "", "seed": run.seed if run else None, "width": width,
        "height": height, "box": zone_box(own.option, own.zones, cell.zone) if known and cell.zone != WHOLE else None,
        "seconds": seconds, "basis": basis, "noise_percent": noise.value if noise else None,
        "noise_method": noise.method if noise else "",
    }  # fmt: skip


def _empty(zone: str) -> dict[str, Any]:
    return {
        "option": None, "title": "", "zone": zone, "picture": "", "seed": None, "width": 0, "height": 0, "box": None,
        "seconds": None, "basis": "", "noise_percent": None, "noise_method": "",
    }  # fmt: skip


def _reference(row: tuple[Cell, ...], facts: list[OptionFacts], references: References) -> dict[str, Any] | None:
    """The reference of a row or a column, where all its cells are of one setup and one zone."""
    there = [(facts[cell.option], cell.zone) for cell in row if cell.option is not None]
    places = {(place_of(own.option.setup), zone) for own, zone in there}
    if len(places) != 1:
        return None
    own, zone = there[0]
    found = references.of(own.option.setup)
    if found is None or zone not in own.zones:
        return None
    width, height = own.option.setup.description().picture_size
    return _empty(zone) | {
        "title": found.title, "picture": found.picture, "state": "there", "width": width, "height": height,
        "box": zone_box(own.option, own.zones, zone) if zone != WHOLE else None,
    }  # fmt: skip
