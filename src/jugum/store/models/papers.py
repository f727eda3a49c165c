"""Files as they were received, where they come from, documents and their pages."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    Index,
    LargeBinary,
    SmallInteger,
    String,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from jugum.core.states import (
    WITHOUT_TYPE,
    BatchState,
    DocumentState,
    PlacedBy,
    Purpose,
    SetName,
)
from jugum.errors import Conflict
from jugum.store.models.base import (
    ENGINES,
    SOURCE_KINDS,
    Base,
    now,
    one_of,
    states_by_purpose,
    to,
)
from jugum.store.models.plan import DocumentType


class SourceFile(Base):
    """Bytes as received, kept unchanged; the same bytes are one file in a workspace."""

    __tablename__ = "source_file"
    __table_args__ = (UniqueConstraint("workspace_id", "sha256"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    sha256: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(255))
    bytes: Mapped[int]
    received_at: Mapped[datetime] = now()


class Source(Base):
    """Where papers come in by themselves: a watched folder, the mail stand-in's addresses, or an IMAP box; and how
    what comes from there is to be read, cut and placed."""

    __tablename__ = "source"
    __table_args__ = (
        UniqueConstraint("workspace_id", "name"),
        CheckConstraint(one_of("kind", SOURCE_KINDS), name="known_kind"),
        CheckConstraint(one_of("purpose", Purpose), name="known_purpose"),
        CheckConstraint(one_of("engine", ENGINES), name="known_engine"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    type_id: Mapped[int | None] = to("document_type", nullable=True)
    kind: Mapped[str] = mapped_column(String(10))
    name: Mapped[str] = mapped_column(String(80))
    place: Mapped[str] = mapped_column(default="")
    purpose: Mapped[Purpose] = mapped_column(default=Purpose.LIVE)
    engine: Mapped[str] = mapped_column(String(10), default="careful")
    language: Mapped[str] = mapped_column(String(40), default="eng")
    cut: Mapped[str] = mapped_column(String(20), default="none")
    active: Mapped[bool] = mapped_column(default=True)
    received: Mapped[int] = mapped_column(default=0)
    failed: Mapped[int] = mapped_column(default=0)
    looked_at: Mapped[datetime | None]
    problem: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    type: Mapped[DocumentType | None] = relationship()


class Batch(Base):
    """Papers imported together. Of one that is paused, what is not read yet waits; `priority` −1, 0 or 1."""

    __tablename__ = "batch"
    __table_args__ = (
        CheckConstraint("priority BETWEEN -1 AND 1", name="known_priority"),
        CheckConstraint(one_of("state", BatchState), name="known_state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    name: Mapped[str] = mapped_column(String(120))
    note: Mapped[str] = mapped_column(default="")
    priority: Mapped[int] = mapped_column(default=0)
    state: Mapped[BatchState] = mapped_column(default=BatchState.RUNNING)
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class ClassifierVersion(Base):
    """What tells types of a workspace apart and where papers begin in a bundle: learned anew when samples are
    placed."""

    __tablename__ = "classifier_version"
    __table_args__ = (UniqueConstraint("workspace_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    number: Mapped[int]
    file_key: Mapped[str] = mapped_column(String(64))
    report: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = now()


WAITS = "purpose = 'live' AND state = 'held'"


class Document(Base):
    """One paper. A sample goes received → to label → in hand → labelled; a live paper received → placed → drafted →
    held or passed → settled → delivered. A bundle waits `to cut`; what fits no type is `unplaced`; mails, archives
    and cut bundles are `unpacked`: their papers have them as `parent_id`. `set aside` says why in `reason`;
    `set_aside_by` is empty when the program did it. Pages are read from `reading_key` (a converted or unlocked
    file) or, without one, from the file itself. `set_name` says what a sample is for: training, testing only, or
    kept spare; `layout_group_id` is its layout group, `drafted_layout_id` the one that a version took a live
    paper for; `proposal` what the program last made of it by itself: of a paper its type, of a bundle its pieces,
    with the confidence and whether that was enough; `model_confidence` how sure a version is of a sample that is
    not labelled yet; `month_first` whether its own dates in digits tell that the month stands first; `read_with` with
    how many others of its layout a live paper was drafted (nothing when the layout is known); `seen_by` who has seen a
    live paper as a whole. In Review those of a higher `priority` come first, and `assigned_to` is who it was given
    to."""

    __tablename__ = "document"
    __table_args__ = (
        CheckConstraint(one_of("purpose", Purpose), name="known_purpose"),
        CheckConstraint(states_by_purpose(), name="known_state"),
        CheckConstraint("(state = 'set aside') = (reason IS NOT NULL)", name="set_aside_has_reason"),
        CheckConstraint(
            f"type_id IS NOT NULL OR {one_of('state', WITHOUT_TYPE)}",
            name="unplaced_has_no_type",
        ),
        CheckConstraint(one_of("engine", ENGINES), name="known_engine"),
        CheckConstraint(one_of("set_name", SetName), name="known_set"),
        UniqueConstraint("parent_id", "parent_part"),
        Index("ix_document_type_purpose_state", "type_id", "purpose", "state"),
        Index("ix_document_workspace_state", "workspace_id", "state"),
        Index("ix_document_new_layout", "type_id", "id", postgresql_where=text("read_with IS NOT NULL")),
        *(
            Index(f"ix_document_held{name}", "type_id", *order, "id", postgresql_where=text(WAITS))
            for name, order in (
                ("", ("received_at",)),
                ("_first", (text("(-priority)"), "received_at")),
                ("_name", (text("lower(name)"),)),
                ("_batch", ("batch_id",)),
            )
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    type_id: Mapped[int | None] = to("document_type", nullable=True)
    source_file_id: Mapped[int] = to("source_file")
    source_id: Mapped[int | None] = to("source", nullable=True, ondelete="SET NULL")
    batch_id: Mapped[int | None] = to("batch", nullable=True, ondelete="SET NULL")
    parent_id: Mapped[int | None] = to("document", nullable=True, ondelete="SET NULL")
    parent_part: Mapped[str | None]
    reading_key: Mapped[str | None] = mapped_column(String(64))
    engine: Mapped[str] = mapped_column(String(10), default="careful")
    language: Mapped[str] = mapped_column(String(40), default="eng")
    cut: Mapped[str] = mapped_column(String(20), default="none")
    pieces: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True), deferred=True)
    proposal: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True), deferred=True)
    type_candidates: Mapped[list[Any]] = mapped_column(default=list)
    placed_by: Mapped[PlacedBy] = mapped_column(default=PlacedBy.PERSON)
    locked: Mapped[bool] = mapped_column(default=False)
    note: Mapped[str] = mapped_column(default="")
    name: Mapped[str] = mapped_column(String(255))
    purpose: Mapped[Purpose]
    state: Mapped[DocumentState] = mapped_column(default=DocumentState.RECEIVED)
    reason: Mapped[str | None]
    set_aside_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    page_count: Mapped[int | None]
    pages_read: Mapped[int] = mapped_column(default=0)
    revision: Mapped[int] = mapped_column(default=0)
    set_name: Mapped[SetName] = mapped_column(default=SetName.TRAIN)
    layout_group_id: Mapped[int | None] = to("layout_group", nullable=True, ondelete="SET NULL")
    drafted_layout_id: Mapped[int | None] = to("layout_group", nullable=True, ondelete="SET NULL")
    model_confidence: Mapped[dict[str, Any]] = mapped_column(default=dict)
    month_first: Mapped[bool | None]
    read_with: Mapped[int | None]
    version_id: Mapped[int | None] = mapped_column(ForeignKey("model_version.id"))
    policy_id: Mapped[int | None] = mapped_column(ForeignKey("policy.id"))
    opened_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    opened_at: Mapped[datetime | None]
    priority: Mapped[int] = mapped_column(SmallInteger, default=0)
    assigned_to: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    received_at: Mapped[datetime] = now()
    received_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    settled_at: Mapped[datetime | None]
    settled_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    seen_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    file: Mapped[SourceFile] = relationship()
    type: Mapped[DocumentType | None] = relationship()
    batch: Mapped[Batch | None] = relationship()

    @property
    def placed_type(self) -> DocumentType:
        """The type it is placed in. Conflict for a paper that has none yet."""
        if self.type is None:
            raise Conflict(f"“{self.name}” has no type yet. Choose its type in Gather first.")
        return self.type

    @property
    def reads_month_first(self) -> bool:
        """How its dates in digits are read where the plan leaves it open: as its own dates tell, else as those of its
        type's papers do."""
        if self.month_first is not None:
            return self.month_first
        return self.type is not None and self.type.reads_month_first


