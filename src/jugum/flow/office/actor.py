"""Who acts, and what their role lets them do."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from jugum.errors import Forbidden
from jugum.flow.office.actions import Action
from jugum.store.models import Audit

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
MASKED = "•••"  # stands for a personal value that the actor may not see


@dataclass(frozen=True)
class Actor:
    """A signed-in person, or a client program acting for one."""

    id: int
    name: str
    role: str
    sees_personal: bool = True
    lets_stand: bool = False

    def can(self, permission: str) -> bool:
        return permission in PERMISSIONS[self.role] or (permission == LET_STAND and self.lets_stand)

    def require(self, permission: str) -> None:
        if not self.can(permission):
            raise Forbidden(f"The role “{self.role}” may not {permission}. Ask an administrator.")


def record(session: Session, actor: Actor | None, action: Action, kind: str, object_id: int, **detail: object) -> None:
    """Leave an audit row in the transaction of the change itself."""
    session.add(
        Audit(
            person_id=actor.id if actor else None,
            action=action.value,
            object_kind=kind,
            object_id=object_id,
            detail=detail,
        )
    )
