"""The API's OpenAPI document: what ninja makes of the routers, and the problem every operation may answer with."""

from __future__ import annotations

from typing import Any

from mintseed.server.api.app import api

PROBLEM = {
    "type": "object",
    "title": "Problem",
    "description": "RFC 9457",
    "required": ["status", "code", "title"],
    "properties": {
        "status": {"type": "integer"},
        "code": {"type": "string"},
        "title": {"type": "string"},
        "found": {"type": "string"},
        "expected": {"type": "string"},
        "where": {"type": "string"},
        "next_step": {"type": "string"},
    },
}


def openapi_document() -> dict[str, Any]:
    """Return the document from which the front end's types are made and the API is tested."""
    document: dict[str, Any] = dict(api.get_openapi_schema(path_prefix="/api/"))
    document["components"]["schemas"]["Problem"] = PROBLEM
    said = {
        "description": "Why not, in a sentence",
        "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for path in document["paths"].values():
        for operation in path.values():
            known = {str(status): answer for status, answer in operation["responses"].items()}
            operation["responses"] = {**known, "4XX": said, "503": said}
    return document
