"""The reasons that a type offers for setting papers aside in Review."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "document_type",
        sa.Column("aside_reasons", postgresql.JSONB(), nullable=False, server_default=sa.text("'[]'")),
    )
    op.alter_column("document_type", "aside_reasons", server_default=None)


def downgrade() -> None:
    op.drop_column("document_type", "aside_reasons")
