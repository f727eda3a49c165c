"""Fields that are taken out of a plan are kept with all that was said of them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

# Reports of versions still have evidence of fields that were removed before: which of them are personal is known from
# the plans of then.
REMOVED_BEFORE = """
INSERT INTO removed_field (type_id, key, kind, personal, data)
SELECT v.type_id, f->>'key', coalesce(max(f->>'kind'), 'value'), true, '{}'::jsonb
FROM plan_version v, jsonb_array_elements(v.plan->'fields') f
WHERE (f->>'personal')::boolean
  AND NOT EXISTS (SELECT 1 FROM field WHERE field.type_id = v.type_id AND field.key = f->>'key')
GROUP BY v.type_id, f->>'key'
"""


def upgrade() -> None:
    op.create_table(
        "removed_field",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("type_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(190), nullable=False),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("personal", sa.Boolean(), nullable=False),
        sa.Column("data", postgresql.JSONB(), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("removed_by", sa.Integer(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_removed_field")),
        sa.ForeignKeyConstraint(
            ["type_id"], ["document_type.id"], name=op.f("fk_removed_field_type_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["removed_by"], ["person.id"], name=op.f("fk_removed_field_removed_by")),
    )
    op.create_index(op.f("ix_removed_field_type_id"), "removed_field", ["type_id"])
    op.create_table(
        "removed_row",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("removed_field_id", sa.Integer(), nullable=False),
        sa.Column("document_id", sa.Integer(), nullable=False),
        sa.Column("table_name", sa.String(30), nullable=False),
        sa.Column("data", postgresql.JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_removed_row")),
        sa.ForeignKeyConstraint(
            ["removed_field_id"], ["removed_field.id"], name=op.f("fk_removed_row_removed_field_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["document_id"], ["document.id"], name=op.f("fk_removed_row_document_id"), ondelete="CASCADE"
        ),
    )
    for column in ("removed_field_id", "document_id"):
        op.create_index(op.f(f"ix_removed_row_{column}"), "removed_row", [column])
    op.execute(REMOVED_BEFORE)


def downgrade() -> None:
    op.drop_table("removed_row")
    op.drop_table("removed_field")
