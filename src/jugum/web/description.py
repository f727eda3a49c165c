"""What the API says of itself: FastAPI's OpenAPI document, with how to sign in and the errors there are."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

PROBLEM = {
    "type": "object",
    "required": ["error"],
    "properties": {"error": {"type": "string", "description": "what is wrong and what to do, in words"}},
    "title": "Problem",
}
ALWAYS = {
    401: "Nobody is signed in, or the key is unknown, revoked or over",
    403: "The role or the key does not allow it",
    404: "There is no such thing, or it is in a workspace that is closed to the caller",
    409: "Its state does not allow it, or somebody changed it meanwhile",
    422: "What was given can't be used",
    503: "The database or another part does not answer; nothing was changed",
}
OF_CHANGES = {
    400: "The body can't be read",
    413: "The body is too large",
    507: "The disk has no room; nothing was kept",
}


def described(app: FastAPI) -> dict[str, Any]:
    """The OpenAPI document, made once."""
    if app.openapi_schema is None:
        schema = get_openapi(
            title=app.title, version=app.version, description=app.description, routes=app.routes, tags=app.openapi_tags
        )
        components = schema.setdefault("components", {})
        schemas = components.setdefault("schemas", {})
        for unused in ("HTTPValidationError", "ValidationError"):  # errors of validation are told in words, too
            schemas.pop(unused, None)
        schemas["Problem"] = PROBLEM
        components["securitySchemes"] = {"key": {"type": "http", "scheme": "bearer"}}
        schema["security"] = [{"key": []}]
        for methods in schema["paths"].values():
            for method, operation in methods.items():
                for code, words in (ALWAYS if method == "get" else {**ALWAYS, **OF_CHANGES}).items():
                    operation["responses"][str(code)] = {
                        "description": words,
                        "content": {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
                    }
        app.openapi_schema = schema
    return app.openapi_schema
