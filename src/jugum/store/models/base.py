"""What all tables share: names of constraints, types of columns, values that are allowed."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    DateTime,
    ForeignKey,
    MetaData,
    func,
)
from sqlalchemy import Enum as SqlEnum
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from jugum.core.states import (
    BatchState,
    DeliveryState,
    DocumentState,
    Method,
    Origin,
    PlacedBy,
    Purpose,
    RecordState,
    SetName,
    SortingSubject,
    VersionState,
    states_of,
)

MEMBER_ROLES = ("analyst", "reviewer")  # of a workspace
ROLES = (*MEMBER_ROLES, "administrator")
ENGINES = ("careful", "quick", "both")
SOURCE_KINDS = ("folder", "mail", "imap")
FIELD_KINDS = ("value", "table", "clause", "derived")
DATA_TYPES = (
    "text",
    "name",
    "date",
    "money",
    "number",
    "percent",
    "number in words",
    "identifier",
    "phone",
    "e-mail",
    "address",
    "country",
    "choice",
    "tick box",
    "signature",
    "machine-readable zone",
)
SETS = tuple(SetName)


def one_of(column: str, values: Iterable[str]) -> str:
    return f"{column} IN ({', '.join(repr(str(value)) for value in values)})"


def kept_as(kind: type[StrEnum], length: int) -> SqlEnum:
    """An enum as its values in a column of text; which values are allowed is said by a constraint with a name."""
    return SqlEnum(
        kind,
        native_enum=False,
        create_constraint=False,
        length=length,
        values_callable=lambda its: [state.value for state in its],
    )


def states_by_purpose() -> str:
    """Each purpose with the states that its documents can come to, from the table of transitions."""
    return " OR ".join(f"(purpose = '{purpose}' AND {one_of('state', states_of(purpose))})" for purpose in Purpose)


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "pk": "pk_%(table_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
        }
    )
    type_annotation_map = {
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        Purpose: kept_as(Purpose, 10),
        DocumentState: kept_as(DocumentState, 20),
        VersionState: kept_as(VersionState, 10),
        SortingSubject: kept_as(SortingSubject, 10),
        BatchState: kept_as(BatchState, 10),
        DeliveryState: kept_as(DeliveryState, 10),
        RecordState: kept_as(RecordState, 10),
        Origin: kept_as(Origin, 10),
        Method: kept_as(Method, 10),
        PlacedBy: kept_as(PlacedBy, 10),
        SetName: kept_as(SetName, 10),
    }


def now() -> Mapped[datetime]:
    return mapped_column(server_default=func.now())


def to(table: str, *, nullable: bool = False, ondelete: str | None = None) -> Any:
    return mapped_column(ForeignKey(f"{table}.id", ondelete=ondelete), nullable=nullable, index=True)
