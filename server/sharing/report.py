"""The report: one page of HTML with its own fonts and pictures, that prints well."""

from __future__ import annotations

import base64
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db.models import Q
from django.template.loader import render_to_string
from django.utils import timezone
from django.utils.safestring import mark_safe
from matchedpair.answers import failing
from matchedpair.answers.answer import VISIBLE_ERROR
from matchedpair.answers.phrases import sentence
from matchedpair.choose import LIMITS
from matchedpair.choose.uses import BREAKS
from matchedpair.conditions import MatchSheet
from matchedpair.curves.curve import VERSION as CURVE_VERSION
from matchedpair.curves.words import curve_in_words
from matchedpair.errors import PictureError
from matchedpair.measures.cost import VERSION as COST_VERSION
from matchedpair.measures.figure import Ratio, three
from matchedpair.measures.kinds import KINDS

from server.answers.proof_pictures import proof_pictures
from server.answers.studies import answered_study
from server.catalogue.zones import zones_by_view
from server.curves.curves import StudyCurves, study_curves
from server.curves.same import SameRow, same_table
from server.curves.words import sentence as curves_sentence
from server.decisions.candidates import OfStudy
from server.decisions.deciding import Decided, DecidedUse, decided
from server.decisions.models import RecipeVersion
from server.measuring.models import Comparison
from server.measuring.option_facts import setup_in_words
from server.pairs.pair import PairFigures, pair_figures, with_all, zone_box
from server.runs.models import Run, RunState
from server.sharing.charts import curves_svg
from server.store.pixels import shown
from server.studies.models import Pair, Study
from server.verdicts.models import Verdict

MOST_JUDGED, MOST_CHOSEN, MOST_MATCHED = 4, 3, 2
MOST_PAIRS = 3  # that are filled up with the plan's first where less was chosen or matched
MOST_ZONES = 3
PICTURE_WIDTH = 640
FONT = "source-sans-3-latin-wght-normal*.woff2"


@dataclass(frozen=True)
class Shown:
    """A picture or a part of it as a data address, and its width on the page."""

    title: str
    address: str
    width: int


def report_html(study: Study) -> str:
    """The whole report of a study as one file. What is missing is said in its place."""
    found = answered_study(study)
    curves = study_curves(study)
    same = same_table(curves)
    choice = decided(study)
    pairs = _pairs_to_show(study, choice)
    verdicts = list(Verdict.objects.filter(pair__study=study, withdrawn_at=None).select_related("pair"))
    context = {
        "study": study, "setup": setup_in_words(study.setup), "made_at": timezone.now(),
        "sentence": found.sentence, "answer": found.answer, "proof": _proof(study),
        "font": _font(), "conditions": _conditions(study), "sheet": _sheet(found.sheet) if found.sheet else None,
        "pairs": [_pair(each) for each in pairs],
        "curves": [{"place": place, "drawing": mark_safe(curves_svg(curves, place)),
                    "ladders": _ladders(curves, place)} for place in curves.places],
        "curves_sentence": curves_sentence(curves, same), "same": _same(same),
        "many_places": len(curves.places) > 1, "decision_sentence": choice.sentence,
        "uses": [_use(choice, row) for row in choice.uses], "production": choice.production,
        "baseline": choice.baseline.forecast if choice.baseline else None,
        "options": _options(choice), "verdicts": verdicts, "unfair": _less_than_fair(found.pairs, verdicts),
        "recipe": RecipeVersion.objects.filter(study=study, removed_at=None).first(), "methods": _methods(),
    }  # fmt: skip
    return render_to_string("sharing/report.html", context)


def _proof(study: Study) -> dict[str, Any] | None:
    """The pictures that show the answer, in the part that tells most at one exposure; None where there are none."""
    try:
        found = proof_pictures(study)
        if found is None:
            return None
        pictures = [
            (row, _address(shown(row.picture, found.transform, found.exposure, row.box, PICTURE_WIDTH), "image/png"))
            for row in (*found.sides, found.reference) if row is not None
        ]  # fmt: skip
    except (PictureError, OSError):  # let go to free the disk
        return None
    told = "visible error" if found.measure == VISIBLE_ERROR else "visible noise"
    where = [found.place] if found.place else []
    where.append(found.where or ("where they differ most" if found.part else "the whole picture"))
    if found.exposure > 0:
        where.append(f"all {three(found.exposure)} stops brighter than rendered")
    return {
        "words": sentence(", ".join(where)),
        "pictures": [
            {
                "title": row.title, "address": address,
                "figures": ", ".join(filter(None, (
                    "" if row.seconds is None else f"{three(row.seconds)} s",
                    "" if row.value is None else f"{three(row.value)} ΔE {told}",
                ))),
            } for row, address in pictures
        ],
    }  # fmt: skip


