"""Indexes in the orders of the queue of Review."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

WAITS = sa.text("purpose = 'live' AND state = 'held'")
ORDERS = {
    "ix_document_held": [sa.text("received_at")],
    "ix_document_held_first": [sa.text("(-priority)"), sa.text("received_at")],
    "ix_document_held_name": [sa.text("lower(name)")],
    "ix_document_held_batch": [sa.text("batch_id")],
}


def upgrade() -> None:
    op.drop_index("ix_document_held", "document")
    for name, order in ORDERS.items():
        op.create_index(name, "document", [sa.text("type_id"), *order, sa.text("id")], postgresql_where=WAITS)
    op.create_index("ix_hold_settled", "hold", ["settled_at"], postgresql_where=sa.text("settled_at IS NOT NULL"))


def downgrade() -> None:
    op.drop_index("ix_hold_settled", "hold")
    for name in ORDERS:
        op.drop_index(name, "document")
    op.create_index(
        "ix_document_held",
        "document",
        ["type_id", "received_at", "id"],
        postgresql_where=sa.text("state = 'held'"),
    )
