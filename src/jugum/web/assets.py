"""Styles, scripts, fonts and pictures: answered from memory, before anything else of the application is asked.

All their addresses hold a hash of all of them, and modules and styles name one another by relative addresses. So a
browser may keep each for ever, and asks for none of them again before the program changes.
"""

from __future__ import annotations

import gzip
import hashlib
import mimetypes
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache, cached_property
from pathlib import Path

from starlette.datastructures import Headers
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

FOLDER = Path(__file__).parent / "static"
PREFIX = "/static/"
FOR_EVER = "max-age=31536000, immutable"
ZIPPED = ("text/", "image/svg")  # fonts are compressed already


@dataclass(frozen=True)
class Asset:
    """A file of the application's own, as it is sent."""

    body: bytes
    kind: str

    @cached_property
    def zipped(self) -> bytes | None:
        """Its bytes compressed; None for what gains nothing by it."""
        return gzip.compress(self.body, mtime=0) if self.kind.startswith(ZIPPED) else None


@cache
def assets() -> Mapping[str, Asset]:
    """All files by their path in the folder, read once by a process."""
    paths = sorted(path for path in FOLDER.rglob("*") if path.is_file())
    kinds = {path: mimetypes.guess_type(path.name)[0] or "application/octet-stream" for path in paths}
    kinds |= {path: "text/javascript" for path in paths if path.suffix == ".js"}
    return {str(path.relative_to(FOLDER)): Asset(path.read_bytes(), kinds[path]) for path in paths}


@cache
def stamp() -> str:
    """A hash of all files, with their names."""
    whole = hashlib.sha256()
    for path, asset in assets().items():
        whole.update(path.encode() + b"\0" + hashlib.sha256(asset.body).digest())
    return whole.hexdigest()[:10]


def address_of(path: str) -> str:
    """The address of a file; KeyError when there is none."""
    if path not in assets():
        raise KeyError(path)
    return f"{PREFIX}{stamp()}/{path}"


class AssetsFirst:
    """Answers what begins with PREFIX, and passes on all else."""

    def __init__(self, app: ASGIApp, headers: Mapping[str, str]) -> None:
        self.app, self.headers = app, headers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith(PREFIX):
            await self.app(scope, receive, send)
            return
        await self._answer(scope["method"], scope["path"].removeprefix(PREFIX), Headers(scope=scope))(
            scope, receive, send
        )

    def _answer(self, method: str, path: str, asked: Headers) -> Response:
        if method not in ("GET", "HEAD"):
            return PlainTextResponse("Files are only read here.", 405, {"Allow": "GET, HEAD", **self.headers})
        its_stamp, _, rest = path.partition("/")
        current = its_stamp == stamp()
        # A page that was opened before the program changed asks by the stamp of then: it gets what there is.
        asset = assets().get(rest) or assets().get(path)
        if asset is None:
            return PlainTextResponse("There is no such file.", 404, dict(self.headers))
        headers = {**self.headers, "Cache-Control": FOR_EVER if current else "no-cache", "Vary": "Accept-Encoding"}
        body = asset.body
        if asset.zipped is not None and "gzip" in asked.get("accept-encoding", ""):
            body, headers["Content-Encoding"] = asset.zipped, "gzip"
        headers["Content-Length"] = str(len(body))
        return Response(b"" if method == "HEAD" else body, headers=headers, media_type=asset.kind)
