"""Signing in: attempts that are counted, sessions that are rows, passwords that are changed."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from jugum.errors import InputError, NotFound, NotSignedIn, TooManyAttempts
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import Actor, record
from jugum.flow.office.people import actor_of, check_password, end_all_sessions, hash_password, is_password
from jugum.store import Store
from jugum.store.models import Person, PersonSession, SignInAttempt

WINDOW = timedelta(minutes=15)
# Failed sign-ins within the window after which no more are heard: of one login from one address, of one login from
# anywhere (many machines guess one person), from one address (one machine guesses many).
FAILURES_MOST = {"both": 5, "login": 30, "address": 30}
SEEN_EVERY = timedelta(seconds=60)  # how exactly it is known when a session was used last


def sign_in(store: Store, login: str, password: str, address: str = "") -> Actor:
    """NotSignedIn, with one and the same word, for a wrong login, a wrong password or a closed account;
    TooManyAttempts for who guesses."""
    login, address = login.strip().lower()[:80], address[:60]
    with store.session() as session:
        # Guesses at once are counted one after the other.
        session.execute(text("SELECT pg_advisory_xact_lock(hashtext(:key))"), {"key": f"sign-in:{login}:{address}"})
        _check_attempts(session, login, address)
        person = session.scalar(select(Person).where(Person.login == login))
        if is_password(person, password) and person is not None and person.active:
            its = (SignInAttempt.login == login, SignInAttempt.address == address)
            session.execute(delete(SignInAttempt).where(*its))
            record(session, actor_of(session, person), Action.SIGN_IN, "person", person.id, address=address)
            return actor_of(session, person)
        session.add(SignInAttempt(login=login, address=address))
        session.execute(delete(SignInAttempt).where(SignInAttempt.created_at < func.now() - WINDOW))
        its_id = person.id if person else 0
        record(session, None, Action.FAIL_SIGN_IN, "person", its_id, login=login, address=address)
    raise NotSignedIn("Login and password don't match.")


def _check_attempts(session: Session, login: str, address: str) -> None:
    recent = SignInAttempt.created_at > func.now() - WINDOW
    counts = {
        "both": (SignInAttempt.login == login) & (SignInAttempt.address == address),
        "login": SignInAttempt.login == login,
        "address": SignInAttempt.address == address,
    }
    for name, its in counts.items():
        if (session.scalar(select(func.count(SignInAttempt.id)).where(recent, its)) or 0) >= FAILURES_MOST[name]:
            minutes = int(WINDOW.total_seconds() / 60)
            raise TooManyAttempts(
                f"Too many sign-ins have failed. Wait {minutes} minutes and try again, or ask an administrator for a "
                "new password."
            )


# ---- Sessions --------------------------------------------------------------------------------------------------------


def begin_session(store: Store, person_id: int, agent: str, address: str) -> str:
    """A sign-in that holds from now; its token, which goes into the person's cookie and is kept nowhere."""
    token = secrets.token_urlsafe(32)
    with store.session() as session:
        row = PersonSession(
            person_id=person_id, token_hash=_hash(token), agent=agent[:200].replace("\0", ""), address=address[:60]
        )
        session.add(row)
    return token


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def actor_by_session(store: Store, token: str) -> Actor | None:
    """Whoever signed in with the token; None when the session has ended, was idle too long, or is too old."""
    with store.session() as session:
        its = select(PersonSession, Person).join(Person, PersonSession.person_id == Person.id)
        found = session.execute(its.where(PersonSession.token_hash == _hash(token))).first()
        if found is None:
            return None
        (row, person), now = found, datetime.now(UTC)
        if not _holds(store, row, now) or not person.active:
            return None
        if now - row.last_seen_at > SEEN_EVERY:
            row.last_seen_at = now
        return actor_of(session, person)


def _holds(store: Store, row: PersonSession, now: datetime) -> bool:
    idle, age = timedelta(minutes=store.settings.idle_minutes), timedelta(hours=store.settings.session_hours)
    return row.ended_at is None and now - row.last_seen_at <= idle + SEEN_EVERY and now - row.created_at <= age


@dataclass(frozen=True)
class SessionView:
    """A sign-in as its person sees it."""

    id: int
    agent: str
    address: str
    created_at: datetime
    last_seen_at: datetime
    is_this: bool


def sessions_of(store: Store, actor: Actor, token: str) -> list[SessionView]:
    """The sign-ins of a person that hold now, the last used first."""
    with store.session() as session:
        rows = session.scalars(
            select(PersonSession)
            .where(PersonSession.person_id == actor.id, PersonSession.ended_at.is_(None))
            .order_by(PersonSession.last_seen_at.desc())
        )
        now, this = datetime.now(UTC), _hash(token)
        return [
            SessionView(row.id, row.agent, row.address, row.created_at, row.last_seen_at, row.token_hash == this)
            for row in rows
            if _holds(store, row, now)
        ]


def end_session(store: Store, actor: Actor, *, token: str = "", session_id: int | None = None) -> None:
    """End the sign-in of a token, or another one of the person's own."""
    with store.session() as session:
        its = PersonSession.id == session_id if session_id is not None else PersonSession.token_hash == _hash(token)
        row = session.scalar(select(PersonSession).where(its, PersonSession.person_id == actor.id))
        if row is None:
            raise NotFound("There is no such sign-in.")
        row.ended_at = row.ended_at or datetime.now(UTC)
        record(session, actor, Action.SIGN_OUT, "person", actor.id)


def change_password(store: Store, actor: Actor, old: str, new: str, token: str) -> int:
    """Take a new password. All other sign-ins of the person end; returns how many that were."""
    with store.session() as session:
        person = session.get(Person, actor.id, with_for_update=True)
        if person is None or not is_password(person, old):
            raise InputError("The current password is wrong. Nothing was changed.")
        check_password(new, person.login, person.name)
        person.password_hash = hash_password(new)
        this = session.scalar(select(PersonSession.id).where(PersonSession.token_hash == _hash(token)))
        record(session, actor, Action.CHANGE_PASSWORD, "person", actor.id)
        return end_all_sessions(session, actor.id, this)
