"""One router per step, named like it."""

from fastapi import FastAPI

from jugum.web.pages import administer, deliver, gather, home, label, plan, review, train, weigh


def include_in(app: FastAPI) -> None:
    for module in (home, gather, plan, label, train, weigh, review, deliver, administer):
        app.include_router(module.router, include_in_schema=False)
