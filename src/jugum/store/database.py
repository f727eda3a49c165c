"""The connection to PostgreSQL, and what every flow function is handed: database, files, settings."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import create_engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session, sessionmaker

from jugum.errors import ExternalError
from jugum.settings import Settings
from jugum.store.files import FileStore


def driver_url(url: str) -> str:
    """A PostgreSQL URL with our driver named: `postgresql://…` → `postgresql+psycopg://…`."""
    head, separator, rest = url.partition("://")
    return f"postgresql+psycopg{separator}{rest}" if head in ("postgresql", "postgres") else url


def plain_url(url: str) -> str:
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


class Store:
    """One per process. `session()` is a transaction: committed at its end, rolled back on an error."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.engine = create_engine(
            driver_url(settings.database_url), pool_pre_ping=True, pool_size=10, max_overflow=20, pool_recycle=1800
        )
        self.files = FileStore(settings.files_url)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            raise ExternalError("The database does not answer. Nothing was changed; try again in a moment.") from error

    def close(self) -> None:
        self.engine.dispose()
