"""People, and what they are in which workspace."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache

from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session
from zxcvbn import zxcvbn

from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import ADMINISTER, Actor, MemberOf, record
from jugum.store import Store
from jugum.store.models import MEMBER_ROLES, ROLES, DocumentType, Membership, Person, PersonSession, Workspace

ADMINISTRATOR = "administrator"
PASSWORD_LEAST, PASSWORD_MOST = 10, 200  # characters
GUESSES_LEAST = 1e8  # "somewhat guessable" by zxcvbn: what a throttled sign-in withstands for years
_hasher = PasswordHash((Argon2Hasher(),))


@cache
def nobodys_hash() -> str:
    """Verified when nobody has that login, so that the answer takes equally long."""
    return _hasher.hash("nobody has this password")


def add_person(
    store: Store,
    actor: Actor | None,
    *,
    login: str,
    name: str,
    role: str,
    password: str,
    workspaces: Sequence[int] = (),
) -> int:
    """Add someone, as a member of `workspaces` with their role. `actor` may be None only while nobody is there yet (the
    first administrator)."""
    login = login.strip().lower()
    if actor is not None:
        actor.require(ADMINISTER)
    if role not in ROLES:
        raise InputError(f"“{role}” is not a role. Choose one of: {', '.join(ROLES)}.")
    if not login or not name.strip():
        raise InputError("A person needs a login and a name.")
    check_password(password, login, name)
    with store.session() as session:
        if actor is None and session.scalar(select(func.count(Person.id))):
            raise Conflict("There are people already. Sign in as an administrator to add more.")
        if session.scalar(select(Person.id).where(Person.login == login)):
            raise Conflict(f"Somebody has the login “{login}” already.")
        person = Person(login=login, name=name.strip(), role=role, password_hash=_hasher.hash(password))
        session.add(person)
        session.flush()
        record(session, actor, Action.ADD_PERSON, "person", person.id, login=login, role=role)
        if role != ADMINISTRATOR:
            for workspace_id in workspaces:
                _let_in(session, actor, person, workspace_id, role, None)
        return person.id


def check_password(password: str, login: str, name: str) -> None:
    """InputError for a password that is short, or that others would guess soon: common words, rows of keys, dates, and
    the person's own login and name count for little. Judged by zxcvbn (Wheeler 2016): under a hundred million
    guesses is too few."""
    if len(password) < PASSWORD_LEAST:
        raise InputError(f"The password has {len(password)} characters; at least {PASSWORD_LEAST} are needed.")
    if len(password) > PASSWORD_MOST:
        raise InputError(f"The password has {len(password)} characters; at most {PASSWORD_MOST} are taken.")
    judged = zxcvbn(password[:72], user_inputs=[login, *name.split(), "jugum"])
    if judged["guesses"] < GUESSES_LEAST:
        why = judged["feedback"]["warning"] or "It is too easy to guess."
        raise InputError(
            f"This password is easy to guess. {why.rstrip('.')}. Take a few words that don't belong together."
        )


def hash_password(password: str) -> str:
    return _hasher.hash(password)


def is_password(person: Person | None, password: str) -> bool:
    """Whether a password is somebody's. For nobody it takes as long, and is not."""
    right = _hasher.verify(password, person.password_hash if person else nobodys_hash())
    return right and person is not None


# ---- Members of workspaces -------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class MembershipView:
    """What a person is in a workspace: `types` are names, None for all of them."""

    workspace_id: int
    workspace: str
    role: str
    type_ids: list[int] | None
    types: list[str] | None


def memberships(store: Store, actor: Actor) -> dict[int, list[MembershipView]]:
    """Of each person by id, in the order of the workspaces' names."""
    actor.require(ADMINISTER)
    with store.session() as session:
        names = {its_id: name for its_id, name in session.execute(select(DocumentType.id, DocumentType.name))}
        rows = session.execute(
            select(Membership, Workspace.name).join(Workspace, Workspace.id == Membership.workspace_id)
        )
        found: dict[int, list[MembershipView]] = {}
        for row, workspace in sorted(rows, key=lambda pair: pair[1].casefold()):
            types = None if row.type_ids is None else [names[its] for its in row.type_ids if its in names]
            view = MembershipView(row.workspace_id, workspace, row.role, row.type_ids, types)
            found.setdefault(row.person_id, []).append(view)
        return found


def labellers(session: Session, kind: DocumentType) -> list[Person]:
    """Who may label papers of a type: its analysts, and administrators, by name."""
    return [person for person, role in _members(session, kind) if role != "reviewer"]


def reviewers(session: Session, kind: DocumentType) -> list[Person]:
    """Who may review papers of a type, by name."""
    return [person for person, _ in _members(session, kind)]


def _members(session: Session, kind: DocumentType) -> list[tuple[Person, str]]:
    """Active people to whom a type is open, with their roles there."""
    rows = session.execute(
        select(Person, Membership)
        .outerjoin(Membership, (Membership.person_id == Person.id) & (Membership.workspace_id == kind.workspace_id))
        .where(Person.active.is_(True))
        .order_by(Person.name)
    )
    return [
        (person, ADMINISTRATOR if member is None else member.role)
        for person, member in rows
        if person.role == ADMINISTRATOR or (member is not None and (not member.type_ids or kind.id in member.type_ids))
    ]


