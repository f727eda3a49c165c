"""Tables. The database holds the invariants; each constraint says why by its name."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    DateTime,
    ForeignKey,
    Index,
    LargeBinary,
    MetaData,
    String,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy import Enum as SqlEnum
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from jugum.core.states import (
    WITHOUT_TYPE,
    BatchState,
    DeliveryState,
    DocumentState,
    Method,
    Origin,
    PlacedBy,
    Purpose,
    RecordState,
    SetName,
    VersionState,
    states_of,
)
from jugum.errors import Conflict

ROLES = ("analyst", "reviewer", "administrator")
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


def _one_of(column: str, values: Iterable[str]) -> str:
    return f"{column} IN ({', '.join(repr(str(value)) for value in values)})"


def _kept_as(kind: type[StrEnum], length: int) -> SqlEnum:
    """An enum as its values in a column of text; which values are allowed is said by a constraint with a name."""
    return SqlEnum(
        kind,
        native_enum=False,
        create_constraint=False,
        length=length,
        values_callable=lambda its: [one.value for one in its],
    )


def _states_by_purpose() -> str:
    """Each purpose with the states that its documents can come to, from the table of transitions."""
    return " OR ".join(f"(purpose = '{one}' AND {_one_of('state', states_of(one))})" for one in Purpose)


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
        Purpose: _kept_as(Purpose, 10),
        DocumentState: _kept_as(DocumentState, 20),
        VersionState: _kept_as(VersionState, 10),
        BatchState: _kept_as(BatchState, 10),
        DeliveryState: _kept_as(DeliveryState, 10),
        RecordState: _kept_as(RecordState, 10),
        Origin: _kept_as(Origin, 10),
        Method: _kept_as(Method, 10),
        PlacedBy: _kept_as(PlacedBy, 10),
        SetName: _kept_as(SetName, 10),
    }


def _now() -> Mapped[datetime]:
    return mapped_column(server_default=func.now())


def _to(table: str, *, nullable: bool = False, ondelete: str | None = None) -> Any:
    return mapped_column(ForeignKey(f"{table}.id", ondelete=ondelete), nullable=nullable, index=True)


class Person(Base):
    """Someone who may sign in."""

    __tablename__ = "person"
    __table_args__ = (CheckConstraint(_one_of("role", ROLES), name="known_role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str]
    active: Mapped[bool] = mapped_column(default=True)
    sees_personal: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime] = _now()


class ApiKey(Base):
    """A key of a client program; only its SHA-256 is kept. It may do what its person may."""

    __tablename__ = "api_key"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = _to("person")
    name: Mapped[str] = mapped_column(String(80))
    start: Mapped[str] = mapped_column(String(12))
    key_hash: Mapped[str] = mapped_column(String(64), unique=True)
    created_at: Mapped[datetime] = _now()
    last_used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship()


class Workspace(Base):
    __tablename__ = "workspace"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    synonyms: Mapped[list[Any]] = mapped_column(default=list)
    services: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = _now()


class DocumentType(Base):
    __tablename__ = "document_type"
    __table_args__ = (UniqueConstraint("workspace_id", "key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    key: Mapped[str] = mapped_column(String(80))
    name: Mapped[str] = mapped_column(String(80))
    plan_number: Mapped[int] = mapped_column(default=0)
    checks: Mapped[list[Any]] = mapped_column(default=list)
    date_order: Mapped[dict[str, Any]] = mapped_column(default=dict)
    labelling: Mapped[dict[str, Any]] = mapped_column(default=dict)
    training: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = _now()
    workspace: Mapped[Workspace] = relationship()
    fields: Mapped[list[Field]] = relationship(order_by="Field.position", back_populates="type")


class Field(Base):
    """A field of a plan. `spec` is all that is said of it, as in a plan file; the other columns are what queries ask
    for. Columns of a table have the table's key and a dot before their own."""

    __tablename__ = "field"
    __table_args__ = (
        UniqueConstraint("type_id", "key"),
        CheckConstraint(_one_of("kind", FIELD_KINDS), name="known_kind"),
        CheckConstraint(_one_of("data_type", DATA_TYPES), name="known_data_type"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type")
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


class PlanVersion(Base):
    """A plan as it was after a change: who said what when."""

    __tablename__ = "plan_version"
    __table_args__ = (UniqueConstraint("type_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type")
    number: Mapped[int]
    summary: Mapped[str]
    plan: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class NamedList(Base):
    """Entries that checks look in, such as known employers; loaded from CSV."""

    __tablename__ = "named_list"
    __table_args__ = (UniqueConstraint("workspace_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    name: Mapped[str] = mapped_column(String(80))
    entries: Mapped[list[Any]]
    changed_at: Mapped[datetime] = _now()
    changed_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class SourceFile(Base):
    """Bytes as received, kept unchanged; the same bytes are one file in a workspace."""

    __tablename__ = "source_file"
    __table_args__ = (UniqueConstraint("workspace_id", "sha256"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    sha256: Mapped[str] = mapped_column(String(64))
    name: Mapped[str] = mapped_column(String(255))
    bytes: Mapped[int]
    received_at: Mapped[datetime] = _now()


class Source(Base):
    """Where papers come in by themselves: a watched folder, the mail stand-in's addresses, or an IMAP box; and how
    what comes from there is to be read, cut and placed."""

    __tablename__ = "source"
    __table_args__ = (
        UniqueConstraint("workspace_id", "name"),
        CheckConstraint(_one_of("kind", SOURCE_KINDS), name="known_kind"),
        CheckConstraint(_one_of("purpose", Purpose), name="known_purpose"),
        CheckConstraint(_one_of("engine", ENGINES), name="known_engine"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    type_id: Mapped[int | None] = _to("document_type", nullable=True)
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
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    type: Mapped[DocumentType | None] = relationship()


class Batch(Base):
    """Papers imported together. Of one that is paused, what is not read yet waits; `priority` −1, 0 or 1."""

    __tablename__ = "batch"
    __table_args__ = (
        CheckConstraint("priority BETWEEN -1 AND 1", name="known_priority"),
        CheckConstraint(_one_of("state", BatchState), name="known_state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    name: Mapped[str] = mapped_column(String(120))
    note: Mapped[str] = mapped_column(default="")
    priority: Mapped[int] = mapped_column(default=0)
    state: Mapped[BatchState] = mapped_column(default=BatchState.RUNNING)
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class ClassifierVersion(Base):
    """What tells types of a workspace apart and where papers begin in a bundle: learned anew when samples are
    placed."""

    __tablename__ = "classifier_version"
    __table_args__ = (UniqueConstraint("workspace_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    number: Mapped[int]
    file_key: Mapped[str] = mapped_column(String(64))
    report: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = _now()


class Document(Base):
    """One paper. A sample goes received → to label → in hand → labelled; a live paper received → placed → drafted →
    held or passed → settled → delivered. A bundle waits `to cut`; what fits no type is `unplaced`; mails, archives
    and cut bundles are `unpacked`: their papers have them as `parent_id`. `set aside` says why in `reason`;
    `set_aside_by` is empty when the program did it. Pages are read from `reading_key` (a converted or unlocked file)
    or, without one, from the file itself. `set_name` says what a sample is for: training, testing only, or kept
    spare; `layout_group_id` is its layout group; `model_confidence` how sure a version is of a sample that is
    not labelled yet."""

    __tablename__ = "document"
    __table_args__ = (
        CheckConstraint(_one_of("purpose", Purpose), name="known_purpose"),
        CheckConstraint(_states_by_purpose(), name="known_state"),
        CheckConstraint("(state = 'set aside') = (reason IS NOT NULL)", name="set_aside_has_reason"),
        CheckConstraint(
            f"type_id IS NOT NULL OR {_one_of('state', WITHOUT_TYPE)}",
            name="unplaced_has_no_type",
        ),
        CheckConstraint(_one_of("engine", ENGINES), name="known_engine"),
        CheckConstraint(_one_of("set_name", SetName), name="known_set"),
        UniqueConstraint("parent_id", "parent_part"),
        Index("ix_document_type_purpose_state", "type_id", "purpose", "state"),
        Index("ix_document_workspace_state", "workspace_id", "state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = _to("workspace")
    type_id: Mapped[int | None] = _to("document_type", nullable=True)
    source_file_id: Mapped[int] = _to("source_file")
    source_id: Mapped[int | None] = _to("source", nullable=True, ondelete="SET NULL")
    batch_id: Mapped[int | None] = _to("batch", nullable=True, ondelete="SET NULL")
    parent_id: Mapped[int | None] = _to("document", nullable=True, ondelete="SET NULL")
    parent_part: Mapped[str | None]
    reading_key: Mapped[str | None] = mapped_column(String(64))
    engine: Mapped[str] = mapped_column(String(10), default="careful")
    language: Mapped[str] = mapped_column(String(40), default="eng")
    cut: Mapped[str] = mapped_column(String(20), default="none")
    pieces: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True), deferred=True)
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
    layout_group_id: Mapped[int | None] = _to("layout_group", nullable=True, ondelete="SET NULL")
    model_confidence: Mapped[dict[str, Any]] = mapped_column(default=dict)
    version_id: Mapped[int | None] = mapped_column(ForeignKey("model_version.id"))
    policy_id: Mapped[int | None] = mapped_column(ForeignKey("policy.id"))
    opened_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    opened_at: Mapped[datetime | None]
    received_at: Mapped[datetime] = _now()
    received_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    settled_at: Mapped[datetime | None]
    settled_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    file: Mapped[SourceFile] = relationship()
    type: Mapped[DocumentType | None] = relationship()
    batch: Mapped[Batch | None] = relationship()

    @property
    def placed_type(self) -> DocumentType:
        """The type it is placed in. Conflict for a paper that has none yet."""
        if self.type is None:
            raise Conflict(f"“{self.name}” has no type yet. Choose its type in Gather first.")
        return self.type


class PageRow(Base):
    """A page of a paper: where it lies in its file (`source_index`, from 0) and, once `read_at` is set, what was
    read: words as one compressed blob (see core.page.blob), a small picture, and the key of a larger one that was
    drawn when first looked at. `reading_options` keeps what a person asked for when it is read again. `problem` says
    why it could not be read."""

    __tablename__ = "page"
    __table_args__ = (UniqueConstraint("document_id", "number", deferrable=True, initially="DEFERRED"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
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


class LayoutGroup(Base):
    """A layout group of a type's papers: found by the program, named, merged and split by people."""

    __tablename__ = "layout_group"
    __table_args__ = (UniqueConstraint("type_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type", ondelete="CASCADE")
    name: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = _now()


class Label(Base):
    """The right answer for a field on a paper. `absent` says that it is not on this paper; a keyed or typed value
    may have no place (`page` and `box` empty). `box` is [x0, y0, x1, y1] in page fractions; `more_places` are the
    further places of a value over several lines or pages ([page, box] each); `ocr_text` is what the reading saw
    there, kept apart from what a person says (`text`); `printed` is where its printed name stands; `seconds` how
    long it took to say; `corrected` tells that a suggestion stood there and was not taken."""

    __tablename__ = "label"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(_one_of("method", Method), name="known_way"),
        CheckConstraint("NOT absent OR (text = '' AND position = 0)", name="absent_has_no_value"),
        CheckConstraint("(page IS NULL) = (box IS NULL)", name="place_is_whole"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
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
    created_at: Mapped[datetime] = _now()


class BlindLabel(Base):
    """What one of two labellers, blind to the other, says of a field on a paper: values as in labels, or that it is
    absent."""

    __tablename__ = "blind_label"
    __table_args__ = (UniqueConstraint("document_id", "field_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    absent: Mapped[bool] = mapped_column(default=False)
    method: Mapped[Method]
    value: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[datetime] = _now()


class Assignment(Base):
    """A paper given to one of its two labellers; `done_at` when that one has finished."""

    __tablename__ = "assignment"
    __table_args__ = (UniqueConstraint("document_id", "person_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    person_id: Mapped[int] = _to("person")
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
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    text: Mapped[str]
    outcome: Mapped[str] = mapped_column(String(10), default="")
    created_at: Mapped[datetime] = _now()


class PastRecord(Base):
    """A value keyed in the past and what became of it on its paper; `places` are where it may stand when that is not
    clear: {"text", "page", "box"} each, the likeliest first."""

    __tablename__ = "past_record"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(_one_of("state", RecordState), name="known_state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    position: Mapped[int] = mapped_column(default=0)
    text: Mapped[str]
    state: Mapped[RecordState]
    match: Mapped[str] = mapped_column(String(12), default="")
    places: Mapped[list[Any]] = mapped_column(default=list)
    created_at: Mapped[datetime] = _now()
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class KeptLabel(Base):
    """A suspicious label that a person looked at and kept: it is not asked about for this reason again while it says
    the same."""

    __tablename__ = "kept_label"
    __table_args__ = (UniqueConstraint("document_id", "field_id", "reason"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    reason: Mapped[str] = mapped_column(String(30))
    text: Mapped[str]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = _now()


class ModelVersion(Base):
    """A trained extractor with its report and its evidence."""

    __tablename__ = "model_version"
    __table_args__ = (
        UniqueConstraint("type_id", "number"),
        CheckConstraint(_one_of("state", VersionState), name="known_state"),
        Index(
            "uq_model_version_one_published_per_type",
            "type_id",
            unique=True,
            postgresql_where=text("state = 'published'"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type")
    number: Mapped[int]
    state: Mapped[VersionState] = mapped_column(default=VersionState.QUEUED)
    stage: Mapped[str] = mapped_column(String(80), default="waiting for a worker")
    progress: Mapped[float] = mapped_column(default=0.0)
    error: Mapped[str | None]
    papers: Mapped[int] = mapped_column(default=0)
    snapshot: Mapped[dict[str, Any]] = mapped_column(default=dict, deferred=True)
    report: Mapped[dict[str, Any]] = mapped_column(default=dict)
    evidence: Mapped[list[Any]] = mapped_column(default=list, deferred=True)
    file_key: Mapped[str | None] = mapped_column(String(64))
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    trained_at: Mapped[datetime | None]
    published_at: Mapped[datetime | None]
    published_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    begun_at: Mapped[datetime | None]
    note: Mapped[str] = mapped_column(default="")
    origin: Mapped[str] = mapped_column(default="")


class Policy(Base):
    """Thresholds of a type; the newest one holds. `outcome` keeps what was known when it was chosen."""

    __tablename__ = "policy"
    __table_args__ = (
        UniqueConstraint("type_id", "number"),
        CheckConstraint("layout_similarity_min BETWEEN 0 AND 1", name="layout_similarity_min_is_a_share"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type")
    number: Mapped[int]
    version_id: Mapped[int] = _to("model_version")
    thresholds: Mapped[dict[str, Any]]
    layout_similarity_min: Mapped[float]
    note: Mapped[str] = mapped_column(default="")
    outcome: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Reading(Base):
    """What a version found for a field on a paper: one row per value, or one with `absent` when there is none."""

    __tablename__ = "reading"
    __table_args__ = (UniqueConstraint("document_id", "version_id", "field_id", "position"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    version_id: Mapped[int] = _to("model_version")
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
        Index("ix_hold_open", "opened_at", postgresql_where=text("settled_at IS NULL")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
    reason: Mapped[str] = mapped_column(String(20))
    detail: Mapped[str]
    checks: Mapped[list[Any]] = mapped_column(default=list)
    opened_at: Mapped[datetime] = _now()
    settled_at: Mapped[datetime | None]
    settled_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    outcome: Mapped[str | None] = mapped_column(String(20))


class Result(Base):
    """A value that passed or was settled, with where it came from."""

    __tablename__ = "result"
    __table_args__ = (
        UniqueConstraint("document_id", "field_id", "position"),
        CheckConstraint(_one_of("origin", Origin), name="known_origin"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    field_id: Mapped[int] = _to("field", ondelete="CASCADE")
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
    created_at: Mapped[datetime] = _now()


class CheckWaiver(Base):
    """A failing advisory check that a person let stand on a paper."""

    __tablename__ = "check_waiver"
    __table_args__ = (UniqueConstraint("document_id", "check_key"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    document_id: Mapped[int] = _to("document", ondelete="CASCADE")
    check_key: Mapped[str] = mapped_column(String(90))
    message: Mapped[str]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime] = _now()


class Delivery(Base):
    """One sending of results as a file, kept as it was sent. A paper is in at most one delivery."""

    __tablename__ = "delivery"
    __table_args__ = (CheckConstraint(_one_of("state", DeliveryState), name="known_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = _to("document_type")
    format: Mapped[str] = mapped_column(String(10))
    file_key: Mapped[str] = mapped_column(String(64))
    papers: Mapped[int]
    state: Mapped[DeliveryState] = mapped_column(default=DeliveryState.SENT)
    created_at: Mapped[datetime] = _now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class DeliveredDocument(Base):
    __tablename__ = "delivered_document"

    document_id: Mapped[int] = mapped_column(ForeignKey("document.id", ondelete="CASCADE"), primary_key=True)
    delivery_id: Mapped[int] = _to("delivery")


class TaskFailure(Base):
    """Background work that failed and has no paper, page or version to say so on; gone when the same work succeeds."""

    __tablename__ = "task_failure"
    __table_args__ = (UniqueConstraint("task", "arguments"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    task: Mapped[str] = mapped_column(String(40))
    arguments: Mapped[dict[str, Any]]
    message: Mapped[str]
    count: Mapped[int] = mapped_column(default=1, server_default="1")
    failed_at: Mapped[datetime] = _now()


class Audit(Base):
    """Who did what, when, with what before and after."""

    __tablename__ = "audit"
    __table_args__ = (Index("ix_audit_object", "object_kind", "object_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = _now()
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    action: Mapped[str] = mapped_column(String(60))
    object_kind: Mapped[str] = mapped_column(String(30))
    object_id: Mapped[int]
    detail: Mapped[dict[str, Any]] = mapped_column(default=dict)