class PageRow(Base):
    """A page of a paper: where it lies in its file (`source_index`, from 0) and, once `read_at` is set, what was
    read: words as one compressed blob (see core.page.blob), a small picture, and the key of a larger one that was
    drawn when first looked at. `reading_options` keeps what a person asked for when it is read again. `problem` says
    why it could not be read."""

    __tablename__ = "page"
    __table_args__ = (UniqueConstraint("document_id", "number", deferrable=True, initially="DEFERRED"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = to("document", ondelete="CASCADE")
    number: Mapped[int]
    source_index: Mapped[int]
    read_at: Mapped[datetime | None]
    problem: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    reading_options: Mapped[dict[str, Any]] = mapped_column(default=dict)
    width_pt: Mapped[float] = mapped_column(default=595.0)
    height_pt: Mapped[float] = mapped_column(default=842.0)
    rotation: Mapped[int] = mapped_column(default=0)
    skew: Mapped[float] = mapped_column(default=0.0)
    source: Mapped[str] = mapped_column(String(20), default="")
    engine: Mapped[str] = mapped_column(String(10), default="")
    confidence: Mapped[float] = mapped_column(default=0.0)
    word_count: Mapped[int] = mapped_column(default=0)
    words: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    peek: Mapped[bytes] = mapped_column(LargeBinary, default=b"", deferred=True)
    view_key: Mapped[str | None] = mapped_column(String(64))
    view_width: Mapped[int] = mapped_column(default=0)
    view_height: Mapped[int] = mapped_column(default=0)