def _font() -> str:
    """The interface's own font as a data address; empty before the interface was built."""
    path = next(iter(sorted(Path(settings.WEB_DIST).glob(f"assets/{FONT}"))), None)
    return "" if path is None else _address(path.read_bytes(), "font/woff2")


def _address(contents: bytes, kind: str) -> str:
    return f"data:{kind};base64,{base64.b64encode(contents).decode()}"


def _conditions(study: Study) -> list[tuple[str, str]]:
    runs = Run.objects.filter(study=study, state=RunState.FINISHED, warm_up=False)
    options = study.options.filter(in_plan=True, left_out="", purpose="counted")

    def listed(values: Iterable[str]) -> str:
        return ", ".join(sorted({value for value in values if value})) or "not known"

    machines = {
        f"{row['name']}: {row['processor']}, {row['cores']} cores"
        for row in runs.values_list("machine", flat=True)
        if row
    }
    rows = [
        ("Options", str(options.count())), ("Seeds each", str(study.repeats)),
        ("Renders that count", str(runs.count())),
        ("Engines", listed(options.values_list("engine_title", flat=True))),
        ("Versions", listed(runs.values_list("engine_version", flat=True))), ("Machines", listed(machines)),
        ("Threads a render", str(study.threads)), ("View transform", study.setup.view_transform or "sRGB"),
        ("Warm-up", "not known" if study.from_elsewhere else "thrown away, for every engine, build and scene"),
    ]  # fmt: skip
    if study.passes:
        rows.append(("Passes", ", ".join(study.passes)))
    return rows


def _sheet(sheet: MatchSheet) -> dict[str, Any]:
    words = {"held": "held", "differs": "differs", "unknown": "not known", "under_test": "under test"}
    return {
        "summary": sheet.summary,
        "rows": [
            {
                "title": row.title, "state": row.state, "words": words[row.state], "control": row.control,
                "trial": row.trial, "spoils": "; ".join(f"{what}: {why}" for what, why in row.spoils.items()),
                "remains": row.remains, "note": row.note,
            }
            for row in sheet.conditions
        ],
    }  # fmt: skip


def _pairs_to_show(study: Study, choice: Decided) -> list[PairFigures]:
    """What people judged, what was chosen against its control, what a search matched; for want of these the first."""
    chosen = [f.option.pk for row in choice.uses if row.chosen for f in row.chosen.options.values()]
    rows = with_all(Pair.objects.filter(study=study, trial__in_plan=True, trial__left_out="").order_by("pk"))
    judged = Q(verdicts__withdrawn_at=None, verdicts__isnull=False) | Q(pins__removed_at=None, pins__isnull=False)
    groups = (
        rows.filter(judged).distinct(), rows.filter(trial__in=chosen), rows.exclude(matched_on=""), rows,
    )  # fmt: skip
    there: dict[int, PairFigures] = {}
    drawn = zones_by_view()
    for most, group in zip((MOST_JUDGED, MOST_CHOSEN, MOST_MATCHED, MOST_PAIRS), groups, strict=True):
        wanted = most if group is not rows else max(MOST_PAIRS - len(there), 0)
        found = (pair_figures(pair, drawn) for pair in group.exclude(pk__in=there)[: 4 * wanted])
        ready = (each for each in found if each.control.runs and each.trial.runs)
        there |= {each.pair.pk: each for each in islice(ready, wanted)}
    return list(there.values())


def _pair(found: PairFigures) -> dict[str, Any]:
    setup = found.pair.control.setup
    sides = [(side, next((run for run in side.runs if run.picture), None)) for side in (found.control, found.trial)]
    pictures = [
        _shown(title, run, setup.view_transform, None, PICTURE_WIDTH)
        for title, (_, run) in zip(("Control", "Trial"), sides, strict=True)
    ]
    zones = []
    for row in found.zones[:MOST_ZONES]:
        crops = [
            _shown(title, run, setup.view_transform, zone_box(side.option, side.zones, row.zone), PICTURE_WIDTH)
            for title, (side, run) in zip(("Control", "Trial"), sides, strict=True)
        ]
        zones.append({"name": row.zone, "crops": crops, "ratio": ratio_words(row.ratio) or row.refused})
    return {
        "subject": found.pair.subject, "sentence": found.sentence, "place": setup_in_words(setup), "zones": zones,
        "pictures": pictures, "summary": found.sheet.summary, "noise": ratio_words(found.noise_ratio),
        "time": ratio_words(found.time_ratio), "refused": found.refused,
        "pins": found.pair.pins.filter(removed_at=None),
    }  # fmt: skip


