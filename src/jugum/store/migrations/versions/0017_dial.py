"""How a policy's dial was set, the fields it always holds, and whether a pen wrote what was read."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name, empty in (("always_held", "[]"), ("settings", "{}")):
        op.add_column(
            "policy", sa.Column(name, postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default=empty)
        )
        op.alter_column("policy", name, server_default=None)
    op.add_column("reading", sa.Column("by_hand", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("reading", "by_hand", server_default=None)


def downgrade() -> None:
    op.drop_column("reading", "by_hand")
    op.drop_column("policy", "settings")
    op.drop_column("policy", "always_held")
