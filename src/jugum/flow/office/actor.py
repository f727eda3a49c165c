"""Who acts, and what their role lets them do."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import cast

from sqlalchemy import Table, insert
from sqlalchemy.orm import Session

from jugum.errors import Forbidden
from jugum.flow.office.actions import Action
from jugum.store.models import Audit
from jugum.store.scope import EVERYTHING, Scope

SEE, GATHER, PLAN, LABEL, TRAIN, WEIGH, REVIEW, LET_STAND, DELIVER, ADMINISTER = (
    "see",
    "gather",
    "plan",
    "label",
    "train",
    "weigh",
    "review",
    "let checks stand",
    "deliver",
    "administer",
)
PERMISSIONS: dict[str, frozenset[str]] = {
    "reviewer": frozenset({SEE, REVIEW}),
    "analyst": frozenset({SEE, GATHER, PLAN, LABEL, TRAIN, WEIGH, REVIEW, LET_STAND, DELIVER}),
    "administrator": frozenset({SEE, GATHER, PLAN, LABEL, TRAIN, WEIGH, REVIEW, LET_STAND, DELIVER, ADMINISTER}),
}


@dataclass(frozen=True)
class MemberOf:
    """A workspace that a person is a member of: as what, and of which types (None: all)."""

    workspace_id: int
    role: str
    types: frozenset[int] | None = None


@dataclass(frozen=True)
class Actor:
    """A signed-in person, or a client program acting for one.

    `role` is what the person is in the workspace at hand, or the most that they are in any. `memberships` are the
    workspaces that are open to them; None is all of them, for administrators. `permitted` limits what a program with a
    key may do of what its person may; None is no limit.
    """

    id: int
    name: str
    role: str
    sees_personal: bool = True
    lets_stand: bool = False
    memberships: tuple[MemberOf, ...] | None = None
    permitted: frozenset[str] | None = None

    def can(self, permission: str) -> bool:
        """Whether the role, and the key if there is one, allow it."""
        if self.permitted is not None and permission not in self.permitted:
            return False
        return permission in PERMISSIONS[self.role] or (permission == LET_STAND and self.lets_stand)

    def require(self, permission: str) -> None:
        """Forbidden for what the role or the key does not allow."""
        if not self.can(permission):
            if self.permitted is not None and permission not in self.permitted:
                raise Forbidden(f"This API key may not {permission}. Make one that may.")
            raise Forbidden(f"The role “{self.role}” may not {permission}. Ask an administrator.")

    def within(self, workspace_id: int, type_id: int | None = None) -> Actor | None:
        """The actor as a member of one workspace, and an administrator as one of it alone; None for who is no member,
        or not of that type."""
        if self.memberships is None:
            return replace(self, memberships=(MemberOf(workspace_id, self.role),))
        its = next((its for its in self.memberships if its.workspace_id == workspace_id), None)
        if its is None or (type_id is not None and its.types is not None and type_id not in its.types):
            return None
        return replace(self, role=its.role, memberships=(its,))

    def with_key(self, workspace_id: int, permitted: frozenset[str]) -> Actor | None:
        """The actor through a key for one workspace; None for who is no member of it. An administrator's key is good
        for that workspace alone, too."""
        if self.memberships is None:
            its = MemberOf(workspace_id, "analyst")
            return replace(self, role=its.role, memberships=(its,), permitted=permitted)
        inside = self.within(workspace_id)
        return replace(inside, permitted=permitted) if inside is not None else None

    def wherever(self, permission: str) -> Actor:
        """The actor as a member of those workspaces where the role allows something; of none, where it is nowhere."""
        if self.memberships is None:
            return self
        those = tuple(member for member in self.memberships if permission in PERMISSIONS[member.role])
        return replace(self, role=those[0].role, memberships=those) if those else replace(self, memberships=())

    @property
    def scope(self) -> Scope:
        """The rows that are theirs to see."""
        if self.memberships is None:
            return replace(EVERYTHING, masked=not self.sees_personal)
        limited = [member for member in self.memberships if member.types is not None]
        return Scope(
            frozenset(member.workspace_id for member in self.memberships),
            frozenset(member.workspace_id for member in limited),
            frozenset[int]().union(*(member.types or () for member in limited)),
            masked=not self.sees_personal,
        )


def record(session: Session, actor: Actor | None, action: Action, kind: str, object_id: int, **detail: object) -> None:
    """Leave an audit row in the transaction of the change itself."""
    # Not given back by the database: a trace of a sign-in is nobody's to see here.
    session.execute(
        insert(cast(Table, Audit.__table__))
        .inline()
        .values(
            person_id=actor.id if actor else None,
            action=action.value,
            object_kind=kind,
            object_id=object_id,
            detail=detail,
        )
    )
