"""People, sign-in and API keys."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.errors import Conflict, InputError, NotFound, NotSignedIn
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import ADMINISTER, Actor, record
from jugum.store import Store
from jugum.store.models import ROLES, ApiKey, Person

PASSWORD_LEAST = 10
_hasher = PasswordHash((Argon2Hasher(),))


@cache
def _nobody() -> str:
    """Verified when nobody has that login, so that the answer takes equally long."""
    return _hasher.hash("nobody has this password")


def add_person(store: Store, actor: Actor | None, *, login: str, name: str, role: str, password: str) -> int:
    """Add someone. `actor` may be None only while nobody is there yet (the first administrator)."""
    login = login.strip().lower()
    if actor is not None:
        actor.require(ADMINISTER)
    if role not in ROLES:
        raise InputError(f"“{role}” is not a role. Choose one of: {', '.join(ROLES)}.")
    if not login or not name.strip():
        raise InputError("A person needs a login and a name.")
    if len(password) < PASSWORD_LEAST:
        raise InputError(f"The password has {len(password)} characters; at least {PASSWORD_LEAST} are needed.")
    with store.session() as session:
        if actor is None and session.scalar(select(func.count(Person.id))):
            raise Conflict("There are people already. Sign in as an administrator to add more.")
        if session.scalar(select(Person.id).where(Person.login == login)):
            raise Conflict(f"Somebody has the login “{login}” already.")
        person = Person(login=login, name=name.strip(), role=role, password_hash=_hasher.hash(password))
        session.add(person)
        session.flush()
        record(session, actor, Action.ADD_PERSON, "person", person.id, login=login, role=role)
        return person.id


def anybody(store: Store) -> bool:
    with store.session() as session:
        return bool(session.scalar(select(func.count(Person.id))))


def sign_in(store: Store, login: str, password: str) -> Actor:
    """NotSignedIn, with one and the same word, for a wrong login, a wrong password or a closed account."""
    with store.session() as session:
        person = session.scalar(select(Person).where(Person.login == login.strip().lower()))
        right = _hasher.verify(password, person.password_hash if person else _nobody())
        if person is None or not right or not person.active:
            raise NotSignedIn("Login and password don't match.")
        return _actor(person)


def _actor(person: Person) -> Actor:
    return Actor(person.id, person.name, person.role, person.sees_personal, person.lets_stand)


def actor_by_id(store: Store, person_id: int) -> Actor | None:
    with store.session() as session:
        person = session.get(Person, person_id)
        return _actor(person) if person and person.active else None


def actor_by_login(store: Store, login: str) -> Actor:
    with store.session() as session:
        person = session.scalar(select(Person).where(Person.login == login))
        if person is None:
            raise NotFound(f"Nobody has the login “{login}”.")
        return _actor(person)


def make_key(store: Store, actor: Actor, name: str) -> str:
    """A new API key for the actor, returned this once; only its hash is kept."""
    if not name.strip():
        raise InputError("Give the key a name: which program will use it?")
    key = f"jug_{secrets.token_urlsafe(32)}"
    with store.session() as session:
        row = ApiKey(person_id=actor.id, name=name.strip()[:80], start=key[:8], key_hash=_key_hash(key))
        session.add(row)
        session.flush()
        record(session, actor, Action.MAKE_KEY, "api_key", row.id, name=row.name)
    return key


def _key_hash(key: str) -> str:
    # A key has 256 random bits: a plain hash can't be turned back, a slow one would only cost every call.
    return hashlib.sha256(key.encode()).hexdigest()


def actor_by_key(store: Store, key: str) -> Actor:
    with store.session() as session:
        row = session.scalar(select(ApiKey).where(ApiKey.key_hash == _key_hash(key), ApiKey.revoked_at.is_(None)))
        if row is None or not row.person.active:
            raise NotSignedIn("This API key is unknown or was revoked.")
        now = datetime.now(UTC)
        if row.last_used_at is None or (now - row.last_used_at).total_seconds() > 60:
            row.last_used_at = now
        return _actor(row.person)


def keys_of(store: Store, actor: Actor) -> list[ApiKey]:
    with store.session() as session:
        return list(session.scalars(select(ApiKey).where(ApiKey.person_id == actor.id).order_by(ApiKey.id)))


def revoke_key(store: Store, actor: Actor, key_id: int) -> None:
    with store.session() as session:
        row = session.get(ApiKey, key_id)
        if row is None or (row.person_id != actor.id and not actor.can(ADMINISTER)):
            raise NotFound("There is no such key.")
        row.revoked_at = row.revoked_at or datetime.now(UTC)
        record(session, actor, Action.REVOKE_KEY, "api_key", row.id, name=row.name)


def people(store: Store, actor: Actor) -> list[Person]:
    actor.require(ADMINISTER)
    with store.session() as session:
        return list(session.scalars(select(Person).order_by(Person.login)))


def set_active(store: Store, actor: Actor, person_id: int, *, active: bool) -> None:
    """Open or close an account; the last active administrator can't be closed."""
    with _administered(store, actor, person_id) as (session, person):
        others = select(func.count(Person.id)).where(
            Person.role == "administrator", Person.active.is_(True), Person.id != person_id
        )
        if not active and person.role == "administrator" and not session.scalar(others):
            raise Conflict("This is the last administrator. Add another one first.")
        person.active = active
        record(session, actor, Action.OPEN_ACCOUNT if active else Action.CLOSE_ACCOUNT, "person", person.id)


def set_lets_stand(store: Store, actor: Actor, person_id: int, *, lets: bool) -> None:
    """Whether a reviewer may say of a blocking check that it stands so on the paper; analysts and administrators
    always may."""
    with _administered(store, actor, person_id) as (session, person):
        person.lets_stand = lets
        record(session, actor, Action.GIVE_LET_STAND if lets else Action.TAKE_LET_STAND, "person", person.id)


def set_sees_personal(store: Store, actor: Actor, person_id: int, *, sees: bool) -> None:
    """Whether somebody sees the values of personal fields; to others they are masked, and papers that hold them
    closed."""
    with _administered(store, actor, person_id) as (session, person):
        person.sees_personal = sees
        record(session, actor, Action.SHOW_PERSONAL if sees else Action.MASK_PERSONAL, "person", person.id)


@contextmanager
def _administered(store: Store, actor: Actor, person_id: int) -> Iterator[tuple[Session, Person]]:
    """A person whose account an administrator changes."""
    actor.require(ADMINISTER)
    with store.session() as session:
        person = session.get(Person, person_id)
        if person is None:
            raise NotFound("There is no such person.")
        yield session, person
