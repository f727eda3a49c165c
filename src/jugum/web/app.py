"""The web application."""

from __future__ import annotations

import importlib
import secrets
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import OperationalError
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.sessions import SessionMiddleware

from jugum import __version__
from jugum.errors import Conflict as ConflictError
from jugum.errors import ExternalError, Forbidden, JugumError, NotFound, NotSignedIn
from jugum.flow.gather.explore import Explorer
from jugum.flow.gather.place import LoadedClassifiers
from jugum.flow.in_force import LoadedVersions
from jugum.settings import Settings
from jugum.store import Store
from jugum.web import api, pages
from jugum.web.rendering import error_page

STATIC = Path(__file__).parent / "static"
STATUS = {NotFound: 404, Forbidden: 403, NotSignedIn: 401, ConflictError: 409, ExternalError: 503}
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; script-src 'self'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
log = structlog.get_logger()


def create_app(settings: Settings) -> FastAPI:
    """Build the application on its own Store."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        # Suggestions on the labelling desk need it; loaded now, the first person to open one does not wait for it.
        threading.Thread(target=importlib.import_module, args=("lightgbm",), daemon=True).start()
        yield
        app.state.store.close()

    app = FastAPI(
        title="Jugum",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        description="Everything the pages do, for client programs. Send an API key as `Authorization: Bearer …`.",
    )
    app.state.store = Store(settings)
    app.state.settings = settings
    app.state.versions = LoadedVersions()
    app.state.classifiers = LoadedClassifiers()
    app.state.explorer = Explorer()
    app.add_middleware(
        SessionMiddleware,
        secret_key=settings.signing_key,
        session_cookie="jugum",
        same_site="lax",
        max_age=settings.session_hours * 3600,
    )
    app.add_middleware(GZipMiddleware, minimum_size=2000)
    app.middleware("http")(_headers)
    app.add_exception_handler(JugumError, _told)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(OperationalError, _database_away)
    app.add_exception_handler(Exception, _unknown)
    app.mount("/static", StaticFiles(directory=STATIC), name="static")
    pages.include_in(app)
    api.include_in(app)
    return app


async def _headers(request: Request, call_next):  # type: ignore[no-untyped-def]
    response: Response = await call_next(request)
    response.headers.setdefault("Content-Security-Policy", POLICY)
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if request.url.path.startswith("/static/"):
        response.headers["Cache-Control"] = (
            "max-age=31536000, immutable" if request.query_params.get("v") else "no-cache"
        )
    else:
        response.headers.setdefault("Cache-Control", "no-store")
    return response


def _is_api(request: Request) -> bool:
    return request.url.path.startswith("/api/") or "application/json" in request.headers.get("accept", "")


def _answer(request: Request, status: int, message: str) -> Response:
    if _is_api(request):
        return JSONResponse({"error": message}, status)
    return error_page(request, status, message)


async def _told(request: Request, error: Exception) -> Response:
    """Our own errors: their text is meant for the person."""
    status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 422)
    if status == 401 and not _is_api(request):
        return RedirectResponse(f"/sign-in?next={request.url.path}", 303)
    return _answer(request, status, str(error))


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    said = "; ".join(f"{'.'.join(str(part) for part in e['loc'][1:])}: {e['msg']}" for e in error.errors())
    return _answer(request, 422, f"The request can't be used: {said}")


async def _database_away(request: Request, error: Exception) -> Response:
    log.error("the database does not answer", error=str(error))
    return _answer(request, 503, "The database does not answer. Nothing was changed; try again in a moment.")


async def _unknown(request: Request, error: Exception) -> Response:
    reference = secrets.token_hex(4)
    log.error("unexpected error", reference=reference, path=request.url.path, exc_info=error)
    return _answer(request, 500, f"Something went wrong on our side. It is logged under reference {reference}.")
