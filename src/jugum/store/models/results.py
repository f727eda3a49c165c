"""What versions read, what is held, what stands, what was delivered."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from jugum.core.states import (
    DeliveryState,
    Origin,
)
from jugum.store.models.base import (
    Base,
    now,
    one_of,
    to,
)


class Reading(Base):
    """What a version found for a field on a paper: one row per value, or one with `absent` when there is none."""

    __tablename__ = "reading"
    __table_args__ = (UniqueConstraint("document_id", "version_id", "field_id", "position"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    version_id: Mapped[int] = to("model_version")
    position: Mapped[int] = mapped_column(default=0)
    absent: Mapped[bool] = mapped_column(default=False)
    text: Mapped[str]
    normal: Mapped[str]
    page: Mapped[int | None]
    box: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))
    confidence: Mapped[float | None]
    layout_similarity: Mapped[float | None]
    engine: Mapped[str] = mapped_column(String(20), default="model")
    why: Mapped[str] = mapped_column(default="")
    by_hand: Mapped[bool] = mapped_column(default=False)
    others: Mapped[list[Any]] = mapped_column(default=list)
    scores: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Hold(Base):
    """One reason why a person must look at a field of a paper; settled when they have."""

    __tablename__ = "hold"
    __table_args__ = (
        Index(
            "uq_hold_one_open_per_field",
            "document_id",
            "field_id",
            unique=True,
            postgresql_where=text("settled_at IS NULL"),
        ),
        Index("ix_hold_settled", "settled_at", postgresql_where=text("settled_at IS NOT NULL")),
        Index("ix_hold_open", "opened_at", postgresql_where=text("settled_at IS NULL")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    reason: Mapped[str] = mapped_column(String(20))
    detail: Mapped[str]
    checks: Mapped[list[Any]] = mapped_column(default=list)
    opened_at: Mapped[datetime] = now()
    settled_at: Mapped[datetime | None]
    settled_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    outcome: Mapped[str | None] = mapped_column(String(20))


class Result(Base):
    """A value that passed or was settled, with where it came from."""

    __tablename__ = "result"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(one_of("origin", Origin), name="known_origin"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    position: Mapped[int] = mapped_column(default=0)
    text: Mapped[str]
    normal: Mapped[str]
    page: Mapped[int | None]
    box: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))
    confidence: Mapped[float | None]
    origin: Mapped[Origin]
    version_id: Mapped[int | None] = mapped_column(ForeignKey("model_version.id"))
    policy_id: Mapped[int | None] = mapped_column(ForeignKey("policy.id"))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = now()


class CheckWaiver(Base):
    """A failing check that a person let stand on a paper; of a blocking one the reason is kept."""

    __tablename__ = "check_waiver"
    __table_args__ = (UniqueConstraint("document_id", "check_key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    check_key: Mapped[str] = mapped_column(String(90))
    message: Mapped[str]
    reason: Mapped[str] = mapped_column(default="")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = now()


class Delivery(Base):
    """One sending of results as a file, kept as it was sent. A paper is in a second delivery only when it was corrected
    after the first."""

    __tablename__ = "delivery"
    __table_args__ = (CheckConstraint(one_of("state", DeliveryState), name="known_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    format: Mapped[str] = mapped_column(String(10))
    file_key: Mapped[str] = mapped_column(String(64))
    papers: Mapped[int]
    state: Mapped[DeliveryState] = mapped_column(default=DeliveryState.SENT)
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class DeliveredDocument(Base):
    __tablename__ = "delivered_document"

    document_id: Mapped[int] = mapped_column(ForeignKey("document.id", ondelete="CASCADE"), primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("delivery.id"), primary_key=True, index=True)
