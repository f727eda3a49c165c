"""API keys: each for one workspace, for what it is meant to do, and for a time."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import select

from jugum.errors import InputError, NotFound, NotSignedIn
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import (
    ADMINISTER,
    DELIVER,
    GATHER,
    LABEL,
    PLAN,
    REVIEW,
    SEE,
    TRAIN,
    WEIGH,
    Actor,
    record,
)
from jugum.flow.office.people import actor_of
from jugum.store import Store
from jugum.store.models import ApiKey, Workspace

SCOPES = (SEE, GATHER, PLAN, LABEL, TRAIN, WEIGH, REVIEW, DELIVER)
DAYS, DAYS_MOST = 365, 2 * 365


def make_key(
    store: Store,
    actor: Actor,
    name: str,
    workspace_id: int,
    scopes: Iterable[str] = SCOPES,
    days: int = DAYS,
) -> str:
    """A new API key for the actor in a workspace, returned this once; only its hash is kept. `scopes` are permissions;
    seeing is always among them. It ends after `days`."""
    if not name.strip():
        raise InputError("Give the key a name: which program will use it?")
    asked = {SEE, *scopes}
    if not asked <= set(SCOPES):
        raise InputError(f"A key may be for: {', '.join(SCOPES)}. It can't be for {', '.join(asked - set(SCOPES))}.")
    if not 1 <= days <= DAYS_MOST:
        raise InputError(f"A key holds for 1 to {DAYS_MOST} days, not {days}.")
    key = f"jug_{secrets.token_urlsafe(32)}"
    with store.session() as session:
        if session.get(Workspace, workspace_id) is None or actor.within(workspace_id) is None:
            raise NotFound(f"There is no workspace {workspace_id}.")
        row = ApiKey(
            person_id=actor.id,
            name=name.strip()[:80],
            start=key[:8],
            key_hash=_key_hash(key),
            workspace_id=workspace_id,
            scopes=[scope for scope in SCOPES if scope in asked],
            ends_at=datetime.now(UTC) + timedelta(days=days),
        )
        session.add(row)
        session.flush()
        record(session, actor, Action.MAKE_KEY, "api_key", row.id, name=row.name, scopes=row.scopes, days=days)
    return key


def _key_hash(key: str) -> str:
    # A key has 256 random bits: a plain hash can't be turned back, a slow one would only cost every call.
    return hashlib.sha256(key.encode()).hexdigest()


def actor_by_key(store: Store, key: str) -> Actor:
    """Whoever the key acts for, as a member of its workspace and no other. NotSignedIn for a key that is unknown,
    revoked or over, or whose person may sign in no more or is no longer a member."""
    with store.session() as session:
        row = session.scalar(select(ApiKey).where(ApiKey.key_hash == _key_hash(key), ApiKey.revoked_at.is_(None)))
        now = datetime.now(UTC)
        if row is None or not row.person.active or row.workspace_id is None:
            raise NotSignedIn("This API key is unknown or was revoked.")
        if row.ends_at is not None and row.ends_at <= now:
            raise NotSignedIn(f"This API key ended on {row.ends_at:%Y-%m-%d}. Make a new one.")
        if row.last_used_at is None or (now - row.last_used_at).total_seconds() > 60:
            row.last_used_at = now
        actor = actor_of(session, row.person).with_key(row.workspace_id, frozenset(row.scopes))
        if actor is None:
            raise NotSignedIn("This API key is for a workspace that its person is no member of any more.")
        return actor


@dataclass(frozen=True)
class KeyView:
    """A key as its person sees it; `workspace` is "" for one that is closed to them now."""

    id: int
    name: str
    workspace: str
    scopes: list[str]
    start: str
    created_at: datetime
    ends_at: datetime | None
    last_used_at: datetime | None
    revoked_at: datetime | None

    @property
    def is_over(self) -> bool:
        """Whether its time has ended."""
        return self.ends_at is not None and self.ends_at <= datetime.now(UTC)

    @property
    def is_in_use(self) -> bool:
        """Whether a program may still use it."""
        return self.revoked_at is None and not self.is_over


def keys_of(store: Store, actor: Actor) -> list[KeyView]:
    """The actor's keys, in the order they were made."""
    with store.session() as session:
        rows = session.execute(
            select(ApiKey, Workspace.name)
            .outerjoin(Workspace, Workspace.id == ApiKey.workspace_id)
            .where(ApiKey.person_id == actor.id)
            .order_by(ApiKey.id)
        )
        return [
            KeyView(
                key.id,
                key.name,
                workspace or "",
                key.scopes,
                key.start,
                key.created_at,
                key.ends_at,
                key.last_used_at,
                key.revoked_at,
            )
            for key, workspace in rows
        ]


def revoke_key(store: Store, actor: Actor, key_id: int) -> None:
    """End a key of one's own; administrators may end any."""
    with store.session() as session:
        row = session.get(ApiKey, key_id)
        if row is None or (row.person_id != actor.id and not actor.can(ADMINISTER)):
            raise NotFound("There is no such key.")
        row.revoked_at = row.revoked_at or datetime.now(UTC)
        record(session, actor, Action.REVOKE_KEY, "api_key", row.id, name=row.name)
