"""The connection to PostgreSQL, and what every flow function is handed: database, files, parsers of foreign bytes,
settings."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from sqlalchemy import create_engine
from sqlalchemy.exc import DataError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from jugum.errors import ExternalError, InputError
from jugum.parsing.parsers import ParsingLimits, shared_parsers
from jugum.settings import Settings
from jugum.store.files import FileStore


def driver_url(url: str) -> str:
    """A PostgreSQL URL with our driver named: `postgresql://…` → `postgresql+psycopg://…`."""
    head, separator, rest = url.partition("://")
    return f"postgresql+psycopg{separator}{rest}" if head in ("postgresql", "postgres") else url


def plain_url(url: str) -> str:
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


def _unkeepable(error: DataError) -> str:
    """Words for what PostgreSQL can't take as a value, without the value."""
    if isinstance(error.orig, psycopg.errors.NumericValueOutOfRange):
        return "A number is out of range: nothing has such an id."
    if isinstance(error.orig, psycopg.errors.StringDataRightTruncation):
        return "A text is too long to be kept. Shorten it."
    if "NUL" in str(error.orig):
        return "A text has a NUL character in it, which can't be kept. Leave it out."
    return "Something given can't be kept as it is: a text or number that the database does not take."


class Store:
    """One per process. `session()` is a transaction: committed at its end, rolled back on an error."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.engine = create_engine(
            driver_url(settings.database_url),
            pool_pre_ping=True,
            pool_size=10,
            max_overflow=20,
            pool_recycle=1800,
            hide_parameters=True,  # an error's text goes to the log: what people typed does not
        )
        self.files = FileStore(settings.files_url)
        self.parsers = shared_parsers(ParsingLimits(settings.parser_mb_max, settings.parser_seconds))
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            raise ExternalError("The database does not answer. Nothing was changed; try again in a moment.") from error
        except DataError as error:
            raise InputError(_unkeepable(error)) from error

    def close(self) -> None:
        self.engine.dispose()
