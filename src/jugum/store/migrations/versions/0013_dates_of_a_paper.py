"""A paper knows in which order its own dates have day and month; one that was read before goes by its type."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("document", sa.Column("month_first", sa.Boolean(), nullable=True))


def downgrade() -> None:
    op.drop_column("document", "month_first")
