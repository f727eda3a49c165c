"""Answers that are files."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from fastapi.responses import Response


def download(name: str, data: bytes | str, media: str) -> Response:
    """A file under a name, which may have any letters."""
    return Response(
        data, media_type=media, headers={"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    )


def gives(*media: str) -> dict[str, Any]:
    """What a route says of itself that answers with a file of one of these media types."""
    content: dict[str, Any] = {each: {} for each in media}
    return {"response_class": Response, "responses": {200: {"description": "The file", "content": content}}}
