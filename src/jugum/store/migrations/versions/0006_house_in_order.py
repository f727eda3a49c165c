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


def downgrade() -> None:
    _rename_tasks({new: old for old, new in TASKS.items()})
    op.drop_table("task_failure")


def _rename_tasks(names: dict[str, str]) -> None:
    """Jobs that wait keep waiting under the new name. A database that is made now has no queue yet."""
    for old, new in names.items():
        op.execute(
            "DO $$ BEGIN IF to_regclass('procrastinate_jobs') IS NOT NULL THEN "
            f"UPDATE procrastinate_jobs SET task_name = '{new}' WHERE task_name = '{old}'; END IF; END $$"
        )
