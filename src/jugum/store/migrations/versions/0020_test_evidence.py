"""What versions decided on papers that were kept for testing. Those trained before have none."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    json = postgresql.JSONB(astext_type=sa.Text())
    op.add_column("model_version", sa.Column("test_evidence", json, nullable=False, server_default="[]"))
    op.alter_column("model_version", "test_evidence", server_default=None)


def downgrade() -> None:
    op.drop_column("model_version", "test_evidence")