def let_in(
    store: Store, actor: Actor, person_id: int, workspace_id: int, role: str, type_ids: Sequence[int] = ()
) -> None:
    """Make somebody a member of a workspace, or change what they are there. Without types, of all its types."""
    with _administered(store, actor, person_id) as (session, person):
        if person.role == ADMINISTRATOR:
            raise InputError(f"{person.name} is an administrator and a member of every workspace.")
        _let_in(session, actor, person, workspace_id, role, sorted(set(type_ids)) or None)


def leave_out(store: Store, actor: Actor, person_id: int, workspace_id: int) -> None:
    """End a membership. What the person did there stays."""
    with _administered(store, actor, person_id) as (session, person):
        row = _membership(session, person.id, workspace_id)
        if row is None:
            raise NotFound(f"{person.name} is no member of this workspace.")
        session.delete(row)
        record(session, actor, Action.LEAVE_OUT, "workspace", workspace_id, person=person.login, role=row.role)


def _membership(session: Session, person_id: int, workspace_id: int) -> Membership | None:
    its = select(Membership).where(Membership.person_id == person_id, Membership.workspace_id == workspace_id)
    return session.scalar(its)


def _let_in(
    session: Session, actor: Actor | None, person: Person, workspace_id: int, role: str, type_ids: list[int] | None
) -> None:
    if role not in MEMBER_ROLES:
        raise InputError(f"“{role}” is not a role in a workspace. Choose one of: {', '.join(MEMBER_ROLES)}.")
    if session.get(Workspace, workspace_id) is None:
        raise NotFound(f"There is no workspace {workspace_id}.")
    its = select(DocumentType.id).where(DocumentType.workspace_id == workspace_id)
    if type_ids is not None and not set(type_ids) <= set(session.scalars(its)):
        raise NotFound("There is no such type in this workspace.")
    row = _membership(session, person.id, workspace_id)
    before = row.role if row is not None else None
    if row is None:
        session.add(Membership(person_id=person.id, workspace_id=workspace_id, role=role, type_ids=type_ids))
    else:
        row.role, row.type_ids = role, type_ids
    record(
        session,
        actor,
        Action.LET_IN,
        "workspace",
        workspace_id,
        person=person.login,
        before=before,
        role=role,
        types=type_ids,
    )


def let_maker_in(session: Session, actor: Actor, workspace_id: int) -> None:
    """Whoever makes a workspace is its first analyst."""
    person = session.get(Person, actor.id)
    if person is not None and person.role != ADMINISTRATOR:
        _let_in(session, actor, person, workspace_id, "analyst", None)


def anybody(store: Store) -> bool:
    with store.session() as session:
        return bool(session.scalar(select(func.count(Person.id))))


def actor_of(session: Session, person: Person) -> Actor:
    """A person as they act: what they are in which workspace."""
    memberships: tuple[MemberOf, ...] | None = None
    role = person.role
    if role != ADMINISTRATOR:
        rows = session.scalars(select(Membership).where(Membership.person_id == person.id).order_by(Membership.id))
        memberships = tuple(
            MemberOf(row.workspace_id, row.role, None if row.type_ids is None else frozenset(row.type_ids))
            for row in rows
        )
        roles = {member.role for member in memberships}
        role = next((known for known in MEMBER_ROLES if known in roles), role)
    return Actor(person.id, person.name, role, person.sees_personal, person.lets_stand, memberships)


def actor_by_id(store: Store, person_id: int) -> Actor | None:
    with store.session() as session:
        person = session.get(Person, person_id)
        return actor_of(session, person) if person and person.active else None


def actor_by_login(store: Store, login: str) -> Actor:
    with store.session() as session:
        person = session.scalar(select(Person).where(Person.login == login))
        if person is None:
            raise NotFound(f"Nobody has the login “{login}”.")
        return actor_of(session, person)


def people(store: Store, actor: Actor) -> list[Person]:
    actor.require(ADMINISTER)
    with store.session() as session:
        return list(session.scalars(select(Person).order_by(Person.login)))


def set_active(store: Store, actor: Actor, person_id: int, *, active: bool) -> None:
    """Open or close an account; the last active administrator can't be closed."""
    with _administered(store, actor, person_id) as (session, person):
        others = select(func.count(Person.id)).where(
            Person.role == ADMINISTRATOR, Person.active.is_(True), Person.id != person_id
        )
        if not active and person.role == ADMINISTRATOR and not session.scalar(others):
            raise Conflict("This is the last administrator. Add another one first.")
        person.active = active
        if not active:
            end_all_sessions(session, person_id)
        record(session, actor, Action.OPEN_ACCOUNT if active else Action.CLOSE_ACCOUNT, "person", person.id)


def end_all_sessions(session: Session, person_id: int, but: int | None = None) -> int:
    """End every sign-in of a person that holds, but one. Returns how many that were."""
    ended = session.execute(
        update(PersonSession)
        .where(PersonSession.person_id == person_id, PersonSession.ended_at.is_(None), PersonSession.id != (but or 0))
        .values(ended_at=func.now())
    )
    return int(ended.rowcount)  # type: ignore[attr-defined]


def set_password(store: Store, actor: Actor, person_id: int, password: str) -> None:
    """A new first password from an administrator, for somebody who forgot theirs; all their sign-ins end."""
    with _administered(store, actor, person_id) as (session, person):
        check_password(password, person.login, person.name)
        person.password_hash = hash_password(password)
        end_all_sessions(session, person_id)
        record(session, actor, Action.SET_PASSWORD, "person", person_id)


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
