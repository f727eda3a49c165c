"""The web application."""

from __future__ import annotations

import importlib
import multiprocessing
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from fastapi import FastAPI
from starlette.datastructures import MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.sessions import SessionMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from jugum import __version__, logs
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions
from jugum.processes import end_with_parent
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.scope import NOTHING
from jugum.web import api, failures, pages, threads
from jugum.web.assets import AssetsFirst

LIGHTGBM_AFTER = 3.0  # seconds
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self'; script-src 'self'; object-src 'none'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
OF_ALL = {"X-Content-Type-Options": "nosniff", "Referrer-Policy": "same-origin"}


def create_app(settings: Settings) -> FastAPI:
    """Build the application on its own Store."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        threads.begin()
        # Suggestions on the labelling desk need it; loaded soon, the first person to open one does not wait for it. Not
        # at once: pages come first.
        later = threading.Timer(LIGHTGBM_AFTER, importlib.import_module, args=("lightgbm",))
        later.daemon = True
        later.start()
        threading.Thread(target=app.state.store.parsers.warm, daemon=True).start()  # for the first page's picture
        yield
        later.cancel()
        app.state.store.close()

    app = FastAPI(
        title="Jugum",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        description="Everything the pages do, for client programs. Send an API key as `Authorization: Bearer KEY`.",
    )
    app.state.store = Store(settings, sees=NOTHING)  # until a request has said who asks
    app.state.settings = settings
    app.state.versions = LoadedVersions()
    app.state.classifiers = LoadedClassifiers()
    app.state.explorer = Explorer()
    app.add_middleware(
        SessionMiddleware,
        secret_key=settings.signing_key,
        session_cookie="__Host-jugum" if settings.https else "jugum",
        https_only=settings.https,
        same_site="lax",
        max_age=settings.session_hours * 3600,
    )
    app.add_middleware(GZipMiddleware, minimum_size=2000)
    app.add_middleware(WithHeaders)
    app.add_middleware(AssetsFirst, headers=OF_ALL | {"Content-Security-Policy": POLICY})
    app.add_middleware(
        TrustedHostMiddleware, allowed_hosts=[host.strip() for host in settings.hosts.split(",")], www_redirect=False
    )
    failures.answer_in(app)
    pages.include_in(app)
    api.include_in(app)
    return app


def app_from_settings() -> FastAPI:
    """The application of one web process, which has its settings from the environment."""
    logs.configure()
    settings = Settings()
    if (shares_out := multiprocessing.parent_process()) is not None and shares_out.pid is not None:
        end_with_parent(shares_out.pid)  # else it would go on answering when the one that shares the port out is gone
    return create_app(settings)


class WithHeaders:
    """Every answer says what a browser may do with it."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.update(OF_ALL)
                headers.setdefault("Content-Security-Policy", POLICY)
                headers.setdefault("Cache-Control", "no-store")
            await send(message)

        await self.app(scope, receive, with_headers if scope["type"] == "http" else send)
