"""References among renders from elsewhere: each judges what a study shows of its place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from matchedpair.elsewhere import LINEAR, says_reference

from server.imports.models import ImportedRender
from server.references.models import Reference, ReferenceKind
from server.studies.models import Option, Study

Place = tuple[Any, ...]  # scene, view, variant, frame and size, as they are known


def keep_references(study: Study, rows: Sequence[ImportedRender], places: Mapping[Place, Option]) -> list[str]:
    """Keep renders as references of the places that they show; of several the second is the first one's twin.

    What is known of a render must fit one place alone; where there is but one of its size it needs no name. Returns
    what was left out, each with the reason.
    """
    left_out: list[str] = []
    found: dict[Place, list[ImportedRender]] = {}
    for row in rows:
        reason = row.problem or forbidden(row)
        fitting = [] if reason else _fitting(row, list(places))
        if len(fitting) == 1:
            found.setdefault(fitting[0], []).append(row)
        else:
            which = "it shows no place of this study" if not fitting else "which place it shows is not known"
            left_out.append(f"{row.name}: {reason or f'{which}; a reference is of the same scene, view and size'}")
    for place, own in found.items():
        left_out += keep_reference(study, places[place], own)
    return left_out


def kept_pictures(study: Study) -> set[str]:
    """The pictures by which its options are judged, and which are no options."""
    kept = Reference.objects.filter(details__study=study.pk, details__from_elsewhere=True)
    return {digest for pair in kept.values_list("picture", "twin") for digest in pair if digest}


def forbidden(row: ImportedRender) -> str:
    """Why a render can judge nothing; empty where it can."""
    if row.encoding != LINEAR:
        return "a reference must be in linear light; state what its values went through"
    return row.stop


def _fitting(row: ImportedRender, places: Sequence[Place]) -> list[Place]:
    known = row.facts().fields
    told = [_told(known.get(name)) for name in ("scene", "view", "variant", "frame")]
    return [
        place for place in places
        if place[-1] == f"{row.width} × {row.height}"
        and all(None in (fact, each) or fact == each for fact, each in zip(told, place[:-1], strict=True))
    ]  # fmt: skip


def _told(value: Any) -> Any:
    """What a name says; where that is only that it is a reference, it was taken for something else."""
    return None if isinstance(value, str) and says_reference(value) else value


def keep_reference(study: Study, option: Option, found: Sequence[ImportedRender]) -> list[str]:
    """Keep a reference of what an option shows, with its twin; returns what is left out."""
    rows = found[:2]
    facts = [row.facts() for row in rows]
    times = [each.fields.get("seconds") for each in facts]
    details = {
        "engine": str(_told(facts[0].fields.get("engine")) or ""), "version": str(facts[0].fields.get("version", "")),
        "settings": dict(facts[0].settings), "seeds": [each.fields.get("seed") for each in facts],
        "seconds": None if None in times else sum(float(each) for each in times if each is not None),
        "study": study.pk, "from_elsewhere": True,
    }  # fmt: skip
    Reference.objects.create(
        setup=option.setup, kind=ReferenceKind.RENDER, title=rows[0].name[:200], picture=rows[0].picture,
        twin=rows[1].picture if len(rows) > 1 else "", details=details,
    )  # fmt: skip
    return [f"{row.name}: a reference has one twin at most" for row in found[2:]]
