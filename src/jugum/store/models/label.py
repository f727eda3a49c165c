"""Labels, layout groups, and what belongs to labelling."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    String,
    UniqueConstraint,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from jugum.core.states import (
    Method,
    RecordState,
)
from jugum.store.models.base import (
    Base,
    now,
    one_of,
    to,
)


class LayoutGroup(Base):
    """A layout group of a type's papers: found by the program, named, merged and split by people."""

    __tablename__ = "layout_group"
    __table_args__ = (UniqueConstraint("type_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type", ondelete="CASCADE")
    name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = now()


class Label(Base):
    """The right answer for a field on a paper. `absent` says that it is not on this paper; a keyed or typed value
    may have no place (`page` and `box` empty). `box` is [x0, y0, x1, y1] in page fractions; `more_places` are the
    further places of a value over several lines or pages ([page, box] each); `ocr_text` is what the reading saw
    there, kept apart from what a person says (`text`); `printed` is where its printed name stands; `seconds` how
    long it took to say; `corrected` tells that a suggestion stood there and was not taken."""

    __tablename__ = "label"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(one_of("method", Method), name="known_way"),
        CheckConstraint("NOT absent OR (text = '' AND position = 0)", name="absent_has_no_value"),
        CheckConstraint("(page IS NULL) = (box IS NULL)", name="place_is_whole"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    position: Mapped[int] = mapped_column(default=0)
    absent: Mapped[bool] = mapped_column(default=False)
    text: Mapped[str]
    normal: Mapped[str]
    page: Mapped[int | None]
    box: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))
    more_places: Mapped[list[Any]] = mapped_column(default=list)
    ocr_text: Mapped[str] = mapped_column(default="")
    printed: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    seconds: Mapped[float | None]
    corrected: Mapped[bool] = mapped_column(default=False)
    method: Mapped[Method]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = now()


class BlindLabel(Base):
    """What one of two labellers, blind to the other, says of a field on a paper: values as in labels, or that it is
    absent."""

    __tablename__ = "blind_label"
    __table_args__ = (UniqueConstraint("document_id", "field_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    absent: Mapped[bool] = mapped_column(default=False)
    method: Mapped[Method]
    value: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[datetime] = now()


class Assignment(Base):
    """A paper given to one of its two labellers; `done_at` when that one has finished."""

    __tablename__ = "assignment"
    __table_args__ = (UniqueConstraint("document_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    person_id: Mapped[int] = to("person")
    done_at: Mapped[datetime | None]


class ControlSuggestion(Base):
    """A wrong suggestion shown on purpose, to see whether it is looked at: `outcome` is empty until the person has
    answered, then "caught" or "agreed"."""

    __tablename__ = "control_suggestion"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "person_id"),
        CheckConstraint("outcome IN ('', 'caught', 'agreed')", name="known_outcome"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    text: Mapped[str]
    outcome: Mapped[str] = mapped_column(String(10), default="")
    created_at: Mapped[datetime] = now()


class PastRecord(Base):
    """A value keyed in the past and what became of it on its paper; `places` are where it may stand when that is not
    clear: {"text", "page", "box"} each, the likeliest first."""

    __tablename__ = "past_record"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(one_of("state", RecordState), name="known_state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    position: Mapped[int] = mapped_column(default=0)
    text: Mapped[str]
    state: Mapped[RecordState]
    match: Mapped[str] = mapped_column(String(12), default="")
    places: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[datetime] = now()
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class KeptLabel(Base):
    """A suspicious label that a person looked at and kept: it is not asked about for this reason again while it says
    the same."""

    __tablename__ = "kept_label"
    __table_args__ = (UniqueConstraint("document_id", "field_id", "reason"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    field_id: Mapped[int] = to("field", ondelete="CASCADE")
    reason: Mapped[str] = mapped_column(String(30))
    text: Mapped[str]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = now()
