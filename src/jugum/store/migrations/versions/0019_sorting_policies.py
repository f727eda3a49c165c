"""Policies of sorting: from which confidence on papers are placed in a type and bundles are split by the program; and
what it proposed for each."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
TABLE = "sorting_policy"


def upgrade() -> None:
    op.create_table(
        TABLE,
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("workspace_id", sa.Integer(), _key("workspace_id", "workspace"), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("classifier", sa.Integer(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        *(sa.Column(name, JSON, nullable=False) for name in ("thresholds", "always_held", "settings", "outcome")),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("created_by", sa.Integer(), _key("created_by", "person"), nullable=False),
        sa.CheckConstraint("subject IN ('types', 'bundles')", name=op.f("ck_sorting_policy_known_subject")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sorting_policy")),
        sa.UniqueConstraint(
            "workspace_id", "subject", "number", name=op.f("uq_sorting_policy_workspace_id_subject_number")
        ),
    )
    op.create_index(op.f("ix_sorting_policy_workspace_id"), TABLE, ["workspace_id"])
    op.add_column("document", sa.Column("proposal", JSON, nullable=True))


def downgrade() -> None:
    op.drop_column("document", "proposal")
    op.drop_table(TABLE)


def _key(column: str, other: str) -> sa.ForeignKey:
    return sa.ForeignKey(f"{other}.id", name=op.f(f"fk_{TABLE}_{column}_{other}"))
