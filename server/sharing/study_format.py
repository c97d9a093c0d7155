"""The study bundle: which fields of which rows it holds, and the JSON schema that a bundle must keep to be read.

A zip of ``study.json``, ``runs.csv``, ``figures.csv``, ``scenes/REVISION.json``, ``textures/HASH.texture`` and
``pictures/HASH.exr``. Rows point to each other by their place in their list.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import models

from server.catalogue.models import SceneRevision, Zone
from server.decisions.models import Production, RecipeVersion, StudyUse
from server.measuring.models import Comparison, Measure
from server.references.models import Reference
from server.runs.models import Run
from server.searches.models import Matching, Search
from server.sharing.pair_export import (
    BLIND_FIELDS,
    COMPARISON_FIELDS,
    JSON_ONLY,
    MEASURE_FIELDS,
    OPTION_FIELDS,
    PIN_FIELDS,
    ROUND_FIELDS,
    RUN_COLUMNS,
    SETUP_FIELDS,
    STUDY_FIELDS,
    VERDICT_FIELDS,
)
from server.studies.models import Option, Pair, Setup, Study
from server.verdicts.models import BlindRound, BlindTest, Pin, Verdict

FORMAT = 1
KIND = "study"
DOCUMENT, RUNS, FIGURES = "study.json", "runs.csv", "figures.csv"
SCENES, PICTURES, TEXTURES = "scenes", "pictures", "textures"

RUN_FIELDS = tuple(name for name in (*RUN_COLUMNS, *JSON_ONLY) if name != "side")
OPTION_MORE = ("side", "number", "key", "purpose", "in_plan", "small", "left_out")
PAIR_FIELDS = ("under_test", "subject", "matched_on", "matched_zone")
ZONE_FIELDS = ("view", "name", "kind", "shape", "points")
REFERENCE_FIELDS = ("kind", "title", "picture", "twin", "encoding", "details", "matched_picture", "match")
USE_FIELDS = ("name", "title", "position", "limits", "weight", "reasons")
PRODUCTION_FIELDS = (
    "frames", "shots", "machines", "hours_a_day", "cost_per_machine_hour", "currency", "ready_per", "width", "height",
)  # fmt: skip
RECIPE_FIELDS = ("name", "version", "author", "note", "document")
MATCHING_FIELDS = ("on", "zone", "knob", "state", "words")
SEARCH_FIELDS = (
    "way", "frames", "more_levels", "scale", "zone", "most_stops", "most_colour", "most_percent", "most_detail",
    "most_seconds", "most_renders", "state", "unused", "found", "words",
)  # fmt: skip
SCENE_FIELDS = ("name", "title", "revision", "views", "textures", "reduced")

Schema = dict[str, Any]
TEXT: Schema = {"type": "string", "maxLength": 1_000_000}
HASH: Schema = {"type": "string", "pattern": "^([0-9a-f]{64})?$"}
NUMBER: Schema = {"type": "number"}
MAYBE: Schema = {"type": ["number", "null"]}
PLACE: Schema = {"type": "integer", "minimum": 0}
DATE: Schema = {"type": "string", "maxLength": 40}
SCALAR: Schema = {"type": ["number", "string", "boolean", "null"]}


def _list(items: Schema) -> Schema:
    return {"type": "array", "items": items}


def _map(values: Schema) -> Schema:
    return {"type": "object", "additionalProperties": values}


def _object(properties: dict[str, Schema], *, more: bool = False) -> Schema:
    return {
        "type": "object", "properties": properties, "required": sorted(properties), "additionalProperties": more,
    }  # fmt: skip


def _or_null(schema: Schema) -> Schema:
    return {"anyOf": [schema, {"type": "null"}]}


INTERVAL = _or_null({"type": "array", "items": NUMBER, "minItems": 2, "maxItems": 2})
SETTINGS = _map({"type": ["number", "string", "boolean"]})
BOX: Schema = {"type": "array", "items": {"type": "integer"}, "minItems": 4, "maxItems": 4}
LEVEL = _object(
    {
        "subject": TEXT,
        "title": TEXT,
        "value": SCALAR,
        "shown": TEXT,
        "changed": {"type": "boolean"},
        "names": _list(TEXT),
    }
)
CELL = _object({"row": PLACE, "column": PLACE, "box": BOX, "z": NUMBER, "percent": NUMBER,
                "smallest_seen_percent": NUMBER})  # fmt: skip
LOOK = _object({
    "stops": NUMBER, "interval": INTERVAL, "delta_e": NUMBER, "delta_e_after_gain": NUMBER, "darkest_stops": MAYBE,
    "brightest_stops": MAYBE, "clamped_at": MAYBE, "light_lost_percent": NUMBER,
}, more=True)  # fmt: skip
DIFFERENCE = _object({
    "found": {"type": "boolean"}, "overall_z": NUMBER, "smallest_seen_percent": NUMBER, "zones": _list(CELL),
    "method": TEXT,
}, more=True)  # fmt: skip
VISIBLE = _object({
    "mean": NUMBER, "p95": NUMBER, "above_1_percent": NUMBER, "above_3_percent": NUMBER, "pixels_per_degree": NUMBER,
    "own_noise_mean": MAYBE,
}, more=True)  # fmt: skip
DETAILS: Schema = {
    "type": "object",
    "properties": {"top_share": NUMBER, "found": {"type": ["boolean", "null"]}},
}
MACHINE = _or_null(_object({"name": TEXT, "processor": TEXT, "cores": NUMBER, "memory_bytes": NUMBER, "system": TEXT},
                           more=True))  # fmt: skip
FRAME: Schema = {"type": "integer", "minimum": -(10**9), "maximum": 10**9}
BY_FRAME: Schema = _map(SETTINGS) | {"propertyNames": {"pattern": "^-?[0-9]{1,9}$"}}
LADDER = _object({"setting": TEXT, "levels": _list(SCALAR) | {"minItems": 1}})
CHANGE = _object({"found": {"type": "boolean"}, "amount": NUMBER, "words": TEXT})
CHANGE["properties"]["seen"] = NUMBER  # older searches do not say how small a change they would have seen
HELD = _object({
    "frame": FRAME, "lower": SETTINGS, "upper": SETTINGS, "pair": _or_null(PLACE),
    "options": _list(PLACE) | {"minItems": 1},
    "change": _or_null(CHANGE),
})  # fmt: skip
HELD["properties"]["seeds"] = PLACE  # asked for beyond the study's repeats
STEP = _object({
    "frame": FRAME, "pass": PLACE, "setting": TEXT, "level": SCALAR, "words": TEXT, "change": TEXT, "amount": MAYBE,
    "outcome": {"enum": ["raised", "enough", "unused", "kept", "top"]},
})  # fmt: skip
CONFIRMED = _object({
    "frame": FRAME, "present": PLACE, "found": PLACE, "constant": _or_null(PLACE), "pair": _or_null(PLACE),
})  # fmt: skip
CONFIRMED["properties"] |= {"change": CHANGE, "compared_at": TEXT}  # older searches told it in words alone
CHECK = _object({"code": TEXT, "severity": TEXT, "message": TEXT}, more=True)
SHAPES: dict[tuple[type[models.Model], str], Schema] = {
    (Setup, "crop"): _or_null(BOX), (Setup, "quantities"): _map(NUMBER),
    (Option, "levels"): _list(LEVEL), (Option, "settings"): SETTINGS,
    (Option, "brightness"): _or_null(_object({"factor": NUMBER, "evidence": TEXT}, more=True)),
    (Study, "until_sure"): _or_null(_object({"on": TEXT, "width": NUMBER, "cap": NUMBER})),
    (Study, "passes"): _list(TEXT), (Study, "draft"): {"type": "object"},
    (Run, "machine"): MACHINE, (Run, "command"): _list(TEXT), (Run, "checks"): _list(CHECK),
    (Run, "passes"): _map(HASH), (Run, "picture"): HASH,
    (Measure, "details"): DETAILS, (Measure, "inputs"): _list(TEXT),
    (Comparison, "difference"): _or_null(DIFFERENCE), (Comparison, "look"): _or_null(LOOK),
    (Comparison, "visible"): _or_null(VISIBLE), (Comparison, "refused"): _map(TEXT),
    (Comparison, "inputs"): _list(TEXT), (Pair, "under_test"): _list(TEXT),
    (Verdict, "marks"): _map({"enum": ["control", "alike", "trial"]}), (Verdict, "inputs"): _list(TEXT),
    (Zone, "points"): _list({"type": "array", "items": NUMBER, "minItems": 2, "maxItems": 2}),
    (Reference, "details"): {"type": "object"}, (Reference, "match"): _or_null({"type": "object"}),
    (Reference, "picture"): HASH, (Reference, "twin"): HASH, (Reference, "matched_picture"): HASH,
    (Search, "frames"): _list(FRAME), (Search, "unused"): _list(TEXT), (Search, "found"): BY_FRAME,
    (StudyUse, "limits"): _map(NUMBER), (RecipeVersion, "document"): {"type": "object"},
    (SceneRevision, "views"): _list({"type": "object"}), (SceneRevision, "revision"): HASH,
    (SceneRevision, "textures"): _map(HASH), (SceneRevision, "reduced"): _map(_map(HASH)),
    (BlindRound, "left_picture"): HASH, (BlindRound, "right_picture"): HASH,
}  # fmt: skip


def row_schema(model: type[models.Model], fields: tuple[str, ...], **more: Schema) -> Schema:
    """A row of these fields, each as its column takes it, and more."""
    return _object({name: field_schema(model, name) for name in fields} | more)


def field_schema(model: type[models.Model], name: str) -> Schema:
    """What a column takes: its own shape for JSON, else by the kind of its field."""
    if (model, name) in SHAPES:
        return SHAPES[(model, name)]
    field = model._meta.get_field(name)
    made: Schema
    if isinstance(field, models.BooleanField):
        made = {"type": "boolean"}
    elif isinstance(field, models.IntegerField):
        least = 0 if "Positive" in type(field).__name__ else -(2**62)
        made = {"type": "integer", "minimum": least, "maximum": 2**62}
    elif isinstance(field, models.FloatField):
        made = dict(NUMBER)
    elif isinstance(field, models.DateTimeField):
        made = dict(DATE)
    else:
        made = {"type": "string", "maxLength": getattr(field, "max_length", None) or 20_000_000}
        choices = getattr(field, "choices", None)
        if choices:
            made["enum"] = [value for value, _ in choices] + ([""] if getattr(field, "blank", False) else [])
    return _or_null(made) if getattr(field, "null", False) else made


CREATED: Schema = {"created_at": DATE}
BLIND = row_schema(
    BlindTest, BLIND_FIELDS, created_at=DATE, ended_at=DATE, rounds=_list(row_schema(BlindRound, ROUND_FIELDS))
)
SCHEMA = _object({
    "format": {"const": FORMAT}, "kind": {"const": KIND}, "made_at": DATE, "sentence": TEXT,
    "facts": _or_null({"type": "object"}),
    "study": row_schema(Study, (*STUDY_FIELDS, "draft"), created_at=DATE, setup=PLACE),
    "scenes": _list(row_schema(SceneRevision, SCENE_FIELDS)),
    "not_carried": _list(_object({"scene": TEXT, "files": _list(TEXT)})),
    "setups": _list(row_schema(Setup, SETUP_FIELDS, scene=PLACE)),
    "options": _list(row_schema(
        Option, (*OPTION_FIELDS, *OPTION_MORE), setup=PLACE, control=_or_null(PLACE), comes_with=_or_null(PLACE),
        measures=_list(row_schema(Measure, MEASURE_FIELDS)),
    )),
    "runs": _list(row_schema(Run, RUN_FIELDS, option=PLACE, made_by=_or_null(PLACE))),
    "pairs": _list(row_schema(
        Pair, PAIR_FIELDS, control=PLACE, trial=PLACE, comparisons=_list(row_schema(Comparison, COMPARISON_FIELDS)),
        verdicts=_list(row_schema(Verdict, VERDICT_FIELDS, created_at=DATE)),
        pins=_list(row_schema(Pin, PIN_FIELDS, created_at=DATE)), blind_tests=_list(BLIND),
    )),
    "zones": _list(row_schema(Zone, ZONE_FIELDS, scene=TEXT)),
    "references": _list(row_schema(Reference, REFERENCE_FIELDS, setup=PLACE, created_at=DATE)),
    "uses": _list(row_schema(StudyUse, USE_FIELDS, by_hand=_or_null(PLACE), removed={"type": "boolean"})),
    "production": _or_null(row_schema(Production, PRODUCTION_FIELDS)),
    "recipes": _list(row_schema(RecipeVersion, RECIPE_FIELDS, created_at=DATE)),
    "matchings": _list(row_schema(
        Matching, MATCHING_FIELDS, control=PLACE, trial=PLACE, pair=_or_null(PLACE), created_at=DATE,
        tried=_list(_object({
            "quality": NUMBER, "option": PLACE, "before": {"type": "boolean"}, "refining": {"type": "boolean"},
        })),
    )),
    "searches": _list(row_schema(
        Search, SEARCH_FIELDS, base=PLACE, pair=_or_null(PLACE), created_at=DATE, ended_at=_or_null(DATE),
        ladders=_list(LADDER), compared=_list(HELD), trace=_list(STEP), confirmed=_list(CONFIRMED),
    )),
})  # fmt: skip


def with_rows(search: dict[str, Any], option: Callable[[Any], Any], pair: Callable[[Any], Any]) -> dict[str, Any]:
    """What a search compared and confirmed, its options and pairs named otherwise: by place in a bundle, or number."""
    return {
        "compared": [
            each | {"pair": pair(each["pair"]), "options": [option(one) for one in each["options"]]}
            for each in search["compared"]
        ],
        "confirmed": [
            each
            | {name: option(each[name]) for name in ("present", "found", "constant")} | {"pair": pair(each["pair"])}
            for each in search["confirmed"]
        ],
    }  # fmt: skip


def picture_name(digest: str) -> str:
    """Where a picture lies in a bundle."""
    return f"{PICTURES}/{digest}.exr"


def scene_name(revision: str) -> str:
    """Where a scene's revision lies in a bundle."""
    return f"{SCENES}/{revision}.json"


def texture_name(digest: str) -> str:
    """Where a scene's texture lies in a bundle."""
    return f"{TEXTURES}/{digest}.texture"


def textures_named(document: dict[str, Any]) -> list[str]:
    """The hashes of all textures that a document's scenes name, reduced copies among them."""
    tables = [table for row in document["scenes"] for table in (row["textures"], *row["reduced"].values())]
    return list(dict.fromkeys(digest for table in tables for digest in table.values() if digest))
