"""One router a step, named like it; beside them the overview and the office."""

from fastapi import FastAPI

from jugum.web.pages import deliver, gather, label, office, overview, plan, review, train, weigh


def include_in(app: FastAPI) -> None:
    for module in (overview, gather, plan, label, train, weigh, review, deliver, office):
        app.include_router(module.router, include_in_schema=False)
