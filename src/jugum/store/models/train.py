"""Versions and the policies that weigh them; policies of sorting."""

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
from sqlalchemy.orm import Mapped, mapped_column

from jugum.core.states import (
    SortingSubject,
    VersionState,
)
from jugum.store.masked import MaskedJson
from jugum.store.models.base import (
    Base,
    now,
    one_of,
    to,
)


class ModelVersion(Base):
    """A trained extractor with its report, its evidence, and its decisions on papers kept for testing."""

    __tablename__ = "model_version"
    __table_args__ = (
        UniqueConstraint("type_id", "number"),
        CheckConstraint(one_of("state", VersionState), name="known_state"),
        Index(
            "uq_model_version_one_published_per_type",
            "type_id",
            unique=True,
            postgresql_where=text("state = 'published'"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    number: Mapped[int]
    state: Mapped[VersionState] = mapped_column(default=VersionState.QUEUED)
    stage: Mapped[str] = mapped_column(String(80), default="waiting for a worker")
    progress: Mapped[float] = mapped_column(default=0.0)
    error: Mapped[str | None]
    papers: Mapped[int] = mapped_column(default=0)
    snapshot: Mapped[dict[str, Any]] = mapped_column(default=dict, deferred=True)
    report: Mapped[dict[str, Any]] = mapped_column(MaskedJson, default=dict)
    evidence: Mapped[list[Any]] = mapped_column(MaskedJson, default=list, deferred=True)
    test_evidence: Mapped[list[Any]] = mapped_column(MaskedJson, default=list, deferred=True)
    file_key: Mapped[str | None] = mapped_column(String(64))
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    trained_at: Mapped[datetime | None]
    published_at: Mapped[datetime | None]
    published_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    begun_at: Mapped[datetime | None]
    told_at: Mapped[datetime | None]  # when its progress was told
    note: Mapped[str] = mapped_column(default="")
    origin: Mapped[str] = mapped_column(default="")


class Policy(Base):
    """Thresholds of a type; the newest one holds. Fields that are `always_held` go to a person whatever their
    confidence. `settings` keeps how the dial was set, `outcome` what was known when it was chosen. While it is
    `suspended` everything is held; `check_rate` is the rate (0–1) of spot checks now, empty until one was worked
    out."""

    __tablename__ = "policy"
    __table_args__ = (
        UniqueConstraint("type_id", "number"),
        CheckConstraint("layout_similarity_min BETWEEN 0 AND 1", name="layout_similarity_min_is_a_share"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    type_id: Mapped[int] = to("document_type")
    number: Mapped[int]
    version_id: Mapped[int] = to("model_version")
    thresholds: Mapped[dict[str, Any]]
    layout_similarity_min: Mapped[float]
    note: Mapped[str] = mapped_column(default="")
    outcome: Mapped[dict[str, Any]] = mapped_column(default=dict)
    always_held: Mapped[list[Any]] = mapped_column(default=list)
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    suspended: Mapped[bool] = mapped_column(default=False)
    check_rate: Mapped[float | None]
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))


class SortingPolicy(Base):
    """From which confidence on a workspace's papers are placed by the program (by type id), or its bundles split; the
    newest one of a subject holds. `classifier` is the number of the classifier that it was weighed on; `always_held`
    types always go to a person. `settings` keeps how the dial was set, `outcome` what was known when it was chosen."""

    __tablename__ = "sorting_policy"
    __table_args__ = (
        UniqueConstraint("workspace_id", "subject", "number"),
        CheckConstraint(one_of("subject", SortingSubject), name="known_subject"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    workspace_id: Mapped[int] = to("workspace")
    subject: Mapped[SortingSubject]
    number: Mapped[int]
    classifier: Mapped[int]
    note: Mapped[str] = mapped_column(default="")
    thresholds: Mapped[dict[str, Any]]
    always_held: Mapped[list[Any]] = mapped_column(default=list)
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    outcome: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = now()
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
