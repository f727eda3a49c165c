"""Spot checks of what passed, and breaches of a promise that they showed."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column

from jugum.store.models.base import Base, now, to


class SpotCheck(Base):
    """A paper of which a person checks what passed by a policy: drawn with a known probability (0–1], done when each
    of its values is answered. Who checks a `blind` one gives its values before seeing what passed."""

    __tablename__ = "spot_check"
    __table_args__ = (
        UniqueConstraint("document_id"),
        CheckConstraint("probability > 0 AND probability <= 1", name="probability_is_a_chance"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = mapped_column(ForeignKey("document.id", ondelete="CASCADE"))
    policy_id: Mapped[int] = to("policy")
    probability: Mapped[float]
    blind: Mapped[bool] = mapped_column(default=False)
    drawn_at: Mapped[datetime] = now()
    done_at: Mapped[datetime | None]
    done_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class CheckedValue(Base):
    """A value that passed and was drawn to be checked (of a table: the whole of it): `is_right` is empty until a person
    has said so. `found` is what had passed, `said` what the person says; `share` the probability (0–1] with which a
    value of a drawn paper is asked for, for few are of a blind check."""

    __tablename__ = "checked_value"
    __table_args__ = (
        UniqueConstraint("spot_check_id", "field_id"),
        Index("ix_checked_value_open", "document_id", postgresql_where=text("is_right IS NULL")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    spot_check_id: Mapped[int] = to("spot_check", ondelete="CASCADE")
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    confidence: Mapped[float]
    layout_similarity: Mapped[float]
    share: Mapped[float] = mapped_column(default=1.0)
    found: Mapped[str] = mapped_column(default="")
    said: Mapped[str] = mapped_column(default="")
    is_right: Mapped[bool | None]
    answered_at: Mapped[datetime | None]
    answered_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class Breach(Base):
    """A promise of a policy that spot checks showed to be broken, and what was done about it: of one that `suspends`
    its policy everything is held until a person resumes it with a reason, or publishes another."""

    __tablename__ = "breach"

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    policy_id: Mapped[int] = to("policy")
    papers: Mapped[int]
    values: Mapped[int]
    wrong: Mapped[int]
    winnings: Mapped[float]
    suspends: Mapped[bool]
    noticed_at: Mapped[datetime] = now()
    told: Mapped[str] = mapped_column(default="")
    resumed_at: Mapped[datetime | None]
    resumed_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    reason: Mapped[str] = mapped_column(default="")
