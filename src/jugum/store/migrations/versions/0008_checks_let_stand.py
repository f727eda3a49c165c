"""Blocking checks that stand so on the paper: why, and who may say so."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("check_waiver", sa.Column("reason", sa.String(), server_default="", nullable=False))
    op.add_column("person", sa.Column("lets_stand", sa.Boolean(), server_default=sa.false(), nullable=False))
    op.alter_column("check_waiver", "reason", server_default=None)
    op.alter_column("person", "lets_stand", server_default=None)


def downgrade() -> None:
    op.drop_column("person", "lets_stand")
    op.drop_column("check_waiver", "reason")
