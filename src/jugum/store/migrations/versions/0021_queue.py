"""The queue of Review: papers that come first, papers given to a person, and hours within which a type's papers are to
be settled."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

PERSON = op.f("fk_document_assigned_to_person")


def upgrade() -> None:
    op.add_column("document", sa.Column("priority", sa.SmallInteger(), nullable=False, server_default="0"))
    op.alter_column("document", "priority", server_default=None)
    op.add_column("document", sa.Column("assigned_to", sa.Integer(), sa.ForeignKey("person.id", name=PERSON)))
    op.add_column("document_type", sa.Column("review_hours", sa.Float(), nullable=True))
    op.create_index(
        "ix_document_held",
        "document",
        ["type_id", "received_at", "id"],
        postgresql_where=sa.text("state = 'held'"),
    )
    op.create_index(
        "ix_checked_value_open", "checked_value", ["document_id"], postgresql_where=sa.text("is_right IS NULL")
    )


def downgrade() -> None:
    op.drop_index("ix_checked_value_open", "checked_value")
    op.drop_index("ix_document_held", "document")
    op.drop_column("document_type", "review_hours")
    op.drop_column("document", "assigned_to")
    op.drop_column("document", "priority")
