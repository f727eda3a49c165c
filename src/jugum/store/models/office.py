"""People, their keys, workspaces, and traces of what was done."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    Index,
    String,
    UniqueConstraint,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from jugum.core.values.date_styles import DateStyle
from jugum.store.models.base import (
    MEMBER_ROLES,
    ROLES,
    Base,
    now,
    one_of,
    to,
)


class Person(Base):
    """Someone who may sign in."""

    __tablename__ = "person"
    __table_args__ = (CheckConstraint(one_of("role", ROLES), name="known_role"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(20))
    password_hash: Mapped[str]
    active: Mapped[bool] = mapped_column(default=True)
    sees_personal: Mapped[bool] = mapped_column(default=True)
    lets_stand: Mapped[bool] = mapped_column(default=False)  # what analysts may; a right of its own for others
    created_at: Mapped[datetime] = now()


class Membership(Base):
    """What a person is in a workspace. Administrators need none: they see to all of them."""

    __tablename__ = "membership"
    __table_args__ = (
        UniqueConstraint("person_id", "workspace_id"),
        CheckConstraint(one_of("role", MEMBER_ROLES), name="known_role"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = to("person")
    workspace_id: Mapped[int] = to("workspace")
    role: Mapped[str] = mapped_column(String(20))
    type_ids: Mapped[list[Any] | None] = mapped_column(JSONB(none_as_null=True))  # None: all types
    created_at: Mapped[datetime] = now()


class PersonSession(Base):
    """A sign-in that holds until it is ended, or nothing is heard of it for long; only its token's SHA-256 is kept."""

    __tablename__ = "person_session"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = to("person")
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    created_at: Mapped[datetime] = now()
    last_seen_at: Mapped[datetime] = now()
    ended_at: Mapped[datetime | None]
    agent: Mapped[str] = mapped_column(String(200), default="")
    address: Mapped[str] = mapped_column(String(60), default="")


class SignInAttempt(Base):
    """A sign-in that failed: many of them in a row are made to wait."""

    __tablename__ = "sign_in_attempt"

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)
    login: Mapped[str] = mapped_column(String(80))
    address: Mapped[str] = mapped_column(String(60))


class ApiKey(Base):
    """A key of a client program for one workspace; only its SHA-256 is kept. It may do what is in its scopes and its
    person may."""

    __tablename__ = "api_key"

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = to("person")
    name: Mapped[str] = mapped_column(String(80))
    start: Mapped[str] = mapped_column(String(12))
    key_hash: Mapped[str] = mapped_column(String(64), unique=True)
    created_at: Mapped[datetime] = now()
    last_used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]
    workspace_id: Mapped[int | None] = to("workspace", nullable=True)  # None: a key of before, which is revoked
    scopes: Mapped[list[Any]] = mapped_column(default=list)
    ends_at: Mapped[datetime | None]
    person: Mapped[Person] = relationship()


class Workspace(Base):
    __tablename__ = "workspace"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    synonyms: Mapped[list[Any]] = mapped_column(default=list)
    services: Mapped[dict[str, Any]] = mapped_column(default=dict)
    date_style: Mapped[str] = mapped_column(String(20), default=DateStyle.WORDS.value)
    created_at: Mapped[datetime] = now()


class TaskFailure(Base):
    """Background work that failed and has no paper, page or version to say so on; gone when the same work succeeds."""

    __tablename__ = "task_failure"
    __table_args__ = (UniqueConstraint("task", "arguments"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    task: Mapped[str] = mapped_column(String(40))
    arguments: Mapped[dict[str, Any]]
    message: Mapped[str]
    count: Mapped[int] = mapped_column(default=1, server_default="1")
    failed_at: Mapped[datetime] = now()


class Audit(Base):
    """Who did what, when, with what before and after."""

    __tablename__ = "audit"
    __table_args__ = (Index("ix_audit_object", "object_kind", "object_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = now()
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    action: Mapped[str] = mapped_column(String(60))
    object_kind: Mapped[str] = mapped_column(String(30))
    object_id: Mapped[int]
    workspace_id: Mapped[int | None] = mapped_column(index=True)  # found by a trigger
    detail: Mapped[dict[str, Any]] = mapped_column(default=dict)
