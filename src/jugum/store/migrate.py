"""Bringing a database to the current form: Alembic for our tables, procrastinate's own schema for its queue."""

from __future__ import annotations

from pathlib import Path

import procrastinate
from alembic import command
from alembic.config import Config
from sqlalchemy import NullPool, create_engine, text

from jugum.store.database import driver_url, plain_url
from jugum.store.walls import raise_walls

MIGRATIONS = Path(__file__).parent / "migrations"


def config(url: str) -> Config:
    settings = Config()
    settings.set_main_option("script_location", str(MIGRATIONS))
    settings.attributes["url"] = driver_url(url)
    return settings


def migrate(url: str) -> None:
    """Idempotent; only one process does it at a time (an advisory lock, which ends with its connection)."""
    with create_engine(driver_url(url), poolclass=NullPool).connect() as connection:
        connection.execute(text("SELECT pg_advisory_lock(7041)"))
        command.upgrade(config(url), "head")
        if connection.execute(text("SELECT to_regclass('procrastinate_jobs')")).scalar() is None:
            with procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=plain_url(url))).open() as app:
                app.schema_manager.apply_schema()
        raise_walls(connection)
