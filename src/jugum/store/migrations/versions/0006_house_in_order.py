"""Failures of background work that no paper or version can tell."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
TASKS = {"learn_sorter": "learn_types", "gauge_sample": "judge_sample"}


def upgrade() -> None:
    op.create_table(
        "task_failure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("task", sa.String(40), nullable=False),
        sa.Column("arguments", JSON, nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("failed_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.PrimaryKeyConstraint("id", name="pk_task_failure"),
        sa.UniqueConstraint("task", "arguments", name="uq_task_failure_task_arguments"),
    )
    _rename_tasks(TASKS)
    # "Not measured" was stored as confidence 0; what the plan alone reads is compared with no layout either.
    for column in ("confidence", "familiarity"):
        op.alter_column("reading", column, existing_type=sa.Float(), nullable=True)
    op.execute("UPDATE reading SET confidence = NULL, familiarity = NULL WHERE engine <> 'model' AND confidence = 0")
    op.execute("UPDATE result SET confidence = NULL WHERE confidence = 0")


def downgrade() -> None:
    op.execute("UPDATE reading SET confidence = coalesce(confidence, 0), familiarity = coalesce(familiarity, 1)")
    for column in ("confidence", "familiarity"):
        op.alter_column("reading", column, existing_type=sa.Float(), nullable=False)
    _rename_tasks({new: old for old, new in TASKS.items()})
    op.drop_table("task_failure")


def _rename_tasks(names: dict[str, str]) -> None:
    """Jobs that wait keep waiting under the new name. A database that is made now has no queue yet."""
    for old, new in names.items():
        op.execute(
            "DO $$ BEGIN IF to_regclass('procrastinate_jobs') IS NOT NULL THEN "
            f"UPDATE procrastinate_jobs SET task_name = '{new}' WHERE task_name = '{old}'; END IF; END $$"
        )
