"""How a workspace writes dates on its screens."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("workspace", sa.Column("date_style", sa.String(20), nullable=False, server_default="words"))


def downgrade() -> None:
    op.drop_column("workspace", "date_style")
