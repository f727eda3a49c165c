"""The connection to PostgreSQL, and what every flow function is handed: database, files, parsers of foreign bytes,
settings."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import psycopg
from sqlalchemy import create_engine, event, text
from sqlalchemy.exc import DataError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from jugum.errors import ExternalError, InputError
from jugum.parsing.parsers import ParsingLimits, shared_parsers
from jugum.settings import Settings
from jugum.store.files import FileStore
from jugum.store.scope import EVERYTHING, Scope, current
from jugum.store.walls import PROGRAM


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


_SEE = text(
    "SELECT set_config('jugum.workspaces', :workspaces, true), set_config('jugum.limited', :limited, true), "
    "set_config('jugum.types', :types, true)"
)


class Store:
    """One per process. `session()` is a transaction: committed at its end, rolled back on an error. It sees what
    `scope.enter` said, or else `sees`."""

    def __init__(self, settings: Settings, sees: Scope = EVERYTHING) -> None:
        self.settings = settings
        self._sees = sees
        self.engine = create_engine(
            driver_url(settings.database_url),
            pool_pre_ping=True,
            pool_size=10,
            max_overflow=20,
            pool_recycle=1800,
            hide_parameters=True,  # an error's text goes to the log: what people typed does not
        )
        event.listen(self.engine, "connect", self._begin_connection)
        self.files = FileStore(settings.files_url)
        self.parsers = shared_parsers(ParsingLimits(settings.parser_mb_max, settings.parser_seconds))
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    def _begin_connection(self, connection: psycopg.Connection[Any], record: object) -> None:
        """Work as the program's role, for whom the walls hold, and see by default what this store sees."""
        for name, value in self._sees.settings.items():
            connection.execute("SELECT set_config(%s, %s, false)", [f"jugum.{name}", value])
        its = "FROM pg_roles WHERE rolname = %s AND pg_has_role(oid, 'MEMBER')"
        connection.execute(f"SELECT set_config('role', rolname, false) {its}", [PROGRAM])
        connection.commit()

    @contextmanager
    def session(self) -> Iterator[Session]:
        try:
            with self._sessions.begin() as session:
                scope = current() or self._sees
                if scope != self._sees:
                    session.execute(_SEE, scope.settings)
                yield session
        except OperationalError as error:
            raise ExternalError("The database does not answer. Nothing was changed; try again in a moment.") from error
        except DataError as error:
            raise InputError(_unkeepable(error)) from error

    def close(self) -> None:
        self.engine.dispose()
