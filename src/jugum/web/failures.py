"""Errors as answers: our own in their words, what nobody thought of under a reference number that the log has."""

from __future__ import annotations

import secrets

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from psycopg.errors import ForeignKeyViolation
from sqlalchemy.exc import IntegrityError, OperationalError
from starlette.exceptions import HTTPException

from jugum.errors import (
    BodyTooLarge,
    Conflict,
    ExternalError,
    Forbidden,
    JugumError,
    NotFound,
    NotSignedIn,
    StorageFull,
    TooManyAttempts,
)
from jugum.web.rendering import error_page

STATUS = {
    NotFound: 404,
    Forbidden: 403,
    NotSignedIn: 401,
    TooManyAttempts: 429,
    BodyTooLarge: 413,
    Conflict: 409,
    StorageFull: 507,
    ExternalError: 503,
}
log = structlog.get_logger()


def answer_in(app: FastAPI) -> None:
    """Every error of an application's routes becomes an answer."""
    app.add_exception_handler(JugumError, _told)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(HTTPException, _refused)
    app.add_exception_handler(OperationalError, _database_away)
    app.add_exception_handler(IntegrityError, _gone_meanwhile)
    app.add_exception_handler(Exception, _unknown)


def status_of(error: Exception) -> int:
    """The HTTP status of one of our own errors."""
    return next((code for kind, code in STATUS.items() if isinstance(error, kind)), 422)


def unexpected(error: Exception, path: str) -> str:
    """Log an error that nobody thought of; returns words for who met it, with the reference it is logged under."""
    reference = secrets.token_hex(4)
    log.error("unexpected error", reference=reference, path=path, exc_info=error)
    return f"Something went wrong on our side. It is logged under reference {reference}."


def _is_api(request: Request) -> bool:
    return request.url.path.startswith("/api/") or "application/json" in request.headers.get("accept", "")


def _answer(request: Request, status: int, message: str) -> Response:
    if _is_api(request):
        return JSONResponse({"error": message}, status)
    return error_page(request, status, message)


async def _told(request: Request, error: Exception) -> Response:
    """Our own errors: their text is meant for the person."""
    status = status_of(error)
    if status == 401 and not _is_api(request):
        return RedirectResponse(f"/sign-in?next={request.url.path}", 303)
    return _answer(request, status, str(error))


async def _refused(request: Request, error: Exception) -> Response:
    """What the web library refuses by itself: no such address, no such method, a body that is none."""
    assert isinstance(error, HTTPException)
    words = {404: "There is nothing at this address.", 405: "This address does not take such a request."}
    answer = _answer(request, error.status_code, words.get(error.status_code, str(error.detail)))
    answer.headers.update(error.headers or {})
    return answer


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    said = "; ".join(f"{'.'.join(str(part) for part in e['loc'][1:])}: {e['msg']}" for e in error.errors())
    return _answer(request, 422, f"The request can't be used: {said}")


async def _database_away(request: Request, error: Exception) -> Response:
    log.error("the database does not answer", error=str(error))
    return _answer(request, 503, "The database does not answer. Nothing was changed; try again in a moment.")


async def _gone_meanwhile(request: Request, error: Exception) -> Response:
    """Somebody removed what a change is about (a field, a paper) in the same moment."""
    assert isinstance(error, IntegrityError)
    if not isinstance(error.orig, ForeignKeyViolation):
        return await _unknown(request, error)
    log.warning("a change of what was removed meanwhile", path=request.url.path)
    return _answer(request, 409, "Somebody else removed this in the same moment. Load the page again.")


async def _unknown(request: Request, error: Exception) -> Response:
    return _answer(request, 500, unexpected(error, request.url.path))
