"""How many others of its new layout a live paper was read with."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("document", sa.Column("read_with", sa.Integer(), nullable=True))
    op.create_index(
        "ix_document_new_layout", "document", ["type_id", "id"], postgresql_where=sa.text("read_with IS NOT NULL")
    )


def downgrade() -> None:
    op.drop_index("ix_document_new_layout", table_name="document")
    op.drop_column("document", "read_with")
