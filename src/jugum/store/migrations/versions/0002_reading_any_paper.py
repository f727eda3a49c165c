"""Reading any paper: sources, batches, sorter; papers without a type, parts of others; pages before they are read"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

OLD_STATES = (
    "received",
    "to label",
    "in hand",
    "labelled",
    "set aside",
    "placed",
    "drafted",
    "held",
    "passed",
    "settled",
    "delivered",
)
STATES = (*OLD_STATES, "to cut", "unplaced", "unpacked")


def _listed(names: tuple[str, ...]) -> str:
    return ", ".join(repr(name) for name in names)


def upgrade() -> None:
    op.create_table(
        "batch",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("workspace_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("priority", sa.Integer(), nullable=False),
        sa.Column("stopped", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("created_by", sa.Integer(), nullable=True),
        sa.CheckConstraint("priority BETWEEN -1 AND 1", name=op.f("ck_batch_known_priority")),
        sa.ForeignKeyConstraint(["created_by"], ["person.id"], name=op.f("fk_batch_created_by")),
        sa.ForeignKeyConstraint(["workspace_id"], ["workspace.id"], name=op.f("fk_batch_workspace_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_batch")),
    )
    op.create_index(op.f("ix_batch_workspace_id"), "batch", ["workspace_id"], unique=False)
    op.create_table(
        "sorter",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("workspace_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("file_key", sa.String(length=64), nullable=False),
        sa.Column("report", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["workspace_id"], ["workspace.id"], name=op.f("fk_sorter_workspace_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sorter")),
        sa.UniqueConstraint("workspace_id", "number", name=op.f("uq_sorter_workspace_id_number")),
    )
    op.create_index(op.f("ix_sorter_workspace_id"), "sorter", ["workspace_id"], unique=False)
    op.create_table(
        "source",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("workspace_id", sa.Integer(), nullable=False),
        sa.Column("type_id", sa.Integer(), nullable=True),
        sa.Column("kind", sa.String(length=10), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("place", sa.String(), nullable=False),
        sa.Column("purpose", sa.String(length=10), nullable=False),
        sa.Column("engine", sa.String(length=10), nullable=False),
        sa.Column("language", sa.String(length=40), nullable=False),
        sa.Column("cut", sa.String(length=20), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("received", sa.Integer(), nullable=False),
        sa.Column("failed", sa.Integer(), nullable=False),
        sa.Column("looked_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("created_by", sa.Integer(), nullable=False),
        sa.CheckConstraint("engine IN ('careful', 'quick', 'both')", name=op.f("ck_source_known_engine")),
        sa.CheckConstraint("kind IN ('folder', 'mail', 'imap')", name=op.f("ck_source_known_kind")),
        sa.CheckConstraint("purpose IN ('sample', 'live')", name=op.f("ck_source_known_purpose")),
        sa.ForeignKeyConstraint(["created_by"], ["person.id"], name=op.f("fk_source_created_by")),
        sa.ForeignKeyConstraint(["type_id"], ["document_type.id"], name=op.f("fk_source_type_id")),
        sa.ForeignKeyConstraint(["workspace_id"], ["workspace.id"], name=op.f("fk_source_workspace_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_source")),
        sa.UniqueConstraint("workspace_id", "name", name=op.f("uq_source_workspace_id_name")),
    )
    op.create_index(op.f("ix_source_type_id"), "source", ["type_id"], unique=False)
    op.create_index(op.f("ix_source_workspace_id"), "source", ["workspace_id"], unique=False)
    op.add_column("document", sa.Column("source_id", sa.Integer(), nullable=True))
    op.add_column("document", sa.Column("batch_id", sa.Integer(), nullable=True))
    op.add_column("document", sa.Column("parent_id", sa.Integer(), nullable=True))
    op.add_column("document", sa.Column("parent_part", sa.String(), nullable=True))
    op.add_column("document", sa.Column("reading_key", sa.String(length=64), nullable=True))
    op.add_column("document", sa.Column("engine", sa.String(length=10), nullable=False, server_default="careful"))
    op.add_column("document", sa.Column("language", sa.String(length=40), nullable=False, server_default="eng"))
    op.add_column("document", sa.Column("cut", sa.String(length=20), nullable=False, server_default="none"))
    op.add_column(
        "document", sa.Column("pieces", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True)
    )
    op.add_column(
        "document",
        sa.Column("likely", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default=sa.text("'[]'")),
    )
    op.add_column("document", sa.Column("placed_by", sa.String(length=10), nullable=False, server_default="person"))
    op.add_column("document", sa.Column("locked", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("document", sa.Column("note", sa.String(), nullable=False, server_default=""))
    op.alter_column("document", "type_id", existing_type=sa.INTEGER(), nullable=True)
    op.create_index(op.f("ix_document_batch_id"), "document", ["batch_id"], unique=False)
    op.create_index(op.f("ix_document_parent_id"), "document", ["parent_id"], unique=False)
    op.create_index(op.f("ix_document_source_id"), "document", ["source_id"], unique=False)
    op.create_index("ix_document_workspace_state", "document", ["workspace_id", "state"], unique=False)
    op.create_unique_constraint(op.f("uq_document_parent_id_parent_part"), "document", ["parent_id", "parent_part"])
    op.create_foreign_key(
        op.f("fk_document_parent_id"), "document", "document", ["parent_id"], ["id"], ondelete="SET NULL"
    )
    op.create_foreign_key(
        op.f("fk_document_source_id"), "document", "source", ["source_id"], ["id"], ondelete="SET NULL"
    )
    op.create_foreign_key(op.f("fk_document_batch_id"), "document", "batch", ["batch_id"], ["id"], ondelete="SET NULL")
    op.add_column("page", sa.Column("source_index", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("page", sa.Column("read_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("page", sa.Column("problem", sa.String(), nullable=False, server_default=""))
    op.add_column("page", sa.Column("note", sa.String(), nullable=False, server_default=""))
    op.add_column(
        "page",
        sa.Column("how", postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default=sa.text("'{}'")),
    )
    op.add_column("page", sa.Column("engine", sa.String(length=10), nullable=False, server_default=""))
    op.add_column("page", sa.Column("peek", sa.LargeBinary(), nullable=False, server_default=sa.text("''")))
    op.alter_column("page", "view_key", existing_type=sa.VARCHAR(length=64), nullable=True)
    # Pages that are there were read, each in its place of its file.
    op.execute(
        "UPDATE page SET source_index = number - 1, read_at = now(), engine = CASE source WHEN 'ocr' THEN 'careful' ELSE '' END"
    )
    op.drop_constraint("uq_page_document_id_number", "page", type_="unique")
    op.create_unique_constraint(
        "uq_page_document_id_number", "page", ["document_id", "number"], deferrable=True, initially="DEFERRED"
    )
    op.drop_constraint(op.f("ck_document_known_state"), "document", type_="check")
    op.create_check_constraint(op.f("ck_document_known_state"), "document", f"state IN ({_listed(STATES)})")
    op.create_check_constraint(
        op.f("ck_document_unplaced_has_no_type"),
        "document",
        "type_id IS NOT NULL OR state IN ('received', 'to cut', 'unplaced', 'set aside', 'unpacked')",
    )
    op.create_check_constraint(op.f("ck_document_known_engine"), "document", "engine IN ('careful', 'quick', 'both')")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_document_known_engine"), "document", type_="check")
    op.drop_constraint(op.f("ck_document_unplaced_has_no_type"), "document", type_="check")
    op.drop_constraint(op.f("ck_document_known_state"), "document", type_="check")
    op.create_check_constraint(op.f("ck_document_known_state"), "document", f"state IN ({_listed(OLD_STATES)})")
    op.drop_column("page", "peek")
    op.drop_column("page", "engine")
    op.drop_column("page", "how")
    op.drop_column("page", "note")
    op.drop_column("page", "problem")
    op.drop_column("page", "read_at")
    op.drop_column("page", "source_index")
    op.drop_constraint(op.f("fk_document_batch_id"), "document", type_="foreignkey")
    op.drop_constraint(op.f("fk_document_source_id"), "document", type_="foreignkey")
    op.drop_constraint(op.f("fk_document_parent_id"), "document", type_="foreignkey")
    op.drop_constraint(op.f("uq_document_parent_id_parent_part"), "document", type_="unique")
    op.drop_index("ix_document_workspace_state", table_name="document")
    op.drop_index(op.f("ix_document_source_id"), table_name="document")
    op.drop_index(op.f("ix_document_parent_id"), table_name="document")
    op.drop_index(op.f("ix_document_batch_id"), table_name="document")
    op.alter_column("document", "type_id", existing_type=sa.INTEGER(), nullable=False)
    op.drop_column("document", "note")
    op.drop_column("document", "locked")
    op.drop_column("document", "placed_by")
    op.drop_column("document", "likely")
    op.drop_column("document", "pieces")
    op.drop_column("document", "cut")
    op.drop_column("document", "language")
    op.drop_column("document", "engine")
    op.drop_column("document", "reading_key")
    op.drop_column("document", "parent_part")
    op.drop_column("document", "parent_id")
    op.drop_column("document", "batch_id")
    op.drop_column("document", "source_id")
    op.drop_index(op.f("ix_source_workspace_id"), table_name="source")
    op.drop_index(op.f("ix_source_type_id"), table_name="source")
    op.drop_table("source")
    op.drop_index(op.f("ix_sorter_workspace_id"), table_name="sorter")
    op.drop_table("sorter")
    op.drop_index(op.f("ix_batch_workspace_id"), table_name="batch")
    op.drop_table("batch")
