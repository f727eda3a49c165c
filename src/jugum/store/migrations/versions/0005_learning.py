"""Learning: an office's own synonyms, training by itself, notes and origins of versions, raw scores of readings."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.add_column("workspace", sa.Column("synonyms", JSON, nullable=False, server_default="[]"))
    op.add_column("workspace", sa.Column("services", JSON, nullable=False, server_default="{}"))
    op.add_column("document_type", sa.Column("training", JSON, nullable=False, server_default="{}"))
    op.add_column("model_version", sa.Column("begun_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("model_version", sa.Column("note", sa.String(), nullable=False, server_default=""))
    op.add_column("model_version", sa.Column("origin", sa.String(), nullable=False, server_default=""))
    op.add_column("reading", sa.Column("scores", JSON, nullable=False, server_default="{}"))
    for table, names in (
        ("workspace", ("synonyms", "services")),
        ("document_type", ("training",)),
        ("model_version", ("note", "origin")),
        ("reading", ("scores",)),
    ):
        for name in names:
            op.alter_column(table, name, server_default=None)
    # Their files have another format, which no reader of this release understands; papers wait as placed until a new
    # version is live.
    op.execute(
        "UPDATE model_version SET state = 'failed', error = 'Trained by an earlier release of the program. Train a new version.' "
        "WHERE state IN ('live', 'on trial', 'retired')"
    )


def downgrade() -> None:
    for table, names in (
        ("reading", ("scores",)),
        ("model_version", ("origin", "note", "begun_at")),
        ("document_type", ("training",)),
        ("workspace", ("services", "synonyms")),
    ):
        for name in names:
            op.drop_column(table, name)
