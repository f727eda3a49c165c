"""When a training last told how far it is, so that the time left goes on between two words."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("model_version", sa.Column("told_at", sa.DateTime(timezone=True), nullable=True))


def downgrade() -> None:
    op.drop_column("model_version", "told_at")
