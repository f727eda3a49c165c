"""Document types, their fields, versions of their plans, lists."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    String,
    UniqueConstraint,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from jugum.store.models.base import (
    DATA_TYPES,
    FIELD_KINDS,
    Base,
    now,
    one_of,
    to,
)
from jugum.store.models.office import Workspace


class DocumentType(Base):
    __tablename__ = "document_type"
    __table_args__ = (UniqueConstraint("workspace_id", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    key: Mapped[str] = mapped_column(String(80))
    name: Mapped[str] = mapped_column(String(80))
    plan_number: Mapped[int] = mapped_column(default=0)
    checks: Mapped[list[Any]] = mapped_column(default=list)
    date_order: Mapped[dict[str, Any]] = mapped_column(default=dict)
    labelling: Mapped[dict[str, Any]] = mapped_column(default=dict)
    training: Mapped[dict[str, Any]] = mapped_column(default=dict)
    checking: Mapped[dict[str, Any]] = mapped_column(default=dict)
    review_hours: Mapped[float | None]
    aside_reasons: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[datetime] = now()
    workspace: Mapped[Workspace] = relationship()
    fields: Mapped[list[Field]] = relationship(order_by="Field.position", back_populates="type")

    @property
    def reads_month_first(self) -> bool:
        """How dates in digits are read where neither the plan nor a paper says it: as most of its papers have it."""
        return bool(self.date_order.get("is_month_first"))


class Field(Base):
    """A field of a plan. `spec` is all that is said of it, as in a plan file; the other columns are what queries ask
    for. Columns of a table have the table's key and a dot before their own."""

    __tablename__ = "field"
    __table_args__ = (
        UniqueConstraint("type_id", "key"),
        CheckConstraint(one_of("kind", FIELD_KINDS), name="known_kind"),
        CheckConstraint(one_of("data_type", DATA_TYPES), name="known_data_type"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    key: Mapped[str] = mapped_column(String(190))
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(10), default="value")
    data_type: Mapped[str] = mapped_column(String(24))
    printed_names: Mapped[list[Any]] = mapped_column(default=list)
    required: Mapped[bool] = mapped_column(default=True)
    many: Mapped[bool] = mapped_column(default=False)
    inside: Mapped[str] = mapped_column(String(90), default="")
    personal: Mapped[bool] = mapped_column(default=False)
    spec: Mapped[dict[str, Any]] = mapped_column(default=dict)
    position: Mapped[int]
    type: Mapped[DocumentType] = relationship(back_populates="fields")


class RemovedField(Base):
    """A field that was taken out of a plan: its row as JSON. A field of the same key may be there again."""

    __tablename__ = "removed_field"

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type", ondelete="CASCADE")
    key: Mapped[str] = mapped_column(String(190))
    kind: Mapped[str] = mapped_column(String(10))
    personal: Mapped[bool]
    data: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    removed_at: Mapped[datetime] = now()
    removed_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class RemovedRow(Base):
    """What was said of such a field on a paper: a row of another table as JSON."""

    __tablename__ = "removed_row"

    id: Mapped[int] = mapped_column(primary_key=True)
    removed_field_id: Mapped[int] = to("removed_field", ondelete="CASCADE")
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    table_name: Mapped[str] = mapped_column(String(30))
    data: Mapped[dict[str, Any]] = mapped_column(deferred=True)


class PlanVersion(Base):
    """A plan as it was after a change: who said what when."""

    __tablename__ = "plan_version"
    __table_args__ = (UniqueConstraint("type_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    number: Mapped[int]
    summary: Mapped[str]
    plan: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class NamedList(Base):
    """Entries that checks look in, such as known employers; loaded from CSV."""

    __tablename__ = "named_list"
    __table_args__ = (UniqueConstraint("workspace_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    name: Mapped[str] = mapped_column(String(80))
    entries: Mapped[list[Any]]
    changed_at: Mapped[datetime] = now()
    changed_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
