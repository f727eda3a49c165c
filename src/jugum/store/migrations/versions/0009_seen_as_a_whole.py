"""Reviewed papers that a person has seen as a whole."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None
KNOWN = "method IN ('marked', 'typed', 'agreed', 'recorded', 'review'"


def upgrade() -> None:
    op.add_column("document", sa.Column("seen_by", sa.Integer(), sa.ForeignKey("person.id"), nullable=True))
    _labels_by(f"{KNOWN}, 'seen')")


def downgrade() -> None:
    op.execute("DELETE FROM label WHERE method = 'seen'")
    _labels_by(f"{KNOWN})")
    op.drop_column("document", "seen_by")


def _labels_by(ways: str) -> None:
    op.drop_constraint(op.f("ck_label_known_way"), "label")
    op.create_check_constraint(op.f("ck_label_known_way"), "label", ways)
