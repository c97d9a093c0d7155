"""What every operation of the schema has in common: how it says that something went wrong (RFC 9457)."""

from __future__ import annotations

from typing import Any

from server.config.problems import CONTENT_TYPE, TITLES

NAME = "Refusal"  # no serializer may be called so
REFUSAL = {
    "type": "object",
    "description": "What happened, why, and which field (RFC 9457).",
    "required": ["type", "title", "status", "detail", "fields"],
    "properties": {
        "type": {"type": "string"},
        "title": {"type": "string"},
        "status": {"type": "integer"},
        "detail": {"type": "string", "description": "One or two sentences that can be shown."},
        "fields": {"type": "object", "additionalProperties": {"type": "array", "items": {"type": "string"}}},
        "now": {"description": "With 409: what it is by now."},
    },
}


KINDS = {
    "4XX": ("Refused", (400, 401, 403, 404, 405, 406, 409, 413, 415)),
    "5XX": ("Failed", (500, 503, 507)),
}


def with_problems(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """drf-spectacular's hook: each operation says how it refuses, and how it fails."""
    result["components"]["schemas"][NAME] = REFUSAL
    content = {CONTENT_TYPE: {"schema": {"$ref": f"#/components/schemas/{NAME}"}}}
    result["components"]["responses"] = {
        name: {"description": "; ".join(f"{status} {TITLES[status]}" for status in statuses), "content": content}
        for name, statuses in KINDS.values()
    }
    for methods in result["paths"].values():
        for operation in methods.values():
            for pattern, (name, _statuses) in KINDS.items():
                operation["responses"][pattern] = {"$ref": f"#/components/responses/{name}"}
    return result
