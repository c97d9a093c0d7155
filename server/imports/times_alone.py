"""Times without a picture: rows of a table beside renders that are about none of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from matchedpair.elsewhere import Facts
from matchedpair.elsewhere.facts import NEEDED
from matchedpair.elsewhere.table import facts_of_row, names_picture, rows_without
from matchedpair.errors import InputError

from server.imports.models import ImportedRender, ImportSet


@dataclass(frozen=True)
class TimeAlone:
    """What a row says of a render whose picture is not here; `name` is the row's, for people."""

    name: str
    facts: Facts


def times_alone(import_set: ImportSet, *, waits: bool) -> tuple[list[TimeAlone], list[str]]:
    """The times in a set's table of which it has no picture, and what is left out with the reason.

    Parameters
    ----------
    waits : bool
        Whether pictures may still come: rows that name one then wait for it.

    What a row does not say of engine, scene and view is taken from the renders, where these agree.
    """
    renders = list(import_set.renders.all())
    agreed = _agreed(renders)
    found: list[TimeAlone] = []
    left_out: list[str] = []
    for key, row in rows_without(import_set.table, [each.name for each in renders]).items():
        if waits and names_picture(key):
            continue
        name = f"{key.strip('()')} of {import_set.table_name or 'the table'}"
        try:
            facts = facts_of_row(row, import_set.columns)
        except InputError as error:
            left_out.append(f"{name}: {error}")
            continue
        facts = replace(facts, fields={**agreed, **facts.fields})
        if "seconds" not in facts.fields:
            left_out.append(f"{name}: has neither a picture here nor a time")
        else:
            found.append(TimeAlone(name, facts))
    return found, left_out


def _agreed(renders: Sequence[ImportedRender]) -> dict[str, int | float | str | bool]:
    """What all usable renders say alike of the fields that must be known."""
    known = [each.facts().fields for each in renders if not each.problem]
    said = {name: {fields.get(name) for fields in known} for name in NEEDED}
    return {name: value for name, values in said.items() if len(values) == 1 and (value := values.pop()) is not None}