def _shown(title: str, run: Run | None, transform: str, box: list[int] | None, width: int) -> Shown | None:
    if run is None:
        return None
    try:
        part = (box[0], box[1], box[2], box[3]) if box else None
        contents = shown(run.picture, transform, 0.0, part, width)
    except (PictureError, OSError):
        return None
    return Shown(title, _address(contents, "image/png"), width)


def ratio_words(ratio: Ratio | None) -> str:
    """A ratio with its interval, or that it is no difference; empty without one."""
    if ratio is None:
        return ""
    ends = "no interval" if ratio.interval is None else " to ".join(three(end) for end in ratio.interval)
    return f"{'no difference, ' if ratio.tie else ''}{three(ratio.value)} ({ends})"


def _ladders(curves: StudyCurves, place: str) -> list[dict[str, Any]]:
    return [
        {
            "title": row.title,
            "words": curve_in_words(row.curve, row.knob) if row.curve else [f"No curve: {row.refused}."],
        }
        for row in curves.ladders if row.place == place
    ]  # fmt: skip


def _same(table: list[SameRow]) -> list[dict[str, str]]:
    rows = []
    for row in table:
        for cell in row.cells:
            noise, time = cell.noise, cell.time
            rows.append({
                "title": row.title, "place": cell.place,
                "noise": cell.lacks if noise is None else noise.note if noise.speed_up is None
                else f"{'no difference, ' if noise.tie else ''}{three(noise.speed_up)} ({_ends(noise.interval)})",
                "time": "" if time is None else time.note if time.ratio is None
                else f"{'no difference, ' if time.tie else ''}{three(time.ratio)} ({_ends(time.interval)})",
            })  # fmt: skip
    return rows


def _ends(interval: tuple[float, float] | None) -> str:
    return "no interval" if interval is None else " to ".join(three(end) for end in interval)


def _options(choice: Decided) -> dict[str, Any]:
    kinds = [kind for kind in LIMITS if any(kind.name in row.candidate.figures for row in choice.options)]
    return {
        "kinds": kinds,
        "rows": [{"name": row.name, "control": row.control, "cells": [_cell(row, k.name) for k in kinds]}
                 for row in choice.options],
    }  # fmt: skip


def _cell(row: OfStudy, name: str) -> dict[str, str]:
    """A figure, its interval, and where it is so."""
    figure = row.candidate.figures.get(name)
    if figure is None:
        return {"value": "not known", "ends": "", "where": ""}
    plain = name != "stops"
    value = three(figure.value) if plain else f"{figure.value:+.3f}".replace("-", "−")
    ends = "" if figure.interval is None or not plain else _ends(figure.interval)
    return {"value": value, "ends": ends, "where": row.candidate.where.get(name, "")}


def _use(choice: Decided, row: DecidedUse) -> dict[str, Any]:
    kinds = {kind.name: kind for kind in LIMITS}
    out = [
        {
            "name": option.name,
            "why": ", ".join(
                kinds[each.limit].title.lower()
                for each in row.decision.standings[option.key].checked if each.state == BREAKS
            ),
        }
        for option in choice.options if row.decision.standings[option.key].out
    ]  # fmt: skip
    return {
        "title": row.use.title, "words": row.answer.sentence, "chosen": row.chosen.name if row.chosen else "",
        "by_hand": row.by_hand, "reasons": row.use.reasons, "firm": row.decision.firm,
        "limits": [
            f"{kinds[name].title}: {'at most' if kinds[name].most else 'at least'} {bound:g} {kinds[name].unit}".strip()
            for name, bound in row.use.limits.items()
        ],
        "out": [each for each in out if each["why"]], "cost": row.cost,
        "failures": [(each, failing(each)) for each in row.failures],
        "settings": sorted(row.chosen.first.settings.items()) if row.chosen else [],
        "engine": row.chosen.first.engine_title if row.chosen else "",
    }  # fmt: skip


def _less_than_fair(pairs: Iterable[PairFigures], verdicts: Iterable[Verdict]) -> list[str]:
    """What people said makes it less than fair, and what the match sheets found."""
    said = [f"{verdict.less_than_fair} ({verdict.author})" for verdict in verdicts if verdict.less_than_fair]
    sheets = [f"{row.pair.subject}: {row.sheet.summary}" for row in pairs if not row.sheet.fair]
    refused = [
        f"{row.pair.subject}: no {name.replace('_', ' ')}, {why}" for row in pairs for name, why in row.refused.items()
    ]
    return list(dict.fromkeys([*said, *sheets, *refused]))


def _methods() -> list[tuple[str, str]]:
    rows = [(kind.title, str(kind.version)) for kind in KINDS]
    return [*rows, ("Comparison of pairs", Comparison.VERSION), ("Time ratio", str(COST_VERSION)),
            ("Curves", str(CURVE_VERSION))]  # fmt: skip
